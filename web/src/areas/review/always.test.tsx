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

  it("leads to where the value is made, where no entry makes it", async () => {
    open(null, "4.10");
    expect(await screen.findByRole("link", { name: "Mend its fill" })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/bench?field=colour&delivery=5",
    );
  });

  it("is a rule of the ladder for a price, for all that share a word with it, and taken back", async () => {
    const before = { name: "Winkel", rungs: [], rules: [] };
    const like = { field: "line", label: "Lijn", word: "Touw", count: 12 };
    const fake = open({ kind: "ladder", table: "Winkel", word: "2" }, "4.10")
      .on("GET /api/v1/runs/4/price-rules", () => ({ ladder: "Winkel", likes: [like] }))
      .on("POST /api/v1/runs/4/price-rules", () => ({ said: "Lijn Touw: 80 %", before }))
      .on("PUT /api/v1/stores/1/ladders", () => ({ done: true }));
    expect(await screen.findByRole("button", { name: "Price them so" })).toBeDisabled();
    await userEvent.click(screen.getByRole("combobox", { name: "The same rule for all of" }));
    await userEvent.click(screen.getByRole("option", { name: "Lijn Touw (12)" }));
    await userEvent.click(screen.getByRole("button", { name: "Price them so" }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/runs/4/price-rules")[0]?.body).toEqual({
        key: "R-1",
        field: "colour",
        value: "4.10",
        by: "line",
        word: "Touw",
      }),
    );
    await userEvent.click(await screen.findByRole("button", { name: /Undo/ }));
    await waitFor(() => expect(fake.calls("POST /api/v1/runs/4/anew")).toHaveLength(1));
    expect(fake.calls("PUT /api/v1/stores/1/ladders")[0]?.body).toEqual(before);
  });

  it("says why a ladder makes no such price, and stays open for another", async () => {
    const like = { field: "line", label: "Lijn", word: "Touw", count: 12 };
    const fake = open({ kind: "ladder", table: "Winkel", word: "2" }, "0.05")
      .on("GET /api/v1/runs/4/price-rules", () => ({ ladder: "Winkel", likes: [like] }))
      .on("POST /api/v1/runs/4/price-rules", () => ({
        title: "No",
        status: 409,
        detail: "No rule of the ladder 'Winkel' makes 0.05 of a cost of 2.10.",
        where: "Lijn Touw",
        remedy: "Its limits stand against it.",
      }));
    await userEvent.click(await screen.findByRole("combobox", { name: "The same rule for all of" }));
    await userEvent.click(screen.getByRole("option", { name: "Lijn Touw (12)" }));
    await userEvent.click(screen.getByRole("button", { name: "Price them so" }));
    expect(await screen.findByText(/makes 0.05 of a cost of 2.10/)).toBeInTheDocument();
    expect(screen.getByRole("button", { name: "Price them so" })).toBeEnabled();
    expect(fake.calls("PUT /api/v1/stores/1/ladders")).toHaveLength(0);
    expect(screen.getByRole("link", { name: "open the ladder ‘Winkel’" })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/prices",
    );
  });

  it("offers nothing of a product that shares nothing with others, but the ladder", async () => {
    open({ kind: "ladder", table: "Winkel", word: "2" }, "4.10").on("GET /api/v1/runs/4/price-rules", () => ({
      ladder: "Winkel",
      likes: [],
    }));
    expect(await screen.findByRole("link", { name: "open the ladder ‘Winkel’" })).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: "Price them so" })).toBeNull();
  });
});
