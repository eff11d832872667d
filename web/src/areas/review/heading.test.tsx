import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Decisions } from "../../api/deciding";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { runView, summaryOf } from "../../test/samples";
import { Review } from "./Review";
import { willDo } from "./willDo";

const decided = (writing: Record<string, number>, held = 0, declined = 0): Decisions => ({
  writing,
  writes: Object.values(writing).reduce((sum, n) => sum + n, 0),
  held,
  declined,
  remembers: false,
  decisions: [],
  findings: [],
});

describe("what applying a run will do", () => {
  it.each([
    [decided({ new: 1 }), "Applying makes 1 product."],
    [
      decided({ gone: 3, changed: 1200, new: 12 }),
      "Applying makes 12 products, changes 1,200 and does with 3 that are gone what the feed asks.",
    ],
    [
      decided({ changed: 2 }, 1, 4),
      "Applying changes 2. 1 is held by guards and of 4 something stays as it is.",
    ],
    [decided({}, 5), "Applying changes nothing. 5 are held by guards."],
  ])("is one sentence", (decisions, said) => {
    expect(willDo(runView({}), decisions)).toBe(said);
  });

  it("counts what a run without decisions writes, and what is gone only where it moves", () => {
    const undo = runView({ counts: { changed: 2, "taken out": 1, "put back": 1, stays: 9 }, moving: 0 });
    expect(willDo(undo, undefined)).toBe("Applying changes 2, puts 1 back and takes 1 out.");
    expect(willDo(runView({ counts: { same: 3, gone: 7 }, moving: 0 }), undefined)).toBe(
      "Applying changes nothing.",
    );
  });
});

/** A prepared run that may be declined and taken up again. */
function server() {
  let status = "prepared";
  const log: { at: string; text: string }[] = [];
  const now = () => runView({ status, counts: { changed: 1 }, log });
  const become = (to: string, text: string) => () => {
    status = to;
    log.push({ at: "2027-01-01T10:00:00Z", text });
    return now();
  };
  return new FakeServer()
    .on("GET /api/v1/runs/4", now)
    .on("GET /api/v1/runs/4/summary", () => summaryOf())
    .on("GET /api/v1/runs/4/rows", () => ({ total: 0, rows: [] }))
    .on("GET /api/v1/runs/4/decisions", () => decided({ changed: 1 }))
    .on("POST /api/v1/runs/4/decline", become("declined", "declined by Ines: wrong week"))
    .on("POST /api/v1/runs/4/take-up", become("prepared", "taken up again by Ines"));
}

const open = () => draw(<Review />, "/s/1/runs/4", "/s/:store/runs/:run");

describe("a run", () => {
  it("is declined with a reason, and taken up again", async () => {
    const fake = server();
    open();
    await userEvent.click(await screen.findByRole("button", { name: "Decline all" }));
    const dialog = screen.getByRole("dialog", { name: "Decline run 4" });
    await userEvent.type(within(dialog).getByLabelText("Why (optional)"), "wrong week");
    await userEvent.click(within(dialog).getByRole("button", { name: "Decline all of it" }));
    expect(await screen.findByText("declined by Ines: wrong week")).toBeVisible();
    expect(fake.calls("POST /api/v1/runs/4/decline")[0]?.body).toEqual({ reason: "wrong week" });
    expect(screen.queryByRole("button", { name: /Apply to/ })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Take it up again" }));
    expect(await screen.findByRole("button", { name: "Apply to 1 product" })).toBeEnabled();
  });

  it("is applied for what is remembered alone, and has a product made after all", async () => {
    const left = {
      row: 8,
      key: "LU-8",
      title: "Spot",
      status: "left out",
      reason: "declined before: a product of its own",
      held: false,
      not_made: true,
      changes: [],
    };
    const fake = server()
      .on("GET /api/v1/runs/4/decisions", () => ({ ...decided({}, 0, 1), remembers: true }))
      .on("GET /api/v1/runs/4/rows", () => ({ total: 1, rows: [left] }))
      .on("POST /api/v1/runs/4/taken-again", () => runView({ status: "queued" }))
      .on("POST /api/v1/runs/4/apply", () => runView({ status: "applying" }));
    open();
    await userEvent.click(await screen.findByRole("button", { name: "Make the product of row 8 after all" }));
    expect(fake.calls("POST /api/v1/runs/4/taken-again")[0]?.body).toEqual({ row: 8 });
    await userEvent.click(screen.getByRole("button", { name: "Keep what is declined" }));
    expect(fake.calls("POST /api/v1/runs/4/apply")).toHaveLength(1);
  });

  it("is had as files, each said whom it is for", async () => {
    server();
    open();
    await userEvent.click(await screen.findByRole("button", { name: "Files" }));
    const addresses = screen.getAllByRole("menuitem").map((item) => item.getAttribute("href"));
    expect(addresses).toEqual(
      ["changes?format=xlsx", "changes?format=csv", "result?format=csv", "to-mend?format=xlsx"].map(
        (file) => `/api/v1/runs/4/${file}`,
      ),
    );
    expect(screen.getByText("What to mend in the file, and nothing of ours")).toBeVisible();
  });
});
