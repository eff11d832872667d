/** Edits of a crosswalk. Each sends the whole document with its revision and can be taken back. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, take } from "../../api/client";
import { feedKey, putDraft, type BenchState, type Crosswalk, type Fill } from "../../api/hooks";
import { useUndo } from "../../shell/undo";
import { SURE } from "./FieldList";

export interface Edits {
  setFill: (field: string, fill: Fill | null, label: string) => Promise<void>;
  park: (column: string, label: string) => Promise<void>;
  leaveOut: (column: string, out: boolean) => Promise<void>;
  acceptAll: () => void;
}

export function useEdits(bench: BenchState): Edits {
  const queries = useQueryClient();
  const undo = useUndo();
  return useMemo(() => {
    const feed = bench.feed_id;
    const refresh = () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: feedKey(feed) }),
        queries.invalidateQueries({ queryKey: ["arrivals"] }),
      ]);
    /** Puts back an older document on whatever revision stands now. */
    const restore = (before: Crosswalk) => async () => {
      const now = await take(
        api.GET("/api/v1/feeds/{feed_id}/bench", { params: { path: { feed_id: feed } } }),
      );
      await putDraft(feed, before, now.revision);
      await refresh();
    };
    const before = bench.crosswalk;
    const send = async (work: () => Promise<unknown>, label: string) => {
      try {
        await work();
        undo.did(label, restore(before));
      } catch (error) {
        undo.failed(error);
      }
      await refresh();
    };
    const save = (next: Crosswalk, label: string) =>
      send(() => putDraft(feed, next, bench.revision), label);
    const forget = (column: string): Crosswalk => {
      const parked = { ...before.parked };
      delete parked[column];
      return {
        ...before,
        parked,
        left_out: (before.left_out ?? []).filter((c) => c !== column),
      };
    };
    return {
      setFill: (field, fill, label) => {
        const fills = { ...before.fills };
        if (fill) fills[field] = fill;
        else delete fills[field];
        return save({ ...before, fills }, label);
      },
      park: (column, label) => {
        const used = new Set([
          ...Object.values(before.parked ?? {}),
          ...Object.keys(before.fills ?? {}),
        ]);
        const spare = bench.fields.find((f) => f.field.spare && !used.has(f.field.name));
        if (!spare) {
          undo.failed(new Error("No spare field is free; leave the column out, or free one."));
          return Promise.resolve();
        }
        const next = forget(column);
        return save({ ...next, parked: { ...next.parked, [column]: spare.field.name } }, label);
      },
      leaveOut: (column, out) => {
        const next = forget(column);
        const left_out = out ? [...(next.left_out ?? []), column] : next.left_out;
        return save(
          { ...next, left_out },
          out ? `'${column}' is left out` : `'${column}' is open again`,
        );
      },
      acceptAll: () =>
        void send(
          () =>
            take(
              api.POST("/api/v1/feeds/{feed_id}/suggestions/accept", {
                params: { path: { feed_id: feed } },
                body: { least: SURE },
              }),
            ),
          "Accepted the sure suggestions",
        ),
    };
  }, [bench, queries, undo]);
}
