/** Asks before a run is taken back, saying what that touches. */
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { api, take } from "../../api/client";
import { Confirm } from "../../components/Confirm";
import { Waiting } from "../../components/states";
import { count } from "../../components/words";

interface UndoRunProps {
  run: number;
  onYes: () => void;
  onClose: () => void;
}

const MOST = 5;

const shown = (names: string[]) =>
  names.slice(0, MOST).join(", ") + (names.length > MOST ? " …" : "");

/** The question, with the products that go back and those that go. */
export function UndoRun({ run, onYes, onClose }: UndoRunProps) {
  const touch = useQuery({
    queryKey: ["run", run, "undo"],
    gcTime: 0,
    queryFn: () => take(api.GET("/api/v1/runs/{run_id}/undo", { params: { path: { run_id: run } } })),
  });
  return (
    <Confirm
      title={`Undo run ${run}?`}
      action="Undo it"
      ready={touch.isSuccess}
      error={touch.error}
      onYes={onYes}
      onClose={onClose}
    >
      {touch.isPending && <Waiting what="what it touches" />}
      {touch.data && (
        <>
          <Typography>
            {count(touch.data.put_back, "product gets", "products get")} back what{" "}
            {touch.data.put_back === 1 ? "it" : "they"} had before;{" "}
            {count(touch.data.taken_out, "product", "products")} that the run made{" "}
            {touch.data.taken_out === 1 ? "goes" : "go"}. The run and its changeset stay.
          </Typography>
          {touch.data.later.length > 0 && (
            <Typography color="warning">
              What later runs wrote stays ({shown(touch.data.later.map((t) => `${t.key}: ${t.field}`))}).
              Taking those back gives the values from before this run.
            </Typography>
          )}
          {touch.data.stay.length > 0 && (
            <Typography color="warning">
              Products that the run made and a later one changed stay ({shown(touch.data.stay)}).
            </Typography>
          )}
        </>
      )}
    </Confirm>
  );
}
