import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { Refusal } from "../api/client";
import { forgotten } from "../areas/bench/useEdits";
import { begin, formOf, STEP_FORMS, withSetting } from "../areas/bench/steps";
import { inOrder } from "../areas/prices/LadderTable";
import { Mark, stateOf } from "./Mark";
import { plainText } from "./richText";
import { Failure } from "./states";
import { suggestedFirst } from "./suggested";
import { bytes, pictureAddress, signed } from "./words";

describe("marks", () => {
  it("say their state in words, not by tone alone", () => {
    render(<Mark state="refused" />);
    expect(screen.getByRole("img", { name: "refused" })).toHaveTextContent("✕");
    expect(["q", "r", "l", ".", undefined].map(stateOf)).toEqual([
      "question",
      "refused",
      "left",
      "computed",
      "computed",
    ]);
  });
});

describe("suggestions", () => {
  it("stand before the other options, each with its reason, and none twice", async () => {
    const proposals = [
      { place: "Violet", score: 80, sure: false, reason: "written almost alike" },
      { place: "White", score: 60, sure: false, reason: "decided so in 'Quarrow colour'" },
    ];
    const offer = suggestedFirst(proposals, ["Red", "Violet", "White"]);
    render(<Autocomplete {...offer} renderInput={(params) => <TextField {...params} label="Colour" />} />);
    await userEvent.click(screen.getByRole("combobox"));
    const said = screen.getAllByRole("option").map((o) => o.textContent);
    expect(said).toEqual(["Violetwritten almost alike", "Whitedecided so in 'Quarrow colour'", "Red"]);
    expect(screen.getByText("Suggested")).toBeVisible();
    expect(suggestedFirst([], ["Red"]).options).toEqual(["Red"]);
  });
});

describe("a refusal", () => {
  it("shows what, where and what to do", () => {
    const problem = { title: "No.", status: 422, detail: "It is empty.", where: "line 1", remedy: "Ask." };
    render(<Failure error={new Refusal(problem)} />);
    for (const text of ["It is empty.", "Where: line 1", "Ask."])
      expect(screen.getByText(text)).toBeInTheDocument();
  });
});

describe("rich text of a supplier", () => {
  it("becomes plain text and nothing in it runs", () => {
    const text = plainText(
      '<p>Deep <b>blue</b></p><img src=x onerror="window.hit=1"><script>window.hit=1</script>',
    );
    expect(text.startsWith("Deep blue")).toBe(true);
    expect("hit" in window).toBe(false);
  });
});

describe("words", () => {
  it("write sizes, movements and picture addresses", () => {
    expect([bytes(900), bytes(2048), bytes(5 << 20)]).toEqual(["900 bytes", "2.0 KB", "5.0 MB"]);
    expect([signed("4"), signed("-1.5"), signed("0"), signed(null)]).toEqual([
      "+4.0 %",
      "−1.5 %",
      "±0.0 %",
      "",
    ]);
    expect(pictureAddress("http://files.quarrow.example/p/1.svg")).toBe(
      "/stand-in/files.quarrow.example/p/1.svg",
    );
    expect(pictureAddress("not a link")).toBeUndefined();
    expect(pictureAddress("picture:0a.png")).toBe("/api/v1/pictures/0a.png");
  });
});

describe("edits", () => {
  it("a rung that changes its start moves to its place", () => {
    const rungs = inOrder([
      { start: "0", amount: "10" },
      { start: "50", amount: "5" },
      { start: "9", amount: "8" },
    ]);
    expect(rungs.map((r) => r.start)).toEqual(["0", "9", "50"]);
  });
  it("a column is forgotten wherever it was decided", () => {
    const crosswalk = { fills: {}, parked: { a: "spare_1", b: "spare_2" }, left_out: ["a", "c"] };
    expect(forgotten(crosswalk, "a")).toEqual({ fills: {}, parked: { b: "spare_2" }, left_out: ["c"] });
  });
  it("every step has a form, and look-ups begin with a table of their own", () => {
    for (const form of STEP_FORMS) expect(formOf(form.start)).toBe(form);
    const table = STEP_FORMS.find((f) => f.do === "value_table");
    expect(table && begin(table, "Quarrow Pigments", "Colour")).toEqual({
      do: "value_table",
      table: "Quarrow colour",
    });
    expect(withSetting({ do: "cut", length: 8 }, "length", 9)).toEqual({ do: "cut", length: 9 });
  });
});
