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

/** What the fields are called that articles are shown by. */
export const labelsOf = (view: RangeView) => new Map(view.shown.map((field) => [field.name, field.label]));

/** "all in Brushes with 'sable', Brand: Kolm". */
export function ruleInWords(rule: PickRule, labels: Map<string, string>): string {
  const where = rule.category ? ` in ${rule.category}` : "";
  const is = rule.field ? `, ${labels.get(rule.field) ?? rule.field}: ${rule.value}` : "";
  const what = rule.search ? ` with \u201c${rule.search}\u201d` : "";
  return `all${where}${what}${is}`;
}

/** What becomes of an article. */
export function fateInWords(row: RangeRow, view: RangeView): string {
  if (row.status === "gone") return "no longer in the list";
  if (row.status === "held" || row.status === "rejected") return row.reason ?? row.status;
  if (row.in_store) return row.since === "changed" ? "changed since" : "";
  if (row.picked) return "comes with the next run";
  return view.only_picked ? "" : "comes with the next run";
}
