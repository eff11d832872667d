import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Verdict } from "../../api/deciding";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { field, runView } from "../../test/samples";
import { Review } from "./Review";

const RULES = "POST /api/v1/runs/4/decisions";
const change = (field: string, declined: boolean) => ({
  field,
  label: field === "price" ? "Price" : "Title",
  before: "4.00",
  after: "4.50",
  percent: null,
  day: null,
  declined,
});

/** A run of two changed products, whose last decision counts. */
function server(status = "prepared") {
  const rules: (Verdict & { id: number })[] = [];
  const declines = (key: string, field: string) =>
    rules.reduce(
      (now, { verdict, of, field: about }) =>
        (!of.keys || of.keys.includes(key)) && (!about || about === field) ? verdict === "decline" : now,
      false,
    );
  const lines = () =>
    ["Q-1", "Q-2"].map((key, n) => ({
      row: n + 1,
      key,
      title: `Blue ${n + 1}`,
      status: "changed",
      reason: null,
      changes: ["price", "title"].map((field) => change(field, declines(key, field))),
    }));
  const writes = () => lines().filter((line) => line.changes.some((c) => !c.declined)).length;
  return new FakeServer()
    .on("GET /api/v1/runs/4", () => runView({ status, counts: { changed: 2 } }))
    .on("GET /api/v1/runs/4/summary", () => ({
      arrived: 2,
      fields: [{ field: "price", label: "Price", count: 2 }],
      groupings: [],
      strange: [],
      made: null,
      spreads: [],
      reasons: [],
    }))
    .on("GET /api/v1/runs/4/rows", () => ({ total: 2, rows: lines() }))
    .on("GET /api/v1/runs/4/decisions", () => ({
      writes: writes(),
      declined: 2 - writes(),
      held: 0,
      findings: [],
      decisions: [...rules].reverse().map(({ id, verdict, of }) => ({
        id,
        verdict,
        said: of.keys?.join(", ") ?? "all changed",
        lines: of.keys?.length ?? 2,
        author: "Ines",
        at: "2027-01-01T10:00:00Z",
      })),
    }))
    .on(RULES, ({ body }) => {
      rules.push({ ...(body as Verdict), id: rules.length + 1 });
      return { id: rules.length };
    })
    .on("DELETE /api/v1/runs/4/decisions/1", () => {
      rules.shift();
      return { done: true };
    });
}

/** One guard holds the run, one a line, one was let through. */
const HELD = {
  writes: 1,
  held: 1,
  declined: 0,
  decisions: [
    {
      id: 1,
      verdict: "release",
      said: "all",
      lines: 3,
      reason: "seen before",
      guard: "under_cost:price",
      author: "Ines",
      at: "2027-01-01T10:00:00Z",
    },
  ],
  findings: [
    ["under_cost:price", "lines", "3 products would be sold under cost", 3, 0],
    ["rows_fewer:", "run", "40 rows: 60 % fewer than is usual", 0, 0],
    ["price_moved:price", "lines", "1 price moves far", 1, 1],
  ].map(([guard, holds, said, lines, held]) => ({
    guard,
    kind: String(guard).split(":")[0],
    field: String(guard).split(":")[1],
    holds,
    said,
    lines,
    held,
    open: guard !== "under_cost:price",
  })),
};

const open = (at = "") => draw(<Review />, `/s/1/runs/4${at}`, "/s/:store/runs/:run");
const sent = (fake: FakeServer) => fake.calls(RULES).map((one) => one.body);

