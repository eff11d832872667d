/** What a run is, how it stands, and what can be done with it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take } from "../../api/client";
import { useAskContrast } from "../../api/contrasts";
import type { Decisions } from "../../api/deciding";
import { isBusy, type RunView } from "../../api/hooks";
import { count, onDay, titleOf, trialOf } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { besideAddress } from "../contrast/InShort";
import { DeclineRun } from "./DeclineRun";
import { RunFiles } from "./RunFiles";
import { willDo } from "./willDo";

const SAYS: Record<string, string> = {
  queued: "waiting for a worker",
  preparing: "preparing",
  prepared: "prepared; the catalog is as it was",
  applying: "writing to the catalog",
  applied: "applied to the catalog",
  undone: "undone; what it changed is as before",
  failed: "could not be prepared",
  stopped: "stopped; nothing was changed",
  declined: "declined; the catalog is as it was",
};
/** The rows of a changeset that write something, and what writing them is called. */
const WRITTEN = ["new", "changed", "taken out", "put back"];
const DOES = {
  delivery: "Apply to",
  edit: "Apply to",
  undo: "Take back",
  restore: "Restore",
  dated: "Apply to",
} as const;

interface RunHeadingProps {
  run: RunView;
  /** What is decided of it; undefined where nothing can be. */
  decisions: Decisions | undefined;
}

/** The run in words; apply it, stop it, take it back. */
export function RunHeading({ run, decisions }: RunHeadingProps) {
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 1.5,
        px: 1.5,
        py: 1,
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h2" component="h1" noWrap>
          {titleOf(run)}
        </Typography>
        <Standing run={run} />
        {run.status === "prepared" && (
          <Typography variant="caption" component="div">
            {willDo(run, decisions)}
          </Typography>
        )}
        {run.status === "declined" && (
          <Typography variant="caption" component="div">
            {run.log.at(-1)?.text}
          </Typography>
        )}
      </Box>
      <Box sx={{ flex: 1 }} />
      {run.feed_id !== null && (
        <Button
          component={Link}
          color="inherit"
          to={`/s/${run.store_id}/feeds/${run.feed_id}/bench?delivery=${run.delivery_id}`}
        >
          Bench
        </Button>
      )}
      {Object.keys(run.counts).length > 0 && <RunFiles run={run} />}
      <DeclineRun run={run} />
      <Doing run={run} decisions={decisions} />
    </Box>
  );
}

function Standing({ run }: { run: RunView }) {
  return (
    <Typography variant="caption" color="textSecondary" component="div" noWrap>
      Run {run.id} ·{" "}
      {run.undoes === null ? (
        run.version !== null && (
          <>
            crosswalk version {run.version}
            {run.status === "prepared" && <Anew run={run} />} ·{" "}
          </>
        )
      ) : (
        <>
          takes back <Link to={`/s/${run.store_id}/runs/${run.undoes}`}>run {run.undoes}</Link> ·{" "}
        </>
      )}
      {trialOf(run) && `${trialOf(run)} · `}
      {run.day && run.kind === "delivery" && `prices from ${onDay(run.day)} on · `}
      {run.waits > 0 &&
        `${count(run.waits, "value waits", "values wait")} ${
          run.kind === "undo" ? "for their day no more, or again" : "for their day"
        } · `}
      <span role="status">
        {isBusy(run.status) && run.stage ? `${SAYS[run.status]}: ${run.stage}` : SAYS[run.status]}
      </span>
    </Typography>
  );
}

/** Prepares it again, by the crosswalk and its look-ups as they are now. */
function Anew({ run }: { run: RunView }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const anew = useMutation({
    mutationFn: () => take(api.POST("/api/v1/runs/{run_id}/anew", { params: { path: { run_id: run.id } } })),
    onError: undo.failed,
    onSettled: () => queries.invalidateQueries({ queryKey: ["run", run.id] }),
  });
  return (
    <>
      {" "}
      <button
        type="button"
        className="plain-button"
        title="By the crosswalk, its tables and the reading as they are now; what is decided stays"
        disabled={anew.isPending}
        onClick={() => anew.mutate()}
      >
        (prepare again)
      </button>{" "}
      {run.feed_id !== null && run.version !== null && (
        <BesideDraft run={run} feed={run.feed_id} version={run.version} />
      )}
    </>
  );
}

