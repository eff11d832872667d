/** Edits of a crosswalk. They go to the server one after the other, each made on what the one
 *  before has left, and each can be taken back. */
import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { Refusal } from "../../api/client";
import {
  feedKey,
  getBench,
  makeDated,
  makeFill,
  postAssumption,
  putDraft,
  type Assumption,
  type BenchState,
  type Crosswalk,
  type Fill,
  type Identity,
  type Suggestion,
} from "../../api/hooks";
import { useUndo } from "../../shell/undo";
import { carried, differences } from "./merge";
import { inWords, type Policy } from "./PolicyLine";

export interface Edits {
  /** Fills a field from a column, with the steps that its values need. */
  fillFrom: (field: string, column: string, label: string) => Promise<void>;
  /** A person's word for what the fills of these fields take for granted. */
  state: (fields: string[], about: Assumption["about"], choice: string) => Promise<void>;
  /** From which day on a field's values hold: that in a column, or at once. */
  since: (field: string, column: string, label: string) => Promise<void>;
  setFill: (field: string, fill: Fill | null, label: string) => Promise<void>;
  park: (column: string, label: string) => Promise<void>;
  leaveOut: (column: string, out: boolean) => Promise<void>;
  /** Leaves many columns out together; those that something uses stay as they are. */
  leaveOutAll: (columns: string[]) => Promise<void>;
  /** Parks many columns together, if so many spare fields are free. */
  parkAll: (columns: string[]) => Promise<void>;
  /** Takes many suggestions together. */
  fillAll: (suggestions: Suggestion[]) => Promise<void>;
  /** What the runs of the feed may do. */
  allow: (policy: Policy) => Promise<void>;
  /** How rows find their products. */
  identify: (identity: Identity, label: string) => Promise<void>;
}

type Work = (now: BenchState) => Promise<BenchState>;
type Change = (crosswalk: Crosswalk, bench: BenchState) => Crosswalk;

/** The last edit of each feed that is under way. */
const underWay = new Map<number, Promise<unknown>>();

function inTurn<T>(feed: number, work: () => Promise<T>): Promise<T> {
  const turn = (underWay.get(feed) ?? Promise.resolve()).catch(() => undefined).then(work);
  underWay.set(feed, turn);
  return turn;
}

const benchKey = (bench: BenchState, delivery: number) =>
  [...feedKey(bench.feed_id), "bench", delivery] as const;

/** Shows the bench as the server answered, and asks again for all that hangs on it. */
async function show(queries: QueryClient, state: BenchState) {
  queries.setQueryData(benchKey(state, state.delivery_id), state);
  await Promise.all([
    queries.invalidateQueries({
      queryKey: feedKey(state.feed_id),
      predicate: (query) => query.queryKey[2] !== "bench",
    }),
    // What waits elsewhere is asked for when that place is opened, not with every edit.
    queries.invalidateQueries({ queryKey: ["arrivals"], refetchType: "none" }),
  ]);
}

const isEditedElsewhere = (error: unknown) =>
  error instanceof Refusal && error.problem.status === 409 && error.message.includes("edited elsewhere");

/** What an edit is about; one that cannot be made is about nothing, and says so when it is sent. */
function quietly(about: () => string[]): string[] {
  try {
    return about();
  } catch {
    return [];
  }
}

