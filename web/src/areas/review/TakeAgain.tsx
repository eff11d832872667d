/** A product that was declined before is made after all: the run is prepared again by that. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import type { RunView } from "../../api/hooks";
import { useUndo } from "../../shell/undo";

export function TakeAgain({ run, row }: { run: RunView; row: number }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const again = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/runs/{run_id}/taken-again", {
          params: { path: { run_id: run.id } },
          body: { row },
        }),
      ),
    onError: undo.failed,
    onSettled: () =>
      Promise.all(["run", "review"].map((key) => queries.invalidateQueries({ queryKey: [key, run.id] }))),
  });
  return (
    <button
      type="button"
      className="plain-button quiet"
      style={{ fontSize: 12 }}
      aria-label={`Make the product of row ${row} after all`}
      disabled={again.isPending}
      onClick={(event) => {
        event.stopPropagation();
        again.mutate();
      }}
    >
      Make it after all
    </button>
  );
}
