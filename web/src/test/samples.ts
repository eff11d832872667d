/** Small states of the server's, for tests. */
import type { BenchState, FieldState, StoreField } from "../api/hooks";

export function field(name: string, more: Partial<StoreField> = {}): StoreField {
  return { name, kind: "text", title: name[0]?.toUpperCase() + name.slice(1), ...more };
}

export function state(name: string, more: Partial<FieldState> = {}, of: Partial<StoreField> = {}): FieldState {
  return { field: field(name, of), source: "", steps: [], columns: [], filled: 0, questions: 0, refused: 0, ...more };
}

export function column(name: string, more: Partial<BenchState["columns"][number]> = {}) {
  return {
    name, filled: 10, rows: 10, distinct: 3, shortest: 1, longest: 8,
    frequent: [{ value: "x", count: 7 }], looks_like: "text", share: 1, odd: [], ...more,
  };
}

export function bench(more: Partial<BenchState> = {}): BenchState {
  return {
    feed_id: 1, feed_name: "Weekly", supplier: "Quarrow Pigments", delivery_id: 7, file_name: "a.csv",
    rows: 10, sample_rows: 10, revision: 3,
    crosswalk: { fills: {}, parked: {}, left_out: [] },
    columns: [column("ArtNo"), column("Remark")],
    fields: [state("sku", {}, { required: true }), state("name"), state("spare_1", {}, { spare: true })],
    missing: {}, undecided: ["ArtNo", "Remark"],
    suggestions: [
      { field: "sku", column: "ArtNo", score: 80, reasons: ["same name"], fill: { parts: [{ column: "ArtNo" }], steps: [{ do: "trim" }] } },
    ],
    ...more,
  };
}