/** The edits of one bench. */
export function useEdits(bench: BenchState): Edits {
  const queries = useQueryClient();
  const undo = useUndo();
  return useMemo(() => {
    const feed = bench.feed_id;
    const newest = () => queries.getQueryData<BenchState>(benchKey(bench, bench.delivery_id)) ?? bench;

    const done = async (before: BenchState, work: Work, label: string) => {
      const state = await work(before);
      const shown = show(queries, state);
      // What is done next, while the rest is asked for again, is taken back before this.
      undo.did(label, () => inTurn(feed, () => restore(state.crosswalk, before.crosswalk)));
      await shown;
    };
    const send = (work: Work, label: string, touches: string[]) =>
      inTurn(feed, async () => {
        const before = newest();
        try {
          await done(before, work, label);
        } catch (error) {
          if (isEditedElsewhere(error)) return again(before, work, label, touches);
          undo.failed(error);
          await queries.invalidateQueries({ queryKey: feedKey(feed) });
        }
      });
    /** Somebody else was quicker: the edit is made on what is there now, unless both are about the
     *  same; then it is kept at hand. */
    const again = async (before: BenchState, work: Work, label: string, touches: string[]) => {
      try {
        const now = await getBench(feed, bench.delivery_id);
        await show(queries, now);
        const theirs = differences(before.crosswalk, now.crosswalk);
        const title = (name: string) => now.fields.find((f) => f.field.name === name)?.field.title || name;
        const told = theirs.map(title).join(", ") || "something";
        if (theirs.some((name) => touches.includes(name)))
          undo.offer(
            `${told} was changed elsewhere meanwhile. Yours is not kept yet: ${label}`,
            "Put mine",
            () => inTurn(feed, () => done(newest(), work, label)),
          );
        else await done(now, work, `${label}. Elsewhere meanwhile: ${told}`);
      } catch (error) {
        undo.failed(error);
      }
    };
    /** Takes back what an edit has changed, and nothing that came since. */
    const restore = async (after: Crosswalk, before: Crosswalk) => {
      const now = newest();
      const crosswalk = carried(now.crosswalk, after, before);
      return show(queries, await putDraft(feed, crosswalk, now.revision, bench.delivery_id));
    };
    const save = (change: Change, label: string) => {
      const touches = () => differences(newest().crosswalk, change(newest().crosswalk, newest()));
      return send(
        (now) => putDraft(feed, change(now.crosswalk, now), now.revision, now.delivery_id),
        label,
        quietly(touches),
      );
    };

    const put = (field: string, make: typeof makeFill, column: string, label: string) =>
      send(
        async (now) => {
          const fill = await make(feed, field, column, now.delivery_id);
          const crosswalk = { ...now.crosswalk, fills: { ...now.crosswalk.fills, [field]: fill } };
          return putDraft(feed, crosswalk, now.revision, now.delivery_id);
        },
        label,
        [field],
      );

    return {
      setFill: (field, fill, label) =>
        save((crosswalk) => {
          const fills = { ...crosswalk.fills };
          if (fill) fills[field] = fill;
          else delete fills[field];
          return { ...crosswalk, fills };
        }, label),
      fillFrom: (field, column, label) => put(field, makeFill, column, label),
      since: (field, column, label) => put(field, makeDated, column, label),
      state: (fields, about, choice) =>
        send(
          (now) => postAssumption(feed, now.delivery_id, { fields, about, choice, revision: now.revision }),
          choice ? `Read as ${choice}` : "As it is",
          fields,
        ),
      park: (column, label) => save((crosswalk, now) => parked(crosswalk, now, column), label),
      leaveOut: (column, out) =>
        save(
          (crosswalk) => {
            const next = forgotten(crosswalk, column);
            return out ? { ...next, left_out: [...(next.left_out ?? []), column] } : next;
          },
          out ? `'${column}' is not used` : `'${column}' is open again`,
        ),
      leaveOutAll: (columns) =>
        save((crosswalk, now) => {
          const open = columns.filter((column) => now.undecided.includes(column));
          return { ...crosswalk, left_out: [...(crosswalk.left_out ?? []), ...open] };
        }, `${columns.length} columns are not used`),
      parkAll: (columns) =>
        save((crosswalk, now) => parkedAll(crosswalk, now, columns), `Parked ${columns.length} columns`),
      fillAll: (suggestions) =>
        send(
          (now) => {
            const fills = Object.fromEntries(suggestions.map((s) => [s.field, s.fill]));
            const crosswalk = { ...now.crosswalk, fills: { ...now.crosswalk.fills, ...fills } };
            return putDraft(feed, crosswalk, now.revision, now.delivery_id, Object.keys(fills));
          },
          `Took ${suggestions.length} suggestions`,
          suggestions.map((s) => s.field),
        ),
      identify: (identity, label) => save((crosswalk) => ({ ...crosswalk, identity }), label),
      allow: (policy) => save((crosswalk) => ({ ...crosswalk, policy }), `The feed ${inWords(policy)}`),
    };
  }, [bench, queries, undo]);
}

/** The crosswalk without any decision about a column that nothing uses. */
export function forgotten(crosswalk: Crosswalk, column: string): Crosswalk {
  const parked = { ...crosswalk.parked };
  delete parked[column];
  return {
    ...crosswalk,
    parked,
    left_out: (crosswalk.left_out ?? []).filter((c) => c !== column),
  };
}

function parkedAll(crosswalk: Crosswalk, bench: BenchState, columns: string[]): Crosswalk {
  const used = new Set([...Object.values(crosswalk.parked ?? {}), ...Object.keys(crosswalk.fills ?? {})]);
  const free = bench.fields.filter((f) => f.field.spare && !used.has(f.field.name)).length;
  if (free < columns.length) {
    const left = free === 0 ? "No spare field is" : `Only ${free} spare fields are`;
    throw new Error(`${left} free for ${columns.length} columns; leave some out, or add some under Store.`);
  }
  return columns.reduce((next, column) => parked(next, bench, column), crosswalk);
}

function parked(crosswalk: Crosswalk, bench: BenchState, column: string): Crosswalk {
  const used = new Set([...Object.values(crosswalk.parked ?? {}), ...Object.keys(crosswalk.fills ?? {})]);
  const spare = bench.fields.find((f) => f.field.spare && !used.has(f.field.name));
  if (!spare) throw new Error("No spare field is free; leave the column out, or add one under Store.");
  const next = forgotten(crosswalk, column);
  return { ...next, parked: { ...next.parked, [column]: spare.field.name } };
}
