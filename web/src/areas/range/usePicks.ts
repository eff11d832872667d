/** Picking that is said at once, and can be taken back. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { feedKey, freshen } from "../../api/hooks";
import { putPickRules, putPicks, type PickEdit, type PickRule, type RangePage } from "../../api/range";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";

const NAMED = 5;
const some = (all: string[]) =>
  all.slice(0, NAMED).join(", ") + (all.length > NAMED ? ` and ${all.length - NAMED} more` : "");

/** Picks articles, or rules that pick. */
export function usePicks(feed: number) {
  const queries = useQueryClient();
  const undo = useUndo();
  const about = { onError: undo.failed, onSettled: () => freshen(queries, feed) };
  const picks = useMutation({
    mutationFn: (edit: PickEdit) => putPicks(feed, edit),
    // A tick is seen at once, also while a page is under way that does not know of it yet; what the
    // server makes of it comes with the fresh page.
    onMutate: async ({ pick = true, articles }) => {
      const shown = { queryKey: [...feedKey(feed), "range-articles"] };
      await queries.cancelQueries(shown);
      queries.setQueriesData<RangePage>(shown, (page) =>
        page && articles
          ? {
              ...page,
              rows: page.rows.map((row) =>
                row.article !== null && articles.includes(row.article) && !row.by_rule
                  ? { ...row, picked: pick }
                  : row,
              ),
            }
          : page,
      );
    },
    onSuccess: ({ changed, articles, unknown }, edit) => {
      const did = edit.pick === false ? "no more picked" : "picked";
      const missing = unknown.length ? `; the range does not have ${some(unknown)}` : "";
      const back = async () => {
        await putPicks(feed, { pick: edit.pick === false, articles });
        await freshen(queries, feed);
      };
      // What cannot be named in one request is picked no more by the same filter.
      undo.did(
        `${count(changed, "article", "articles")} ${did}${missing}`,
        articles?.length ? back : undefined,
      );
    },
    ...about,
  });
  const rules = useMutation({
    mutationFn: ({ next }: { next: PickRule[]; label: string }) => putPickRules(feed, next),
    onSuccess: ({ rules: before }, { label }) =>
      undo.did(label, async () => {
        await putPickRules(feed, before);
        await freshen(queries, feed);
      }),
    ...about,
  });
  return {
    pick: (edit: PickEdit) => picks.mutate(edit),
    setRules: (next: PickRule[], label: string) => rules.mutate({ next, label }),
    busy: picks.isPending || rules.isPending,
  };
}
