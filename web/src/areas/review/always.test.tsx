import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { runView } from "../../test/samples";
import { UndoProvider } from "../../shell/undo";
import { Always, behind } from "./Always";

type Step = Schemas["TraceStep"];
const step = (value: string | null, more: Partial<Step> = {}): Step => ({
  label: "",
  value,
  table: "",
  kind: "",
  entry: "",
  rule: "",
  numbers: [],
  ...more,
});
const trace = (steps: Step[], value = steps.at(-1)?.value ?? null): Schemas["Trace"] => ({
  field: "colour",
  title: "Kleur",
  row: 1,
  cells: [],
  fields: [],
  steps,
  value,
});
const table = { kind: "value_table", table: "Kleuren" };

describe("the entry behind a value", () => {
  it.each([
    ["that of a table", [step("rd"), step("Rood", table)], { ...table, word: "rd" }],
    [
      "as the table names it",
      [step(" RD "), step("Rood", { ...table, entry: "rd" })],
      { ...table, word: "rd" },
    ],
    [
      "with steps after it that change nothing",
      [step("rd"), step("Rood", table), step("Rood")],
      { ...table, word: "rd" },
    ],
    ["none, where a step has changed it since", [step("rd"), step("Rood", table), step("ROOD")], null],
    ["none, where nothing arrived", [step(null), step("Rood", table)], null],
    ["none, without a table", [step("rd"), step("Rood")], null],
  ])("is %s", (_, steps, expected) => {
    expect(behind(trace(steps))).toEqual(expected);
  });

  it("is none where the store writes the value otherwise", () => {
    expect(behind(trace([step("1"), step("2", table)], "2.00"))).toBeNull();
  });
});

describe("a correction as a rule", () => {
  const open = (steps: Step[], value: string) => {
    const fake = new FakeServer()
      .on("GET /api/v1/runs/4/trace", () => ({ trace: trace(steps) }))
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
    const fake = open([step("rd"), step("Rood", table)], "Roodbruin");
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
    open([step("rd"), step("Rood", table)], "Rood");
    expect(await screen.findByRole("button", { name: "Always for “rd”" })).toBeDisabled();
  });

  it.each([
    [
      "Change the price rule ‘Winkel’",
      [step("2"), step("4.00", { kind: "ladder", table: "Winkel" })],
      "/prices",
    ],
    ["Mend its fill", [step("2")], "/bench?field=colour&delivery=5"],
  ])("leads to where the value is made: %s", async (name, steps, place) => {
    open(steps, "4.10");
    expect(await screen.findByRole("link", { name })).toHaveAttribute("href", `/s/1/feeds/3${place}`);
  });
});
