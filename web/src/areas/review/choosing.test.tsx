import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { runView, summaryOf, UNDECIDED } from "../../test/samples";
import { Review } from "./Review";

const MANY = 900;
const lineOf = (n: number, status = "changed") => ({
  row: n,
  key: `R-${n}`,
  title: `Touw ${n}`,
  status,
  reason: status === "rejected" ? "Prijs: is no number" : null,
  changes:
    status === "changed"
      ? [{ field: "price", label: "Prijs", before: "1", after: "2", percent: null, day: null }]
      : [],
});

/** A run of many changed lines, in pages; what is asked for is kept. */
function server(held = 0) {
  return new FakeServer()
    .on("GET /api/v1/runs/4", () => runView({ counts: { changed: MANY, rejected: 2, held: 1 } }))
    .on("GET /api/v1/runs/4/summary", () =>
      summaryOf({
        fields: [{ field: "price", label: "Prijs", count: MANY }],
        reasons: [
          { kind: "not_a_number", severity: "refuse", count: 2, example: "Prijs: 'veel' is no number" },
        ],
        groupings: [
          { by: "maker", label: "Merk" },
          { by: "file:Groep", label: "Groep" },
        ],
        strange: [{ field: "maker", label: "Merk", count: 14, some: ["Aalders", "Bos"] }],
        made: { products: 3, variants: 8 },
      }),
    )
    .on("GET /api/v1/runs/4/rows", ({ query }) => {
      const [offset, limit] = [Number(query.get("offset")), Number(query.get("limit"))];
      const of = query.get("status") === "rejected" ? 2 : MANY;
      const size = Math.max(0, Math.min(limit, of - offset));
      const status = query.get("status") === "rejected" ? "rejected" : "changed";
      return { total: of, rows: Array.from({ length: size }, (_, n) => lineOf(offset + n, status)) };
    })
    .on("GET /api/v1/runs/4/groups", ({ query }) => ({
      groups: query.get("group") === "maker" ? [{ word: "Bos", count: 5 }] : [{ word: "", count: 900 }],
      total: query.get("group") === "maker" ? 7 : 1,
    }))
    .on("GET /api/v1/runs/4/decisions", () => ({
      ...UNDECIDED(MANY),
      findings: [
        {
          guard: "under_cost:price",
          kind: "under_cost",
          field: "price",
          holds: "lines",
          said: "1 product would be sold under cost",
          lines: held,
          held,
          open: held > 0,
        },
      ],
    }))
    .on("POST /api/v1/runs/4/decisions", () => ({ id: 1 }));
}

const open = (at = "") => draw(<Review />, `/s/1/runs/4${at}`, "/s/:store/runs/:run");
const sent = (fake: FakeServer) => fake.calls("POST /api/v1/runs/4/decisions").map((one) => one.body);
const asked = (fake: FakeServer) => fake.calls("GET /api/v1/runs/4/rows").at(-1)?.query;
const line = (n: number) => screen.findByRole("button", { name: `Changes of R-${n}` });

