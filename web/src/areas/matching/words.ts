/** Ways of finding products, and what becomes of rows, in words. */
import type { Group, MatchingView, Way } from "../../api/matching";
import type { Identity } from "../../api/hooks";

export const IGNORED: Record<NonNullable<Way["ignore"]>[number], string> = {
  case: "case",
  blanks: "blanks",
  punctuation: "punctuation",
  leading_zeros: "leading zeros",
};

/** What the groups of rows are called, in the order in which they are looked at. */
export const GROUPS: [Group, string][] = [
  ["several", "find several"],
  ["none", "find none"],
  ["lost", "lost their product"],
  ["key_taken", "have another's key"],
  ["together", "share a product"],
  ["found", "find one"],
  ["left_out", "left out"],
];

/** "Name and SKU, whatever the case". */
export function wayInWords(way: Way, fields: MatchingView["fields"]): string {
  const labels = new Map(fields.map((f) => [f.name, f.label]));
  const named = way.fields.map((f) => labels.get(f) ?? f).join(" and ");
  const ignored = (way.ignore ?? []).map((i) => IGNORED[i]).join(" and ");
  return ignored ? `${named}, whatever the ${ignored}` : named;
}

/** An identity with all its parts. */
export function whole(identity: Identity): Required<Identity> {
  return {
    ways: identity.ways ?? [],
    article: identity.article ?? null,
    several: identity.several ?? "wait",
    rows: identity.rows ?? "refuse",
    unmatched: identity.unmatched ?? "new",
    new_key: identity.new_key ?? null,
  };
}

export const sameWay = (one: Way, other: Way) =>
  JSON.stringify([one.fields, [...(one.ignore ?? [])].sort()]) ===
  JSON.stringify([other.fields, [...(other.ignore ?? [])].sort()]);

export type KeyRule = NonNullable<Identity["new_key"]>;

/** "'N-' and a number from 100 on". */
export function keyInWords({ by, prefix, first, last }: KeyRule): string {
  const before = prefix ? `'${prefix}' and ` : "";
  if (by === "article") return `${before}the supplier's number`;
  return `${before}a number from ${first ?? 1} ${last === null || last === undefined ? "on" : `to ${last}`}`;
}
