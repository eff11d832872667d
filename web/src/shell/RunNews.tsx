/** How runs have ended that one went away from, said wherever one is. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useQueries, useQuery } from "@tanstack/react-query";
import { useEffect, useSyncExternalStore } from "react";
import { Link, useLocation } from "react-router";
import { isBusy, runQuery, type RunView } from "../api/hooks";
import { titleOf } from "../components/words";
import { watching } from "./watching";

const ENDS: Record<string, string> = {
  prepared: "is prepared",
  applied: "is applied",
  undone: "is undone",
  failed: "could not be prepared",
  stopped: "was stopped",
};

/** A link for each run that has ended elsewhere. */
export function RunNews({ store }: { store: number }) {
  const watched = useSyncExternalStore(watching.subscribe, watching.runs);
  const here = Number(/\/runs\/(\d+)/.exec(useLocation().pathname)?.[1]);
  const runs = useQueries({ queries: watched.filter((run) => run !== here).map(runQuery) });
  const own = useQuery({ ...runQuery(here), enabled: watched.includes(here) });
  const over = own.data !== undefined && !isBusy(own.data.status);
  useEffect(() => {
    // Where the run itself is looked at, it says how it ended.
    if (over) watching.leave(here);
  }, [here, over]);
  const ended = runs.map((run) => run.data).filter((run): run is RunView => hasEnded(run, store));
  return (
    <Box aria-live="polite" sx={{ display: "flex", minWidth: 0 }}>
      {ended.slice(-2).map((run) => (
        <Button
          key={run.id}
          color="inherit"
          component={Link}
          to={`/s/${store}/runs/${run.id}`}
          onClick={() => watching.leave(run.id)}
          sx={{ maxWidth: 320, whiteSpace: "nowrap", overflow: "hidden", textOverflow: "ellipsis" }}
        >
          {titleOf(run)} {run.error && run.status === "prepared" ? "was not written" : ENDS[run.status]}
        </Button>
      ))}
    </Box>
  );
}

const hasEnded = (run: RunView | undefined, store: number) =>
  run !== undefined && run.store_id === store && !isBusy(run.status);