describe("lines chosen together", () => {
  it("are a range by Shift, beyond what is at hand, and one more by Ctrl", async () => {
    const fake = server();
    open();
    fireEvent.click(await line(0));
    const list = screen.getByLabelText(`${MANY} changed rows`);
    list.scrollTop = 46 * 700;
    fireEvent.scroll(list);
    fireEvent.click(await line(702), { shiftKey: true });
    expect(await screen.findByText("703 lines chosen")).toBeVisible();
    fireEvent.click(await line(705), { ctrlKey: true });
    expect(await screen.findByText("704 lines chosen")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Decline them" }));
    await waitFor(() => expect(sent(fake)).toHaveLength(1));
    const keys = (sent(fake)[0] as { of: { keys: string[] } }).of.keys;
    expect(keys).toEqual([...Array.from({ length: 703 }, (_, n) => `R-${n}`), "R-705"]);
    expect(screen.queryByRole("toolbar", { name: "Chosen lines" })).toBeNull();
  });

  it("are chosen and decided by keyboard alone, and let through where guards hold some", async () => {
    const fake = server(1);
    open();
    fireEvent.click(await line(1));
    const list = screen.getByLabelText(`${MANY} changed rows`);
    list.focus();
    await userEvent.keyboard("{Shift>}{ArrowDown}{ArrowDown}{/Shift}");
    expect(await screen.findByText("3 lines chosen")).toBeVisible();
    await userEvent.keyboard(" ");
    expect(await screen.findByText("2 lines chosen")).toBeVisible();
    await userEvent.keyboard("d");
    await waitFor(() => expect(sent(fake)[0]).toMatchObject({ of: { keys: ["R-1", "R-2"] } }));
    await userEvent.keyboard(" ");
    await userEvent.click(await screen.findByRole("button", { name: "Let them through" }));
    const dialog = screen.getByRole("dialog");
    await userEvent.type(within(dialog).getByLabelText("Why it is right"), "seen");
    await userEvent.click(within(dialog).getByRole("button", { name: "Let through" }));
    await waitFor(() => expect(sent(fake)[1]).toMatchObject({ verdict: "release", of: { keys: ["R-3"] } }));
  });

  it("are no more than can be told one by one", async () => {
    const fake = server().on("GET /api/v1/runs/4/rows", ({ query }) => {
      const offset = Number(query.get("offset"));
      return { total: 90_000, rows: Array.from({ length: 200 }, (_, n) => lineOf(offset + n)) };
    });
    open();
    fireEvent.click(await line(0));
    const list = screen.getByLabelText("90000 changed rows");
    list.scrollTop = 46 * 6_000;
    fireEvent.scroll(list);
    fireEvent.click(await line(6_001), { shiftKey: true });
    expect(await screen.findByText(/At most 5,000 lines are chosen together/)).toBeVisible();
    expect(fake.calls("GET /api/v1/runs/4/rows").length).toBeLessThan(9);
  });
});

describe("lines with something in common", () => {
  it("are shown by the reason why they are refused", async () => {
    const fake = server();
    open("?status=rejected");
    await userEvent.click(await screen.findByRole("button", { name: /2 × not a number/ }));
    await waitFor(() => expect(asked(fake)?.get("reason")).toBe("not_a_number"));
    const reason = screen.getByRole("button", { name: /2 × not a number/ });
    expect(reason).toHaveAttribute("aria-pressed", "true");
    await userEvent.click(reason);
    await waitFor(() => expect(reason).toHaveAttribute("aria-pressed", "false"));
  });

  it("are shown by a word that is new to the store, counted apart from new products", async () => {
    const fake = server();
    open();
    expect(await screen.findByText("Merk: 14 new words")).toBeVisible();
    expect(screen.getByText(/3 products, among them some with 8 variants together/)).toBeVisible();
    expect(screen.getByText("and 12 more")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Aalders" }));
    await waitFor(() => expect(asked(fake)?.get("word")).toBe("Aalders"));
    expect(asked(fake)?.get("by")).toBe("maker");
    expect(screen.getByText("Merk: Aalders")).toBeVisible();
  });

  it("are grouped by a field or by a column as it arrived, and decided so", async () => {
    const fake = server();
    open();
    await userEvent.click(await screen.findByLabelText("Group what is shown by"));
    await userEvent.click(screen.getByRole("option", { name: "Merk" }));
    await userEvent.click(await screen.findByRole("button", { name: "Bos 5" }));
    expect(screen.getByText("and 6 smaller ones")).toBeVisible();
    await userEvent.click(await screen.findByRole("button", { name: "Decline all shown" }));
    await waitFor(() => expect(sent(fake)[0]).toMatchObject({ of: { by: "maker", word: "Bos" } }));
    await userEvent.click(screen.getByLabelText("Group what is shown by"));
    await userEvent.click(screen.getByRole("option", { name: "Groep" }));
    expect(await screen.findByRole("button", { name: "empty 900" })).toBeVisible();
    await waitFor(() => expect(asked(fake)?.get("by")).toBe(""));
  });
});
