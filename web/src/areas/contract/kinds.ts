/** What may stand in a column, as a person chooses it: a type of Table Schema with its writing. */
import type { ColumnTerms } from "../../api/contracts";

export interface Kind {
  id: string;
  label: string;
  terms: Pick<ColumnTerms, "type" | "format" | "decimalChar" | "groupChar">;
}

const plain = { format: "default", decimalChar: ".", groupChar: "" } as const;

export const KINDS: Kind[] = [
  { id: "any", label: "anything", terms: { type: "any", ...plain } },
  { id: "string", label: "text", terms: { type: "string", ...plain } },
  { id: "integer", label: "whole number", terms: { type: "integer", ...plain } },
  { id: "point", label: "number, 1234.50", terms: { type: "number", ...plain, groupChar: "," } },
  {
    id: "comma",
    label: "number, 1234,50",
    terms: { type: "number", ...plain, decimalChar: ",", groupChar: "." },
  },
  { id: "iso", label: "date, 2026-11-30", terms: { type: "date", ...plain } },
  { id: "dots", label: "date, 30.11.2026", terms: { type: "date", ...plain, format: "%d.%m.%Y" } },
  { id: "dmy", label: "date, 30/11/2026", terms: { type: "date", ...plain, format: "%d/%m/%Y" } },
  { id: "mdy", label: "date, 11/30/2026", terms: { type: "date", ...plain, format: "%m/%d/%Y" } },
  { id: "marks", label: "date, 20261130", terms: { type: "date", ...plain, format: "%Y%m%d" } },
  { id: "boolean", label: "yes or no", terms: { type: "boolean", ...plain } },
];

/** The kind of a column; undefined for a writing that is none of these. */
export function kindOf(column: ColumnTerms): Kind | undefined {
  const { type = "any", format = "default", decimalChar = "." } = column;
  return KINDS.find(
    ({ terms }) =>
      terms.type === type &&
      (type !== "date" || terms.format === format) &&
      (type !== "number" || terms.decimalChar === decimalChar),
  );
}

/** Whether one value of a column is more than another. */
export const isOrdered = ({ type }: ColumnTerms) => ["integer", "number", "date"].includes(type ?? "");

/** A column of another kind: what only the kind before could say is not said any more. */
export function ofKind(column: ColumnTerms, kind: Kind): ColumnTerms {
  const next = { ...column, ...kind.terms };
  if (isOrdered(next) && next.type === column.type) return next;
  return { ...next, constraints: { ...column.constraints, minimum: null, maximum: null } };
}

/** The least share of rows that are filled, in percent; "" for any. */
export const filledOf = ({ constraints, filled }: ColumnTerms): string =>
  constraints?.required ? "100" : (filled?.toString() ?? "");

/** A column of which so many percent of the rows are to be filled. */
export function withFilled(column: ColumnTerms, share: string): ColumnTerms {
  const whole = share === "100";
  return {
    ...column,
    filled: whole || share === "" ? null : share,
    constraints: { ...column.constraints, required: whole },
  };
}
