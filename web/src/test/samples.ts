/** Small states of the server's, for tests. */
import type { Schemas } from "../api/client";
import type { BenchState, DeliveryLine, FeedLine, FieldState, RunView, StoreField } from "../api/hooks";
import type { FetchLine } from "../api/sources";

/** A field of the store. */
export function field(name: string, more: Partial<StoreField> = {}): StoreField {
  return { name, kind: "text", title: name[0]?.toUpperCase() + name.slice(1), ...more };
}

/** A field on the bench. */
export function state(
  name: string,
  more: Partial<FieldState> = {},
  of: Partial<StoreField> = {},
): FieldState {
  return {
    field: field(name, of),
    source: "",
    steps: [],
    columns: [],
    filled: 0,
    questions: 0,
    refused: 0,
    ...more,
  };
}

/** An arriving column. */
export function column(name: string, more: Partial<BenchState["columns"][number]> = {}) {
  return {
    name,
    filled: 10,
    rows: 10,
    distinct: 3,
    shortest: 1,
    longest: 8,
    frequent: [{ value: "x", count: 7 }],
    looks_like: "text",
    share: 1,
    odd: [],
    ...more,
  };
}

/** A small bench. */
export function bench(more: Partial<BenchState> = {}): BenchState {
  return {
    feed_id: 1,
    feed_name: "Weekly",
    supplier: "Quarrow Pigments",
    delivery_id: 7,
    file_name: "a.csv",
    rows: 10,
    sample_rows: 10,
    revision: 3,
    crosswalk: { fills: {}, parked: {}, left_out: [] },
    columns: [column("ArtNo"), column("Remark")],
    fields: [state("sku", {}, { required: true }), state("name"), state("spare_1", {}, { spare: true })],
    missing: {},
    undecided: ["ArtNo", "Remark"],
    suggestions: [
      {
        field: "sku",
        column: "ArtNo",
        score: 80,
        sure: true,
        shapes: false,
        reasons: ["same name"],
        fill: { parts: [{ column: "ArtNo" }], steps: [{ do: "trim" }] },
      },
    ],
    ...more,
  };
}

/** A delivery as the first screen lists it. */
export function delivery(more: Partial<DeliveryLine> = {}): DeliveryLine {
  return {
    id: 7,
    file_name: "week-1.csv",
    size: 60,
    received_at: new Date().toISOString(),
    status: "waiting",
    rows: 2,
    rows_before: null,
    columns: 2,
    problems: 0,
    unusual: 0,
    said: "",
    error: "",
    stage: "",
    because: "",
    complete: true,
    same_as: null,
    run_id: null,
    run_status: null,
    run_scope: "",
    breaches: 0,
    counts: {},
    ...more,
  };
}

/** A feed with its deliveries. */
export function feedLine(more: Partial<FeedLine> = {}): FeedLine {
  return {
    id: 1,
    name: "Weekly",
    supplier: "Quarrow Pigments",
    versions: 0,
    questions: 0,
    mapped: 1,
    needs: "calm",
    held: 0,
    joined_to: [],
    rows: [],
    prices: [],
    fetch: null,
    deliveries: [delivery()],
    ...more,
  };
}

/** A run of that feed. */
export function runView(more: Partial<RunView> = {}): RunView {
  return {
    id: 4,
    store_id: 1,
    feed_id: 1,
    feed: "Weekly",
    supplier: "Quarrow Pigments",
    delivery_id: 7,
    file_name: "week-1.csv",
    version: 2,
    kind: "delivery",
    undoes: null,
    author: "",
    status: "prepared",
    progress: 100,
    stage: "",
    first_row: null,
    last_row: null,
    counts: {},
    error: "",
    since: "",
    again: 0,
    moving: 0,
    waits: 0,
    picked_rows: false,
    scope: null,
    day: null,
    instead: { all: false, fields: [] },
    created_at: new Date().toISOString(),
    finished_at: null,
    log: [],
    ...more,
  };
}

/** What a changeset amounts to. */
export const summaryOf = (more: Partial<Schemas["ReviewSummary"]> = {}): Schemas["ReviewSummary"] => ({
  arrived: 1,
  fields: [],
  spreads: [],
  reasons: [],
  groupings: [],
  strange: [],
  made: null,
  ...more,
});

/** Of a run of whose lines nothing is decided. */
export const UNDECIDED = (writes = 1) => ({
  decisions: [],
  findings: [],
  writes,
  writing: { changed: writes },
  held: 0,
  declined: 0,
  remembers: false,
});

/** A look at where a feed's deliveries come from. */
export const look = (more: Partial<FetchLine> = {}): FetchLine => ({
  id: 5,
  because: "asked by hand",
  scope: "",
  by: "",
  status: "unchanged",
  stage: "",
  said: "list.csv: the same as before.",
  remedy: "",
  done: 0,
  total: null,
  files: [],
  deliveries: [],
  at: new Date().toISOString(),
  started_at: null,
  finished_at: null,
  ...more,
});