describe("the lines of a review", () => {
  it("are declined one by one, taken back, and counted before they are written", async () => {
    const fake = server();
    open();
    await userEvent.click(await screen.findByRole("button", { name: "Decline Q-2" }));
    expect(await screen.findByRole("button", { name: "Apply to 1 product" })).toBeInTheDocument();
    expect(sent(fake)).toEqual([{ verdict: "decline", of: { keys: ["Q-2"] }, field: "" }]);
    expect(await screen.findByRole("button", { name: "Accept Q-2" })).toBeInTheDocument();
    expect(within(screen.getByRole("region", { name: "Decided" })).getByText("not Q-2")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    expect(await screen.findByRole("button", { name: "Apply to 2 products" })).toBeInTheDocument();
    expect(screen.queryByRole("region", { name: "Decided" })).toBeNull();
  });

  it("are decided by keyboard alone", async () => {
    const fake = server();
    open();
    await screen.findByRole("button", { name: "Decline Q-1" });
    screen.getByLabelText("2 changed rows").focus();
    await userEvent.keyboard("{ArrowDown}{ArrowDown}d");
    await waitFor(() => expect(sent(fake)).toHaveLength(1));
    expect(sent(fake)[0]).toMatchObject({ verdict: "decline", of: { keys: ["Q-2"] } });
    await screen.findByRole("button", { name: "Accept Q-2" });
    screen.getByLabelText("2 changed rows").focus();
    await userEvent.keyboard("a");
    await waitFor(() => expect(sent(fake)[1]).toMatchObject({ verdict: "accept" }));
  });

  it("are decided field by field, or for all that a filter shows", async () => {
    const fake = server();
    const { unmount } = open("?product=Q-1");
    const panel = await screen.findByRole("complementary", { name: "The product's changes" });
    await userEvent.click(await within(panel).findByRole("button", { name: "Decline Title" }));
    expect(await within(panel).findByText(/declined; it stays/)).toBeInTheDocument();
    expect(sent(fake)).toEqual([{ verdict: "decline", of: { keys: ["Q-1"] }, field: "title" }]);
    unmount();
    open("?status=changed&field=price&search=blue");
    await userEvent.click(await screen.findByRole("button", { name: "Decline Price of all shown" }));
    await waitFor(() => expect(sent(fake)).toHaveLength(2));
    const none = { later: false, again: false, guard: "", reason: "", by: "", word: "" };
    const of = { status: "changed", field: "price", search: "blue", ...none };
    expect(sent(fake)[1]).toEqual({ verdict: "decline", of, field: "price" });
  });

  it("that a guard holds are let through with a reason, alone or all of them", async () => {
    const fake = server().on("GET /api/v1/runs/4/decisions", () => HELD);
    fake.on("GET /api/v1/runs/4/rows", () => ({
      total: 1,
      rows: [
        {
          row: 1,
          key: "Q-1",
          title: "Blue",
          status: "changed",
          reason: null,
          held: true,
          changes: [change("price", false)],
        },
      ],
    }));
    open();
    const apply = await screen.findByRole("button", { name: "Apply to 1 product" });
    expect(apply).toBeDisabled();
    const seen = screen.getByRole("region", { name: "What the guards saw" });
    expect(within(seen).getByText("The run is held:").parentElement).toHaveTextContent("40 rows: 60 % fewer");
    expect(within(seen).getByText("Let through:").parentElement).toHaveTextContent("· seen before");
    await userEvent.click(within(seen).getByRole("button", { name: "Let through: 1 price moves far" }));
    const ask = screen.getByRole("dialog");
    expect(within(ask).getByRole("button", { name: "Let through" })).toBeDisabled();
    await userEvent.type(within(ask).getByLabelText("Why it is right"), "a bigger box");
    await userEvent.click(within(ask).getByRole("button", { name: "Let through" }));
    await waitFor(() => expect(sent(fake)).toHaveLength(1));
    expect(sent(fake)[0]).toEqual({
      verdict: "release",
      of: { guard: "price_moved:price" },
      reason: "a bigger box",
    });
    await userEvent.click(await screen.findByRole("button", { name: "Let Q-1 through" }));
    await userEvent.type(screen.getByLabelText("Why it is right"), "so it is{Enter}");
    await waitFor(() => expect(sent(fake)).toHaveLength(2));
    expect(sent(fake)[1]).toMatchObject({ of: { keys: ["Q-1"] }, reason: "so it is" });
    await userEvent.click(within(seen).getByRole("button", { name: "Show the lines: 1 price moves far" }));
    await waitFor(() =>
      expect(String(fake.calls("GET /api/v1/runs/4/rows").at(-1)?.query)).toContain("guard"),
    );
  });

  it("are corrected, and kept by hand", async () => {
    const fake = server()
      .on("GET /api/v1/stores/1/schema", () => ({
        store_id: 1,
        store: "S",
        product_schema: { name: "S", key: "sku", fields: [field("price", { kind: "money" })] },
      }))
      .on("GET /api/v1/runs/4/trace", () => ({ trace: { steps: [], value: "4.50" } }));
    open("?product=Q-1");
    await userEvent.click(await screen.findByRole("button", { name: "Correct Price" }));
    const box = screen.getByLabelText("Right value of Price");
    expect(screen.getByRole("button", { name: "Correct" })).toBeDisabled();
    await userEvent.clear(box);
    await userEvent.type(box, "4,20");
    await userEvent.click(screen.getByLabelText(/Keep it by hand/));
    await userEvent.click(screen.getByRole("button", { name: "Correct" }));
    const of = { keys: ["Q-1"] };
    await waitFor(() =>
      expect(sent(fake)).toEqual([{ verdict: "correct", of, field: "price", value: "4,20", keep: true }]),
    );
    expect(screen.queryByLabelText("Right value of Price")).toBeNull();
  });

  it("are chosen by the bars of what moves, one or several side by side, and shown worst first", async () => {
    const ends = [null, "-50", "0", "50", null];
    const bars = ends.slice(1).map((most, n) => ({ least: ends[n], most, count: n }));
    const fake = server().on("GET /api/v1/runs/4/summary", () => ({
      arrived: 2,
      fields: [{ field: "price", label: "Price", count: 6 }],
      groupings: [],
      strange: [],
      made: null,
      spreads: [{ field: "price", label: "Price", bars }],
      reasons: [],
    }));
    const { router } = open();
    const asked = () => Object.fromEntries(fake.calls("GET /api/v1/runs/4/rows").at(-1)?.query ?? []);
    const up = await screen.findByRole("button", { name: "2 products: moves by 0 to +50 %" });
    await userEvent.click(up);
    await waitFor(() => expect(asked()).toMatchObject({ field: "price", least: "0", most: "50" }));
    expect(up).toHaveAttribute("aria-pressed", "true");
    screen.getByRole("button", { name: "3 products: rises by 50 % or more" }).focus();
    await userEvent.keyboard("{Shift>}{Enter}{/Shift}");
    await waitFor(() => expect(asked().most).toBe(undefined));
    expect(asked()).toMatchObject({ least: "0" });
    expect(screen.getByText("Price rises by 0 % or more")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("checkbox", { name: "worst first" }));
    await waitFor(() => expect(asked()).toMatchObject({ worst: "true" }));
    await userEvent.click(screen.getByRole("button", { name: "Decline Price of all shown" }));
    await waitFor(() => expect(sent(fake)[0]).toMatchObject({ of: { field: "price", least: "0" } }));
    expect(router.state.location.search).toContain("worst=1");
  });

  it("are decided no more once they are written", async () => {
    server("applied");
    open();
    expect(await screen.findAllByRole("listitem")).toHaveLength(2);
    expect(screen.queryByRole("button", { name: /^Decline/ })).toBeNull();
  });
});
