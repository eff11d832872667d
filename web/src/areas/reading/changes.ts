/** Changes of shape in words, and blank ones to begin with. */
import type { Change } from "../../api/hooks";

/** Kinds of change; one that is not offered any more is still shown where a reading has it. */
export const KINDS: { do: Change["do"]; title: string; says: string; offered?: false }[] = [
  { do: "unfold", title: "Unfold", says: "one row for each entry of a list: variants held in one record" },
  {
    do: "gather",
    title: "Gather",
    says: "one row for each product: rows for pictures, languages or variants",
  },
  { do: "bundle", title: "Bundle columns", says: "image 1 … image 9 become one ordered list" },
  {
    do: "attributes",
    title: "Names to columns",
    says: "pairs of name and value become a column for each name",
  },
  { do: "rename", title: "Rename", says: "a column that arrives under a new name is called as before" },
  { do: "keep", title: "Keep only", says: "rows that pass a test; the others are counted" },
  {
    do: "carry",
    title: "Carry down",
    says: "a group's heading, or a value given once, to the rows below it",
  },
  { do: "take", title: "Take rows", says: "from one row to another", offered: false },
];

/** A change to begin with. */
export function blank(kind: Change["do"]): Change {
  switch (kind) {
    case "unfold":
      return { do: "unfold", columns: [], separator: "", key: "", group: "group" };
    case "gather":
      return { do: "gather", by: [], columns: {}, others: "first", joiner: " " };
    case "bundle":
      return { do: "bundle", columns: [], into: "" };
    case "attributes":
      return { do: "attributes", pairs: [{ name: "", value: "" }], prefix: "attribute" };
    case "rename":
      return { do: "rename", column: "", into: "" };
    case "keep":
      return { do: "keep", column: "", test: "filled", values: [] };
    case "carry":
      return { do: "carry", column: "", into: "Group" };
    case "take":
      return { do: "take", first: 1, last: null };
  }
}

/** Whether a change says enough to be tried. */
export function isWhole(change: Change): boolean {
  switch (change.do) {
    case "unfold":
      return change.columns.length > 0;
    case "gather":
      return change.by.length > 0;
    case "bundle":
      return change.columns.length > 1 && change.into !== "";
    case "attributes":
      return change.pairs.length > 0 && change.pairs.every((p) => p.name && p.value);
    case "rename":
      return change.column !== "" && change.into !== "";
    case "keep":
      return (
        change.column !== "" &&
        (["filled", "empty"].includes(change.test ?? "is") || (change.values?.length ?? 0) > 0)
      );
    case "carry":
      return change.column !== "";
    case "take":
      return (change.first ?? 1) >= 1;
  }
}

/** Tests that a row may have to pass. */
export const TESTS: [string, string][] = [
  ["filled", "is filled"],
  ["empty", "is empty"],
  ["is", "is one of"],
  ["is_not", "is none of"],
  ["contains", "contains"],
  ["at_least", "is at least"],
  ["at_most", "is at most"],
];

const list = (names: readonly string[]) => names.join(", ");
const cut = (separator: string | null | undefined) => (separator ? `, cut at ${separator}` : "");
const test = (name: string | undefined) => TESTS.find(([key]) => key === name)?.[1] ?? "";

/** A change in words. */
export function describe(change: Change): string {
  switch (change.do) {
    case "unfold":
      return `a row for each entry of ${list(change.columns)}${cut(change.separator)}`;
    case "gather": {
      const kept = Object.entries(change.columns ?? {}).map(([, k]) => k);
      const lists = kept.filter((k) => k === "collect" || k === "align").length;
      return `a row for each ${list(change.by)}${lists ? `; ${lists} columns as lists` : ""}`;
    }
    case "bundle":
      return `${list(change.columns)} into ${change.into}`;
    case "attributes":
      return change.pairs.map((p) => `${p.value} by ${p.name}`).join("; ");
    case "rename":
      return `${change.column} is called ${change.into}`;
    case "keep":
      return `${change.column} ${test(change.test)} ${list(change.values ?? [])}`;
    case "carry":
      return change.into
        ? `headings of ${change.column} into ${change.into}`
        : `${change.column} down over empty cells`;
    case "take":
      return `${change.first ?? 1} to ${change.last ?? "the end"}`;
  }
}
