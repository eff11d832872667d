/** The numbers of a product at each moment at which one of them changes. */
import type { Schemas } from "../../api/client";
import type { StoreField } from "../../api/hooks";

/** From `at` on (milliseconds) these values hold, until the next moment. */
export interface Moment {
  at: number;
  values: Record<string, string | undefined>;
  /** The fields that change here. */
  moved: string[];
  run: number | null;
  /** It is still to come. */
  waits: boolean;
}

/** Those of the fields that were ever filled, and the moments, the first one first. */
export function momentsOf(detail: Schemas["ProductDetail"], fields: StoreField[], most: number) {
  const named = new Set(fields.map((field) => field.name));
  const past: Moment[] = [];
  // Backwards from what holds today: each change tells what was before it.
  const values: Moment["values"] = pick(detail.product.content, named);
  for (const entry of detail.history) {
    if (entry.undone_by !== null) continue;
    const own = entry.changes.filter((change) => named.has(change.field));
    if (entry.kind !== "new" && !own.length) continue;
    const moved = own.map((change) => change.field);
    past.unshift({ at: Date.parse(entry.at), values: { ...values }, moved, run: entry.run_id, waits: false });
    for (const { field, before } of own) values[field] = before ?? undefined;
  }
  // A product that was there before all runs: what it held until the first of them.
  const made = detail.history.some((entry) => entry.kind === "new" && entry.undone_by === null);
  const first = past[0];
  if (!made && first)
    past.unshift({ ...first, at: first.at - DAY, values: { ...values }, moved: [], run: null });
  const moments = [...past, ...ahead(detail, named)];
  const filled = (field: StoreField) => moments.some((one) => one.values[field.name] !== undefined);
  return { shown: fields.filter(filled).slice(0, most), moments };
}

const DAY = 86_400_000;

/** What waits, day by day, upon what holds today. */
function ahead(detail: Schemas["ProductDetail"], named: Set<string>): Moment[] {
  const waiting = detail.dated.filter((line) => !line.reason && named.has(line.field));
  const values: Moment["values"] = pick(detail.product.content, named);
  const days = [...new Set(waiting.map((line) => line.day))].sort();
  return days.map((day) => {
    const own = waiting.filter((line) => line.day === day);
    for (const { field, value } of own) values[field] = value ?? undefined;
    const at = Date.parse(`${day}T00:00:00Z`);
    return { at, values: { ...values }, moved: own.map((line) => line.field), run: null, waits: true };
  });
}

const pick = (content: Record<string, string>, named: Set<string>) =>
  Object.fromEntries(Object.entries(content).filter(([field]) => named.has(field)));