/** What the crosswalk as it is by now would make of the same delivery. */
function BesideDraft({ run, feed, version }: { run: RunView; feed: number; version: number }) {
  const undo = useUndo();
  const navigate = useNavigate();
  const ask = useAskContrast(feed, run.delivery_id);
  const sides = { before: { version }, after: { version: 0 } };
  return (
    <button
      type="button"
      className="plain-button"
      title="What the draft makes of this delivery, beside this version; nothing is prepared"
      disabled={ask.isPending}
      onClick={() =>
        ask.mutate(sides, {
          onSuccess: (made) => navigate(besideAddress(run.store_id, feed, made.id)),
          onError: undo.failed,
        })
      }
    >
      (beside the draft)
    </button>
  );
}

function Doing({ run, decisions }: RunHeadingProps) {
  const queries = useQueryClient();
  const undo = useUndo();
  const navigate = useNavigate();
  const [snapshot, setSnapshot] = useState(false);
  const takeBack = useMutation({
    mutationFn: (target: number) =>
      take(api.POST("/api/v1/runs/{run_id}/undo", { params: { path: { run_id: target } } })),
    onError: undo.failed,
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["run", made.id] });
      await queries.invalidateQueries({ queryKey: ["review", made.id] });
      return navigate(`/s/${run.store_id}/runs/${made.id}`);
    },
  });
  const settled = () => queries.invalidateQueries({ queryKey: ["run", run.id] });
  const path = { run_id: run.id };
  const apply = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/runs/{run_id}/apply", { params: { path, query: { snapshot_first: snapshot } } }),
      ),
    onError: undo.failed,
    onSettled: settled,
  });
  const stop = useMutation({
    mutationFn: () => take(api.POST("/api/v1/runs/{run_id}/stop", { params: { path } })),
    onError: undo.failed,
    onSettled: settled,
  });
  const all = WRITTEN.reduce((sum, status) => sum + (run.counts[status] ?? 0), run.moving);
  const write = decisions?.writes ?? all;
  // Even where nothing is written, what was declined is kept in mind for the deliveries to come.
  const remembers = decisions?.remembers ?? false;
  const stopped = decisions?.findings.some((one) => one.holds === "run" && one.open) ?? false;
  const prepared = run.status === "prepared";
  return (
    <>
      {run.status === "applied" && (
        <Button
          variant="outlined"
          color="inherit"
          disabled={takeBack.isPending}
          onClick={() => takeBack.mutate(run.id)}
        >
          Undo this run
        </Button>
      )}
      {isBusy(run.status) && (
        <Button variant="outlined" color="inherit" onClick={() => stop.mutate()}>
          Stop
        </Button>
      )}
      {prepared && run.undoes !== null && run.error && (
        <Button
          variant="outlined"
          color="inherit"
          disabled={takeBack.isPending}
          onClick={() => takeBack.mutate(run.undoes ?? 0)}
        >
          Prepare it again
        </Button>
      )}
      {prepared && (
        <>
          <FormControlLabel
            control={
              <Checkbox size="small" checked={snapshot} onChange={(e) => setSnapshot(e.target.checked)} />
            }
            label="Snapshot first"
            title="Keeps the whole catalog as it is right before"
            sx={{ mr: 0, whiteSpace: "nowrap" }}
          />
          <Button
            variant="contained"
            disabled={apply.isPending || (!write && !remembers) || stopped}
            title={stopped ? "A guard holds this run: let it through first." : undefined}
            onClick={() => apply.mutate()}
            sx={{ flex: "none" }}
          >
            {write || !remembers
              ? `${DOES[run.kind]} ${count(write, "product", "products")}`
              : "Keep what is declined"}
          </Button>
        </>
      )}
    </>
  );
}
