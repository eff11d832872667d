import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { draw } from "../../test/render";
import { delivery } from "../../test/samples";
import { Outcome, UnusualIn, isStrange } from "./DeliveryRow";

const AT = "/s/1/arrivals";
const ROUTE = "/s/:store/arrivals";

describe("what is unlike in a delivery", () => {
  it.each([
    [{ unusual: 1, said: "Prices moved" }, "1 thing unusual: Prices moved"],
    [{ breaches: 1 }, "breaks its contract in 1 point"],
    [
      { breaches: 3, unusual: 2, said: "Prices moved" },
      "breaks its contract in 3 points; 2 things unusual: Prices moved",
    ],
  ])("%j", (more, expected) => {
    const line = delivery(more);
    expect(isStrange(line)).toBe(true);
    draw(<UnusualIn base="/s/1/feeds/3" delivery={line} />, AT, ROUTE);
    const link = screen.getByRole("link", { name: expected });
    expect(link).toHaveAttribute("href", "/s/1/feeds/3/unusual?delivery=7");
  });

  it("is nothing of an ordinary one", () => {
    expect(isStrange(delivery())).toBe(false);
    expect(isStrange(delivery({ breaches: undefined }))).toBe(false);
  });
});

describe("what came of a delivery", () => {
  const run = { run_id: 9, run_status: "applied", counts: { changed: 4, same: 80, held: 0 } };
  it.each([
    [run, "applied: 4 changed"],
    [{ ...run, run_scope: "Stock" }, "Stock applied: 4 changed"],
    [{ ...run, run_status: "prepared", run_scope: "Stock", counts: {} }, "Stock prepared, not applied"],
  ])("%j", (more, expected) => {
    draw(<Outcome store={1} delivery={delivery(more)} />, AT, ROUTE);
    expect(screen.getByRole("link", { name: expected })).toHaveAttribute("href", "/s/1/runs/9");
  });

  it.each([
    [{ status: "reading", stage: "waiting for a worker" }, "being read … waiting for a worker"],
    [{ complete: false }, "the file broke off; see its reading"],
    [{ same_as: 3 }, "the same bytes as an earlier delivery"],
    [{ because: "'Stock' brought s.csv" }, "read again: 'Stock' brought s.csv"],
    [{}, "waiting: nothing prepared yet"],
  ])("%j", (more, expected) => {
    draw(<Outcome store={1} delivery={delivery(more)} />, AT, ROUTE);
    expect(screen.getByText(expected)).toBeVisible();
    expect(screen.queryByRole("link")).toBeNull();
  });
});
