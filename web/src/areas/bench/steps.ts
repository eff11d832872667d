/** The steps a fill may have: what they are called, how they begin, and what can be set. */
import type { Step } from "../../api/hooks";

export interface StepInput {
  key: string;
  label: string;
  kind: "text" | "number" | "words" | "choice" | "switch" | "unit" | "value_table" | "category_table" | "ladder";
  options?: [string, string][];
}

export interface StepForm {
  do: Step["do"];
  label: string;
  group: "Text" | "Values" | "Look-ups";
  start: Step;
  inputs: StepInput[];
}

const text = (key: string, label: string): StepInput => ({ key, label, kind: "text" });
const number = (key: string, label: string): StepInput => ({ key, label, kind: "number" });

export const UNITS = [
  "mg", "g", "kg", "oz", "lb", "mm", "cm", "m", "in", "ft", "yd", "ml", "cl", "l", "floz",
  "cm2", "m2", "gsm", "pc", "dz",
];

export const STEP_FORMS: StepForm[] = [
  {
    do: "trim",
    label: "Trim blanks",
    group: "Text",
    start: { do: "trim", collapse: true },
    inputs: [{ key: "collapse", label: "one blank for several inside", kind: "switch" }],
  },
  {
    do: "case",
    label: "Change case",
    group: "Text",
    start: { do: "case", to: "sentence" },
    inputs: [
      {
        key: "to",
        label: "to",
        kind: "choice",
        options: [
          ["lower", "lower case"],
          ["upper", "UPPER CASE"],
          ["title", "Title Case"],
          ["sentence", "Sentence case"],
        ],
      },
    ],
  },
  {
    do: "replace",
    label: "Replace text",
    group: "Text",
    start: { do: "replace", find: ",", put: "" },
    inputs: [text("find", "find"), text("put", "put instead")],
  },
  {
    do: "pick",
    label: "Split and pick a part",
    group: "Text",
    start: { do: "pick", at: ",", part: 1 },
    inputs: [text("at", "split at"), number("part", "part (−1 is the last)")],
  },
  {
    do: "pad",
    label: "Pad to a length",
    group: "Text",
    start: { do: "pad", length: 8, fill: "0", side: "front" },
    inputs: [
      number("length", "length"),
      text("fill", "with"),
      {
        key: "side",
        label: "where",
        kind: "choice",
        options: [
          ["front", "in front"],
          ["behind", "behind"],
        ],
      },
    ],
  },
  {
    do: "affix",
    label: "Own text in front or behind",
    group: "Text",
    start: { do: "affix", before: "", after: "" },
    inputs: [text("before", "in front"), text("after", "behind")],
  },
  {
    do: "cut",
    label: "Cut to a length",
    group: "Text",
    start: { do: "cut", length: 80, whole_words: true },
    inputs: [
      number("length", "characters"),
      { key: "whole_words", label: "at a whole word", kind: "switch" },
    ],
  },
  {
    do: "default",
    label: "When empty, use",
    group: "Text",
    start: { do: "default", text: "" },
    inputs: [text("text", "text")],
  },
  {
    do: "number",
    label: "Read a number",
    group: "Values",
    start: { do: "number", style: "arriving" },
    inputs: [
      {
        key: "style",
        label: "written",
        kind: "choice",
        options: [
          ["arriving", "as this file writes them"],
          ["comma", "1.234,50"],
          ["point", "1,234.50"],
        ],
      },
    ],
  },
  {
    do: "convert",
    label: "Convert a unit",
    group: "Values",
    start: { do: "convert", source: "g", target: "kg" },
    inputs: [
      { key: "source", label: "from", kind: "unit" },
      { key: "target", label: "to", kind: "unit" },
    ],
  },
  {
    do: "date",
    label: "Read a date",
    group: "Values",
    start: { do: "date", order: "dmy" },
    inputs: [
      {
        key: "order",
        label: "order",
        kind: "choice",
        options: [
          ["dmy", "day.month.year"],
          ["mdy", "month/day/year"],
          ["ymd", "year-month-day"],
        ],
      },
    ],
  },
  {
    do: "yes_no",
    label: "Read yes and no",
    group: "Values",
    start: { do: "yes_no", yes: ["y", "yes"], no: ["n", "no"] },
    inputs: [
      { key: "yes", label: "words for yes", kind: "words" },
      { key: "no", label: "words for no", kind: "words" },
    ],
  },
  {
    do: "value_table",
    label: "Look up in a value table",
    group: "Look-ups",
    start: { do: "value_table", table: "" },
    inputs: [{ key: "table", label: "table", kind: "value_table" }],
  },
  {
    do: "category_table",
    label: "Place in a category",
    group: "Look-ups",
    start: { do: "category_table", table: "" },
    inputs: [{ key: "table", label: "table", kind: "category_table" }],
  },
  {
    do: "ladder",
    label: "Price by a ladder",
    group: "Look-ups",
    start: { do: "ladder", ladder: "Standard" },
    inputs: [{ key: "ladder", label: "ladder", kind: "ladder" }],
  },
];

export const formOf = (step: Step): StepForm =>
  STEP_FORMS.find((f) => f.do === step.do) ?? (STEP_FORMS[0] as StepForm);

/** A new step; look-ups begin with a table named for the supplier and the field. */
export function begin(form: StepForm, supplier: string, fieldLabel: string): Step {
  const word = supplier.split(" ")[0] ?? "";
  if (form.do === "value_table")
    return { do: "value_table", table: `${word} ${fieldLabel.toLowerCase()}` };
  if (form.do === "category_table") return { do: "category_table", table: `${word} categories` };
  return form.start;
}

/** The same step with one setting changed. */
export function withSetting(step: Step, key: string, value: unknown): Step {
  return { ...step, [key]: value } as Step;
}

export function setting(step: Step, key: string): unknown {
  return (step as unknown as Record<string, unknown>)[key];
}
