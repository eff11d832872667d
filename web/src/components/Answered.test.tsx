import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { Answered } from "./Answered";

const ANSWERS = "GET /api/v1/stores/1/lookups/answers";

async function opened(answers: unknown[]) {
  const fake = new FakeServer().on(ANSWERS, () => ({ answers }));
  draw(
    <Answered kind="category_table" table="Paths" arriving="Art/Oils" nothing="not sold">
      •
    </Answered>,
  );
  expect(fake.calls(ANSWERS), "nothing is asked before it is opened").toEqual([]);
  await userEvent.click(screen.getByRole("button", { name: "Who decided Art/Oils" }));
  const dialog = await screen.findByRole("dialog", { name: "Who decided Art/Oils" });
  return { fake, dialog };
}

describe("who decided", () => {
  it("is told with what was answered before, the newest first", async () => {
    const at = new Date().toISOString();
    const { fake, dialog } = await opened([
      { answer: "", author: "Ada", at },
      { answer: null, author: "Bo", at },
      { answer: "Painting > Oil", author: "", at },
    ]);
    await screen.findByText("not sold");
    const lines = [...dialog.querySelectorAll("div")].map((line) => line.textContent);
    expect(lines).toEqual([
      "not sold by Ada, just now",
      "open again by Bo, just now",
      "Painting > Oil just now",
    ]);
    const asked = Object.fromEntries(fake.calls(ANSWERS)[0]!.query);
    expect(asked).toEqual({ kind: "category_table", name: "Paths", arriving: "Art/Oils" });
    await userEvent.keyboard("{Escape}");
    expect(screen.queryByRole("dialog")).toBeNull();
  });

  it("is nobody where nothing is kept of it", async () => {
    await opened([]);
    expect(await screen.findByText("Nobody has answered it yet.")).toBeInTheDocument();
  });
});
