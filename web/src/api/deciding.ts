/** What people decide of the lines of a run, before it is applied. */
import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import type { RunView } from "./hooks";

export type Decisions = Schemas["RunDecisions"];
export type Verdict = Schemas["Verdict"];

/** Whether lines of a run can be decided: once they are prepared, and until they are applied. */
export const isOpen = (run: RunView) => run.kind === "delivery" && run.status === "prepared";

/** The decisions of a run; asked for again while it is open, as others may decide, too. */
export function useDecisions(run: RunView) {
  return useQuery({
    queryKey: ["review", run.id, "decisions"],
    enabled: run.kind === "delivery" && Object.keys(run.counts).length > 0,
    refetchInterval: isOpen(run) ? 5_000 : false,
    queryFn: () => take(api.GET("/api/v1/runs/{run_id}/decisions", { params: { path: { run_id: run.id } } })),
  });
}

/** Keeps a decision; gives its number. */
export const postDecision = (run: number, body: Verdict) =>
  take(api.POST("/api/v1/runs/{run_id}/decisions", { params: { path: { run_id: run } }, body }));

/** A decision does not count any more. */
export const dropDecision = (run: number, decision: number) =>
  take(
    api.DELETE("/api/v1/runs/{run_id}/decisions/{decision_id}", {
      params: { path: { run_id: run, decision_id: decision } },
    }),
  );
