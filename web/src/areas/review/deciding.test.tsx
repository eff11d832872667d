import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Verdict } from "../../api/deciding";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { runView } from "../../test/samples";
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
      moves: [],
      currency: "EUR",
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
    const of = { status: "changed", field: "price", search: "blue", later: false, again: false };
    expect(sent(fake)[1]).toEqual({ verdict: "decline", of, field: "price" });
  });

  it("are decided no more once they are written", async () => {
    server("applied");
    open();
    expect(await screen.findAllByRole("listitem")).toHaveLength(2);
    expect(screen.queryByRole("button", { name: /^Decline/ })).toBeNull();
  });
});
