import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { AcceptList, answersOf, type Proposed } from "./AcceptList";

const proposed = [
  {
    asked: "Anthrazit",
    proposal: { place: "Grey", score: 62, sure: false, reason: "the nearest in the list" },
  },
  { asked: "Blau", proposal: { place: "Blue", score: 99, sure: true, reason: "'Blau' means 'Blue'" } },
  { asked: "Rot", proposal: { place: "Red", score: 99, sure: true, reason: "" } },
];

async function open(accept = vi.fn()) {
  render(<AcceptList proposed={proposed} label="Suggested words" onAccept={accept} />);
  await userEvent.click(screen.getByRole("button", { name: "Look at 3 suggestions" }));
  return { accept, list: within(screen.getByRole("dialog", { name: "Suggested words" })) };
}

describe("suggestions accepted together", () => {
  it("are shown first, the sure ones ticked and before the others, each with its reason", async () => {
    const { list } = await open();
    const boxes = list.getAllByRole("checkbox", { name: /→/ });
    expect(boxes.map((box) => (box as HTMLInputElement).checked)).toEqual([true, true, false]);
    expect(list.getByText("sure; 'Blau' means 'Blue'")).toBeInTheDocument();
    expect(list.getByText("right 62 times in 100; the nearest in the list")).toBeInTheDocument();
    expect(list.getByText(/2 are sure and ticked/)).toBeInTheDocument();
  });

  it("are those that stay ticked", async () => {
    const { accept, list } = await open();
    await userEvent.click(list.getByRole("checkbox", { name: "Blau → Blue" }));
    await userEvent.click(list.getByRole("checkbox", { name: "Anthrazit → Grey" }));
    await userEvent.click(list.getByRole("button", { name: "Accept 2 suggestions" }));
    expect(accept.mock.calls.map(([chosen]) => answersOf(chosen as Proposed[]))).toEqual([
      { Rot: "Red", Anthrazit: "Grey" },
    ]);
  });

  it("are none where nobody wants them, and where there is nothing to suggest", async () => {
    const { accept, list } = await open();
    await userEvent.click(list.getByRole("checkbox", { name: /Pick all/ }));
    await userEvent.click(list.getByRole("checkbox", { name: /Pick all/ }));
    expect(list.getByRole("button", { name: "Accept 0 suggestions" })).toBeDisabled();
    await userEvent.click(list.getByRole("button", { name: "Not now" }));
    expect(accept).not.toHaveBeenCalled();
    const { container } = render(<AcceptList proposed={[]} label="None" onAccept={accept} />);
    expect(container).toBeEmptyDOMElement();
  });
});
