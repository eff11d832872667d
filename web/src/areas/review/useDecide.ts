/** Deciding lines of a run, each decision to be taken back by one key. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { dropDecision, postDecision, useDecisions, type Verdict } from "../../api/deciding";
import type { RunView } from "../../api/hooks";
import { useUndo } from "../../shell/undo";

/** Decides, and takes decisions back. */
export function useDecide(run: RunView) {
  const queries = useQueryClient();
  const undo = useUndo();
  const fresh = () => queries.invalidateQueries({ queryKey: ["review", run.id] });
  const [remember, setRemember] = useState(false);
  const drop = useMutation({
    mutationFn: (decision: number) => dropDecision(run.id, decision),
    onError: undo.failed,
    onSettled: fresh,
  });
  const decide = useMutation({
    mutationFn: ({ verdict }: { verdict: Verdict; label: string }) => postDecision(run.id, verdict),
    onSuccess: ({ id }, { label }) => undo.did(label, () => drop.mutateAsync(id)),
    onError: undo.failed,
    onSettled: fresh,
  });
  return {
    decide: (verdict: Verdict, label: string) =>
      decide.mutate({
        verdict: remember && verdict.verdict === "decline" ? { ...verdict, remember } : verdict,
        label,
      }),
    /** What is declined stays so until its supplier says something else. */
    remember,
    setRemember,
    drop: (decision: number) => drop.mutate(decision),
    busy: decide.isPending || drop.isPending,
  };
}

/** The decisions of a run. Where somebody else has decided, its lines are asked for again. */
export function useSharedDecisions(run: RunView) {
  const queries = useQueryClient();
  const decisions = useDecisions(run);
  const ids = decisions.data?.decisions.map((one) => one.id).join(" ");
  const seen = useRef(ids);
  useEffect(() => {
    if (seen.current !== undefined && seen.current !== ids)
      void queries.invalidateQueries({
        queryKey: ["review", run.id],
        predicate: (query) => query.queryKey[2] !== "decisions" && query.queryKey[2] !== "summary",
      });
    seen.current = ids;
  }, [ids, queries, run.id]);
  return decisions;
}
