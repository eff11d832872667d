/** The settings a step may have, by kind. */
export type InputKind =
  | "text"
  | "number"
  | "decimal"
  | "words"
  | "choice"
  | "switch"
  | "unit"
  | "column"
  | "formula"
  | "value_table"
  | "category_table"
  | "ladder"
  | "chain"
  | "options";

export interface StepInput {
  key: string;
  label: string;
  kind: InputKind;
  options?: [string, string][];
}

/** A setting that is a text. */
export const text = (key: string, label: string): StepInput => ({ key, label, kind: "text" });
/** A setting that is a whole number. */
export const number = (key: string, label: string): StepInput => ({ key, label, kind: "number" });
/** A setting that is a decimal; it stays text, so that no digit is lost. */
export const decimal = (key: string, label: string): StepInput => ({ key, label, kind: "decimal" });
/** A setting that is a list of words. */
export const words = (key: string, label: string): StepInput => ({ key, label, kind: "words" });
/** A setting that is on or off. */
export const onOff = (key: string, label: string): StepInput => ({ key, label, kind: "switch" });
/** A setting that is a unit. */
export const unit = (key: string, label: string): StepInput => ({ key, label, kind: "unit" });
/** A setting that is an arriving column. */
export const column = (key: string, label: string): StepInput => ({ key, label, kind: "column" });
/** A setting that is one of a few. */
export const choice = (key: string, label: string, options: [string, string][]): StepInput => ({
  key,
  label,
  kind: "choice",
  options,
});
/** How a number in text is written. */
export const STYLE = choice("style", "written", [
  ["arriving", "as this file writes them"],
  ["comma", "1.234,50"],
  ["point", "1,234.50"],
]);

/** Units that measures may be kept in or read from. */
export const UNITS = [
  "mg",
  "g",
  "kg",
  "t",
  "oz",
  "lb",
  "mm",
  "cm",
  "m",
  "in",
  "ft",
  "yd",
  "ml",
  "cl",
  "dl",
  "l",
  "cm3",
  "m3",
  "floz",
  "pt",
  "qt",
  "gal",
  "mm2",
  "cm2",
  "m2",
  "in2",
  "ft2",
  "gsm",
  "kgm2",
  "pc",
  "pr",
  "dz",
  "gross",
  "ream",
  "C",
  "F",
  "K",
];
