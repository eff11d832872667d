import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { runView } from "../../test/samples";
import { UndoProvider } from "../../shell/undo";
import { Always } from "./Always";

type Behind = Schemas["Trace"]["behind"];
const table = { kind: "value_table", table: "Kleuren" };
const RED = { ...table, word: "rd" };

describe("a correction as a rule", () => {
  const open = (behind: Behind, value: string) => {
    const fake = new FakeServer()
      .on("GET /api/v1/runs/4/trace", () => ({ trace: { steps: [], value: "Rood", behind } }))
      .on("POST /api/v1/runs/4/rules", () => ({ ...table, word: "rd", before: "Rood" }))
      .on("PUT /api/v1/feeds/3/values", () => ({ done: true }))
      .on("POST /api/v1/runs/4/anew", () => runView({ status: "queued" }));
    const run = runView({ feed_id: 3, delivery_id: 5 });
    draw(
      <UndoProvider>
        <Always run={run} product="R-1" field="colour" value={value} onDone={() => undefined} />
      </UndoProvider>,
      "/s/1/runs/4",
      "/s/:store/runs/:run",
    );
    return fake;
  };

  it("is written for all that arrive with the word, and taken back", async () => {
    const fake = open(RED, "Roodbruin");
    await userEvent.click(await screen.findByRole("button", { name: "Always for “rd”" }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/runs/4/rules")[0]?.body).toEqual({
        key: "R-1",
        field: "colour",
        value: "Roodbruin",
      }),
    );
    await userEvent.click(await screen.findByRole("button", { name: /Undo/ }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/3/values")[0]?.body).toEqual({
        table: "Kleuren",
        words: { rd: "Rood" },
      }),
    );
    await waitFor(() => expect(fake.calls("POST /api/v1/runs/4/anew")).toHaveLength(1));
  });

  it("is not offered for the value that is there, and leads elsewhere where no entry makes it", async () => {
    open(RED, "Rood");
    expect(await screen.findByRole("button", { name: "Always for “rd”" })).toBeDisabled();
  });

  it.each([
    ["Change the price rule ‘Winkel’", { kind: "ladder", table: "Winkel", word: "2" }, "/prices"],
    ["Mend its fill", null, "/bench?field=colour&delivery=5"],
  ])("leads to where the value is made: %s", async (name, behind, place) => {
    open(behind, "4.10");
    expect(await screen.findByRole("link", { name })).toHaveAttribute("href", `/s/1/feeds/3${place}`);
  });
});
