import { act, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { feedServer, inFeed } from "../../test/inFeed";
import { draw } from "../../test/render";
import { LadderTable } from "./LadderTable";
import { Prices } from "./Prices";

// Charts measure what jsdom does not lay out.
vi.mock("./charts", () => ({ Curve: () => null, Histogram: () => null }));

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
    expect(screen.getByText("not kept; 110 stays")).toBeVisible();
    await userEvent.clear(boxes[0] as HTMLElement);
    await userEvent.type(boxes[0] as HTMLElement, "120,5{Enter}");
    expect(change.mock.lastCall?.[0].rungs[0].amount).toBe("120.5");
    await userEvent.click(screen.getByRole("button", { name: "Add a rung" }));
    expect(change.mock.lastCall?.[0].rungs.map((r: { start: string }) => r.start)).toEqual(["0", "20", "40"]);
    await userEvent.click(screen.getByRole("button", { name: "Remove rung" }));
    expect(change.mock.lastCall?.[0].rungs).toHaveLength(1);
  });

  it("is saved with the amount that was typed right before the click", async () => {
    const rungs = [{ start: "0", kind: "markup", amount: "35" }];
    const ladder = { name: "Standard", currency: "EUR", rungs };
    const numbers = { products: 1, up: 0, down: 0, same: 0, new: 1, used: true };
    const lists = { worst: [], curve: [], margins: [], moves: [], rules: [], rungs: [] };
    const view = { ladder, field: "price", levels: { price: "Price" }, fields: {}, ...numbers, ...lists };
    const fake = feedServer()
      .on("GET /api/v1/stores/1/schema", () => ({ product_schema: { fields: [] } }))
      .on("POST /api/v1/feeds/1/prices/try", () => view)
      .on("GET /api/v1/feeds/1/prices", () => view)
      .on("PUT /api/v1/stores/1/ladders", () => ({ done: true }));
    inFeed(<Prices />);
    const amount = await screen.findByRole("textbox", { name: "Amount" });
    await userEvent.clear(amount);
    await userEvent.type(amount, "36{Enter}");
    const save = await screen.findByRole("button", { name: "Save the ladder" });
    await userEvent.clear(amount);
    await userEvent.type(amount, "4");
    // A click leaves the input in the same moment.
    act(() => {
      amount.blur();
      save.click();
    });
    await waitFor(() => expect(fake.calls("PUT /api/v1/stores/1/ladders")).toHaveLength(1));
    const sent = fake.calls("PUT /api/v1/stores/1/ladders")[0]?.body as typeof ladder;
    expect(sent.rungs[0]?.amount).toBe("4");
  });
});
