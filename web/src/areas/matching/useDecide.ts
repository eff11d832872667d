/** Decisions about articles that are said at once, and can be taken back whatever is shown by then. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { freshen } from "../../api/hooks";
import { putPairings, sendPairings, type ArticleDecision } from "../../api/matching";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";

export type Decide = (decisions: ArticleDecision[], label: string) => void;

/** Puts decisions back. */
function usePutBack(feed: number) {
  const queries = useQueryClient();
  return async (before: ArticleDecision[]) => {
    await putPairings(feed, before);
    await freshen(queries, feed);
  };
}

/** Decides, and says so under the label. */
export function useDecide(feed: number): Decide {
  const queries = useQueryClient();
  const undo = useUndo();
  const putBack = usePutBack(feed);
  const edit = useMutation({
    mutationFn: ({ decisions }: { decisions: ArticleDecision[]; label: string }) =>
      putPairings(feed, decisions),
    // Before what it changes is asked for again: the row may be out of sight when that is there.
    onSuccess: ({ before }, { label }) => undo.did(label, () => putBack(before)),
    onError: undo.failed,
    onSettled: () => freshen(queries, feed),
  });
  return (decisions, label) => edit.mutate({ decisions, label });
}

/** Takes the decisions of a CSV file; what is wrong in it is told beside the button. */
export function useTakePairings(feed: number) {
  const queries = useQueryClient();
  const undo = useUndo();
  const putBack = usePutBack(feed);
  return useMutation({
    mutationFn: (file: File) => sendPairings(feed, file),
    onSuccess: ({ taken, before }, file) =>
      undo.did(`Took ${count(taken, "decision", "decisions")} from ${file.name}`, () => putBack(before)),
    onSettled: () => freshen(queries, feed),
  });
}
