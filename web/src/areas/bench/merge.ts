/** What differs between two states of a crosswalk, and the same difference carried to a third: two
 *  people edit one crosswalk, and neither loses what the other did. */
import type { Crosswalk } from "../../api/hooks";

type Part = keyof Crosswalk;

const PARTS: Part[] = ["fills", "parked"];

const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);
const entries = (walk: Crosswalk, part: Part) => (walk[part] ?? {}) as Record<string, unknown>;
const others = (a: Crosswalk, b: Crosswalk) =>
  [...new Set([...Object.keys(a), ...Object.keys(b)])].filter(
    (part) => ![...PARTS, "left_out"].includes(part as Part),
  ) as Part[];

function keysOf(a: Crosswalk, b: Crosswalk, part: Part): string[] {
  const [one, other] = [entries(a, part), entries(b, part)];
  return [...new Set([...Object.keys(one), ...Object.keys(other)])].filter(
    (key) => !same(one[key], other[key]),
  );
}

/** The parts that differ: a field's fill by the field's name, a column as 'column …', the rest by
 *  what it is called in the document. */
export function differences(a: Crosswalk, b: Crosswalk): string[] {
  const out = new Set(a.left_out ?? []);
  const now = new Set(b.left_out ?? []);
  const columns = [
    ...keysOf(a, b, "parked"),
    ...[...out, ...now].filter((column) => out.has(column) !== now.has(column)),
  ];
  return [
    ...keysOf(a, b, "fills"),
    ...[...new Set(columns)].map((column) => `column ${column}`),
    ...others(a, b).filter((part) => !same(a[part], b[part])),
  ];
}

/** `base` with all that differs from `from` to `to`. */
export function carried(base: Crosswalk, from: Crosswalk, to: Crosswalk): Crosswalk {
  const next = { ...base } as Record<string, unknown>;
  for (const part of PARTS) {
    const kept = { ...entries(base, part) };
    for (const key of keysOf(from, to, part)) {
      if (key in entries(to, part)) kept[key] = entries(to, part)[key];
      else delete kept[key];
    }
    next[part] = kept;
  }
  const [before, after] = [new Set(from.left_out ?? []), new Set(to.left_out ?? [])];
  const left = (base.left_out ?? []).filter((column) => !before.has(column) || after.has(column));
  next.left_out = [...left, ...[...after].filter((column) => !before.has(column) && !left.includes(column))];
  for (const part of others(from, to)) if (!same(from[part], to[part])) next[part] = to[part];
  return next as Crosswalk;
}
