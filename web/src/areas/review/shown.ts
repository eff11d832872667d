/** Which lines of a run are shown, as the address of the page says it. */
import type { Verdict } from "../../api/deciding";

/** A filter of lines; "" and false are no filter. */
export interface Shown {
  status: string;
  field: string;
  search: string;
  /** Only lines that are other than they were seen before. */
  again: boolean;
  /** Only lines that change something on a later day. */
  later: boolean;
  /** Only lines that this finding is about. */
  guard: string;
  /** Only rows with this kind of problem. */
  reason: string;
  /** A field, or a column that arrived, that holds `word`. */
  by: string;
  word: string;
  /** By how many percent the field moves. */
  least: string;
  most: string;
  /** Those first of which the field moves most. */
  worst: boolean;
}

/** No filter but that by what becomes of the rows, and no product. */
export const PLAIN = {
  field: "",
  product: "",
  step: "",
  again: "",
  later: "",
  guard: "",
  reason: "",
  by: "",
  word: "",
  least: "",
  most: "",
};

/** What an address shows; without a status that is all lines of a finding, word or reason. */
export function shownIn(params: URLSearchParams, usual: string): Shown {
  const text = (name: string) => params.get(name) ?? "";
  const narrow = text("guard") || text("by") || text("reason");
  return {
    status: params.get("status") ?? (narrow ? "" : usual),
    field: text("field"),
    search: text("search"),
    again: text("again") === "1",
    later: text("later") === "1",
    guard: text("guard"),
    reason: text("reason"),
    by: text("by"),
    word: text("word"),
    least: text("least"),
    most: text("most"),
    worst: text("worst") === "1",
  };
}

/** The same as the server is asked for it, and as a decision is about it. */
export function asked(shown: Shown): Omit<Verdict["of"], "keys"> {
  const { status, field, search, again, later, guard, reason, by, word, least, most } = shown;
  const plain = { status, field, search, again, later, guard, reason, by, word };
  return { ...plain, ...(least && { least }), ...(most && { most }) };
}
