/** What the range is looked at by, in words. */
import type { PickRule, RangeRow, RangeView, Shown } from "../../api/range";
import type { ValueState } from "../../components/Mark";

export const GROUPS: [Shown["group"], string, ValueState][] = [
  ["all", "articles", "computed"],
  ["picked", "picked", "computed"],
  ["in_store", "in the store", "computed"],
  ["not_in_store", "not in the store", "arrived"],
  ["new", "new", "computed"],
  ["changed", "changed", "changed"],
  ["gone", "gone", "left"],
  ["faulty", "faulty", "refused"],
];

/** Groups that tell something only beside a delivery before. */
export const SINCE: Shown["group"][] = ["new", "changed", "gone"];

/** "all in Brushes with 'sable'". */
export function ruleInWords(rule: PickRule): string {
  const where = rule.category ? ` in ${rule.category}` : "";
  const what = rule.search ? ` with \u201c${rule.search}\u201d` : "";
  return `all${where}${what}`;
}

/** What becomes of an article. */
export function fateInWords(row: RangeRow, view: RangeView): string {
  if (row.status === "gone") return "no longer in the list";
  if (row.status === "held" || row.status === "rejected") return row.reason ?? row.status;
  if (row.in_store) return row.since === "changed" ? "changed since" : "";
  if (row.picked) return "comes with the next run";
  return view.only_picked ? "" : "comes with the next run";
}
