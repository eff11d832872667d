import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { draw } from "../../test/render";
import { LadderTable } from "./LadderTable";

describe("a ladder", () => {
  it("keeps its rungs in order, takes no nonsense, and warns where the price falls", async () => {
    const change = vi.fn();
    const ladder = {
      name: "Standard",
      currency: "EUR",
      ending: "95" as const,
      floor: "0.40",
      rungs: [
        { start: "0", kind: "markup" as const, amount: "110" },
        { start: "20", kind: "margin" as const, amount: "42" },
      ],
    };
    const uses = [
      { count: 3, below: null, here: null, margin_least: "50", margin_most: "52" },
      { count: 1, below: "38.95", here: "34.95", margin_least: null, margin_most: null },
    ];
    draw(<LadderTable ladder={ladder} rungs={uses} onChange={change} />);
    expect(screen.getByText(/At a cost of 20 the\s+price falls from 38.95 to 34.95/)).toBeInTheDocument();
    const boxes = screen.getAllByRole("textbox");
    await userEvent.clear(boxes[0] as HTMLElement);
    await userEvent.type(boxes[0] as HTMLElement, "cheap{Enter}");
    expect(change).not.toHaveBeenCalled();
    await userEvent.clear(boxes[0] as HTMLElement);
    await userEvent.type(boxes[0] as HTMLElement, "120,5{Enter}");
    expect(change.mock.lastCall?.[0].rungs[0].amount).toBe("120.5");
    await userEvent.click(screen.getByRole("button", { name: "Add a rung" }));
    expect(change.mock.lastCall?.[0].rungs.map((r: { start: string }) => r.start)).toEqual(["0", "20", "40"]);
    await userEvent.click(screen.getByRole("button", { name: "Remove rung" }));
    expect(change.mock.lastCall?.[0].rungs).toHaveLength(1);
  });
});
