import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { runView, summaryOf, UNDECIDED } from "../../test/samples";
import { Review } from "./Review";

/** A run of a bookseller's, with lines of each fate. */
function open(status: string, run = "prepared") {
  const fake = new FakeServer()
    .on("GET /api/v1/runs/4", () =>
      runView({ status: run, counts: { new: 2, changed: 2, same: 1, held: 1, rejected: 1, "left out": 1 } }),
    )
    .on("GET /api/v1/runs/4/summary", () => summaryOf())
    .on("GET /api/v1/runs/4/rows", () => ({
      total: 1,
      rows: [
        {
          row: 1,
          key: "978-1",
          title: "Atlas",
          status,
          reason: null,
          held: false,
          not_made: false,
          changes: [
            { field: "price", label: "Preis", before: null, after: "24.00", percent: null, day: null },
          ],
        },
      ],
    }))
    .on("GET /api/v1/runs/4/decisions", () => UNDECIDED(4))
    .on("POST /api/v1/runs/4/decisions", () => ({ id: 1 }));
  draw(<Review />, `/s/1/runs/4?status=${encodeURIComponent(status)}`, "/s/:store/runs/:run");
  return fake;
}

describe("what can be decided until it changes", () => {
  it.each([
    ["changed", true],
    ["new", true],
    ["held", false],
    ["rejected", false],
    ["same", false],
    ["left out", false],
  ])("of lines that are %s: %s", async (status, offered) => {
    open(status);
    await screen.findByText("Atlas");
    expect(screen.queryByLabelText("decline until it changes") !== null).toBe(offered);
  });

  it("is not offered of a run that is applied", async () => {
    open("new", "applied");
    await screen.findByText("Atlas");
    expect(screen.queryByLabelText("decline until it changes")).toBeNull();
    expect(screen.queryByRole("button", { name: "Decline 978-1" })).toBeNull();
  });

  it("is said with the decision, of a new product as of another", async () => {
    const fake = open("new");
    await userEvent.click(await screen.findByLabelText("decline until it changes"));
    await userEvent.click(screen.getByRole("button", { name: "Decline 978-1" }));
    const [decided] = fake.calls("POST /api/v1/runs/4/decisions");
    expect(decided?.body).toMatchObject({
      verdict: "decline",
      remember: true,
      of: { keys: ["978-1"] },
    });
  });
});
