/** The steps a fill may have: what they are called, how they begin, and what can be set. */
import type { Step } from "../../api/hooks";
import { text, number, decimal, words, onOff, unit, column, choice, STYLE, type StepInput } from "./inputs";

/** What steps are about, in the order of the menu. */
export const GROUPS = ["Text", "Numbers", "Values", "Lists", "Conditions and formulas", "Look-ups"] as const;

export interface StepForm {
  do: Step["do"];
  label: string;
  group: (typeof GROUPS)[number];
  start: Step;
  inputs: StepInput[];
}

/** Every step with what it is called, how it begins, and what can be set. */
export const STEP_FORMS: StepForm[] = [
  {
    do: "trim",
    label: "Trim blanks",
    group: "Text",
    start: { do: "trim", collapse: true },
    inputs: [onOff("collapse", "one blank for several inside")],
  },
  {
    do: "case",
    label: "Change case",
    group: "Text",
    start: { do: "case", to: "sentence", small: [] },
    inputs: [
      choice("to", "to", [
        ["lower", "lower case"],
        ["upper", "UPPER CASE"],
        ["title", "Title Case"],
        ["sentence", "Sentence case"],
      ]),
      words("small", "small words in titles"),
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
    do: "replace_pattern",
    label: "Replace a pattern",
    group: "Text",
    start: { do: "replace_pattern", find: "\\s+", put: " " },
    inputs: [text("find", "pattern"), text("put", "put instead ($1 …)")],
  },
  {
    do: "take_pattern",
    label: "Take what a pattern finds",
    group: "Text",
    start: { do: "take_pattern", find: "\\d+" },
    inputs: [text("find", "pattern")],
  },
  {
    do: "pick",
    label: "Split and pick a part",
    group: "Text",
    start: { do: "pick", at: ",", part: 1 },
    inputs: [text("at", "split at"), number("part", "part (−1 is the last)")],
  },
  {
    do: "affix",
    label: "Own text in front or behind",
    group: "Text",
    start: { do: "affix", before: "", after: "" },
    inputs: [text("before", "in front"), text("after", "behind")],
  },
  {
    do: "pad",
    label: "Pad to a length",
    group: "Text",
    start: { do: "pad", length: 8, fill: "0", side: "front" },
    inputs: [
      number("length", "length"),
      text("fill", "with"),
      choice("side", "where", [
        ["front", "in front"],
        ["behind", "behind"],
      ]),
    ],
  },
  {
    do: "cut",
    label: "Cut to a length",
    group: "Text",
    start: { do: "cut", length: 80, whole_words: true },
    inputs: [number("length", "characters"), onOff("whole_words", "at a whole word")],
  },
  { do: "one_line", label: "Line breaks to blanks", group: "Text", start: { do: "one_line" }, inputs: [] },
  {
    do: "html_to_text",
    label: "HTML to text",
    group: "Text",
    start: { do: "html_to_text", lines: true },
    inputs: [onOff("lines", "keep lines")],
  },
  {
    do: "clean_html",
    label: "Clean HTML",
    group: "Text",
    start: { do: "clean_html", tags: ["p", "br", "ul", "ol", "li", "b", "strong", "i", "em"] },
    inputs: [words("tags", "tags to keep")],
  },
  {
    do: "decode_entities",
    label: "Decode entities",
    group: "Text",
    start: { do: "decode_entities" },
    inputs: [],
  },
  { do: "slug", label: "Name for a web address", group: "Text", start: { do: "slug" }, inputs: [] },
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
    group: "Numbers",
    start: { do: "number", style: "arriving" },
    inputs: [STYLE],
  },
  {
    do: "number_in",
    label: "Find the number in a text",
    group: "Numbers",
    start: { do: "number_in", style: "arriving", first: false },
    inputs: [STYLE, onOff("first", "the first of several")],
  },
  {
    do: "round",
    label: "Round",
    group: "Numbers",
    start: { do: "round", places: 2, how: "half" },
    inputs: [
      number("places", "places"),
      choice("how", "how", [
        ["half", "half away from zero"],
        ["up", "always up"],
        ["down", "always down"],
      ]),
    ],
  },
  {
    do: "scale",
    label: "Multiply, divide, add",
    group: "Numbers",
    start: { do: "scale", times: "1", by: "1", plus: "0" },
    inputs: [decimal("times", "times"), decimal("by", "divided by"), decimal("plus", "plus")],
  },
  {
    do: "clamp",
    label: "Keep within limits",
    group: "Numbers",
    start: { do: "clamp", least: "0", most: null },
    inputs: [decimal("least", "at least"), decimal("most", "at most")],
  },
  {
    do: "per_unit",
    label: "Pack to one piece",
    group: "Numbers",
    start: { do: "per_unit", column: "" },
    inputs: [column("column", "pieces in a pack")],
  },
  {
    do: "convert",
    label: "Convert a unit",
    group: "Numbers",
    start: { do: "convert", source: "g", target: "kg" },
    inputs: [unit("source", "from"), unit("target", "to")],
  },
  {
    do: "measure",
    label: "Read a measure with its unit",
    group: "Numbers",
    start: { do: "measure", target: "kg", stated: "", column: "", part: 0 },
    inputs: [
      unit("target", "in"),
      choice("part", "which", [
        ["0", "the only one"],
        ["1", "first of 12x18"],
        ["2", "second"],
        ["3", "third"],
      ]),
      unit("stated", "unit when none is written"),
      column("column", "unit in a column"),
    ],
  },
  {
    do: "amount",
    label: "Read an amount of money",
    group: "Numbers",
    start: { do: "amount", currency: "EUR", column: "", into: "" },
    inputs: [
      text("currency", "where none is said"),
      column("column", "currency in a column"),
      text("into", "exchange into"),
    ],
  },
  {
    do: "exchange",
    label: "Exchange a currency",
    group: "Numbers",
    start: { do: "exchange", source: "USD", target: "EUR", oldest: 30 },
    inputs: [text("source", "from"), text("target", "to"), number("oldest", "rate's days at most")],
  },
  {
    do: "date",
    label: "Read a date",
    group: "Values",
    start: { do: "date", order: "dmy" },
    inputs: [
      choice("order", "order", [
        ["dmy", "day.month.year"],
        ["mdy", "month/day/year"],
        ["ymd", "year-month-day"],
      ]),
      number("pivot", "20.. up to year (two digits)"),
    ],
  },
  {
    do: "yes_no",
    label: "Read yes and no",
    group: "Values",
    start: { do: "yes_no", yes: ["y", "yes"], no: ["n", "no"] },
    inputs: [words("yes", "words for yes"), words("no", "words for no")],
  },
  {
    do: "leading_zeros",
    label: "Restore leading zeros",
    group: "Values",
    start: { do: "leading_zeros", length: 8 },
    inputs: [number("length", "digits")],
  },
  {
    do: "gtin",
    label: "UPC or EAN to GTIN",
    group: "Values",
    start: { do: "gtin", length: 13 },
    inputs: [
      choice("length", "digits", [
        ["13", "13"],
        ["14", "14"],
      ]),
    ],
  },
  {
    do: "check_digit",
    label: "Check digit",
    group: "Values",
    start: { do: "check_digit", how: "verify" },
    inputs: [
      choice("how", "do", [
        ["verify", "verify it"],
        ["add", "put it behind"],
      ]),
    ],
  },
  {
    do: "split",
    label: "Split into a list",
    group: "Lists",
    start: { do: "split", at: "," },
    inputs: [text("at", "split at")],
  },
  {
    do: "take",
    label: "Take entries",
    group: "Lists",
    start: { do: "take", start: 1, count: 1 },
    inputs: [number("start", "from (−1 is the last)"), number("count", "how many (0 is all)")],
  },
  {
    do: "drop",
    label: "Leave out entries",
    group: "Lists",
    start: { do: "drop", words: [] },
    inputs: [words("words", "entries")],
  },
  { do: "unique", label: "Each entry once", group: "Lists", start: { do: "unique" }, inputs: [] },
  {
    do: "order",
    label: "Order the entries",
    group: "Lists",
    start: { do: "order", by: "rising" },
    inputs: [
      choice("by", "by", [
        ["rising", "alphabet"],
        ["falling", "alphabet, backwards"],
        ["reversed", "turned round"],
      ]),
    ],
  },
  {
    do: "join",
    label: "Join a list",
    group: "Lists",
    start: { do: "join", between: ", " },
    inputs: [text("between", "between")],
  },
  {
    do: "options",
    label: "Options of a variant",
    group: "Values",
    start: { do: "options", options: [{ name: "Size", column: "" }] },
    inputs: [{ key: "options", label: "options", kind: "options" }],
  },
  {
    do: "picture_files",
    label: "Find the picture in the archive",
    group: "Look-ups",
    start: { do: "picture_files" },
    inputs: [],
  },
  {
    do: "only_if",
    label: "Only if …",
    group: "Conditions and formulas",
    start: { do: "only_if", formula: "", otherwise: "empty" },
    inputs: [
      { key: "formula", label: "condition", kind: "formula" },
      choice("otherwise", "otherwise", [
        ["empty", "the field is empty"],
        ["hold", "hold the product"],
        ["leave_out", "leave the product out"],
      ]),
    ],
  },
  {
    do: "formula",
    label: "Formula",
    group: "Conditions and formulas",
    start: { do: "formula", formula: "" },
    inputs: [{ key: "formula", label: "formula", kind: "formula" }],
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
  {
    do: "chain",
    label: "Saved steps",
    group: "Look-ups",
    start: { do: "chain", chain: "" },
    inputs: [{ key: "chain", label: "steps", kind: "chain" }],
  },
];

/** The form of a step. */
export const formOf = (step: Step): StepForm =>
  STEP_FORMS.find((f) => f.do === step.do) ?? (STEP_FORMS[0] as StepForm);

/** A new step; look-ups begin with a table named for the supplier and the field. */
export function begin(form: StepForm, supplier: string, fieldLabel: string): Step {
  const word = supplier.split(" ")[0] ?? "";
  if (form.do === "value_table") return { do: "value_table", table: `${word} ${fieldLabel.toLowerCase()}` };
  if (form.do === "category_table") return { do: "category_table", table: `${word} categories` };
  return form.start;
}

/** Settings that are whole numbers though they are chosen from a list. */
const CHOSEN_NUMBERS = new Set(["measure part", "gtin length"]);

/** The same step with one setting changed. */
export function withSetting(step: Step, key: string, value: unknown): Step {
  const made = CHOSEN_NUMBERS.has(`${step.do} ${key}`) ? Number(value) : value;
  return { ...step, [key]: made } as Step;
}

/** What is set of a step under a name. */
export function setting(step: Step, key: string): unknown {
  return (step as unknown as Record<string, unknown>)[key];
}
