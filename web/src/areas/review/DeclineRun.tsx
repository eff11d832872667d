/** A run that is not to be applied: it waits for nobody any more, until it is taken up again. */
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api/client";
import type { RunView } from "../../api/hooks";
import { Confirm } from "../../components/Confirm";
import { useUndo } from "../../shell/undo";

/** Declines a prepared run, or takes a declined one up again. */
export function DeclineRun({ run }: { run: RunView }) {
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState("");
  const queries = useQueryClient();
  const undo = useUndo();
  const path = { run_id: run.id };
  const settled = () =>
    Promise.all(
      ["run", "runs", "arrivals", "review"].map((key) => queries.invalidateQueries({ queryKey: [key] })),
    );
  const takeUp = useMutation({
    mutationFn: () => take(api.POST("/api/v1/runs/{run_id}/take-up", { params: { path } })),
    onError: undo.failed,
    onSettled: settled,
  });
  const decline = useMutation({
    mutationFn: () => take(api.POST("/api/v1/runs/{run_id}/decline", { params: { path }, body: { reason } })),
    onSuccess: () => {
      setAsking(false);
      undo.did(`Run ${run.id} declined`, () => takeUp.mutateAsync());
    },
    onSettled: settled,
  });
  if (run.status === "declined")
    return (
      <Button
        variant="outlined"
        color="inherit"
        disabled={takeUp.isPending}
        onClick={() => takeUp.mutate()}
        sx={{ whiteSpace: "nowrap" }}
      >
        Take it up again
      </Button>
    );
  if (run.status !== "prepared" || run.kind === "dated") return null;
  return (
    <>
      <Button color="inherit" onClick={() => setAsking(true)} sx={{ whiteSpace: "nowrap" }}>
        Decline all
      </Button>
      {asking && (
        <Confirm
          title={`Decline run ${run.id}`}
          action="Decline all of it"
          busy={decline.isPending}
          error={decline.error}
          onClose={() => setAsking(false)}
          onYes={() => decline.mutate()}
        >
          <Typography>
            Nothing of it is written, and it waits for nobody any more. What is decided of its lines is kept;
            it can be taken up again.
          </Typography>
          <TextField
            autoFocus
            fullWidth
            label="Why (optional)"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 500 } }}
          />
        </Confirm>
      )}
    </>
  );
}
