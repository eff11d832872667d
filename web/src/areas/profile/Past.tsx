/** What became of a feed so far: its last runs, and what was changed of it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState, type ReactNode } from "react";
import { Link } from "react-router";
import type { RunView } from "../../api/hooks";
import { useFeedRuns, useHistory } from "../../api/profiles";
import { Failure, Waiting } from "../../components/states";
import { ago, capital, trialOf } from "../../components/words";
import { useStoreId } from "../../shell/Shell";

/** The last runs, each with what came of it. */
export function LastRuns({ feed }: { feed: number }) {
  const store = useStoreId();
  const runs = useFeedRuns(feed);
  if (runs.isError) return <Failure error={runs.error} retry={() => void runs.refetch()} />;
  if (!runs.data) return <Waiting what="the last runs" />;
  if (!runs.data.runs.length)
    return <Typography color="textSecondary">Nothing of it has been prepared yet.</Typography>;
  return (
    <List>
      {runs.data.runs.map((run) => (
        <Row key={run.id} at={run.created_at} by={run.author}>
          <Link to={`/s/${store}/runs/${run.id}`}>Run {run.id}</Link>, {run.status}: {run.file_name}
          {trialOf(run) && `, ${trialOf(run)}`}
          <Typography component="span" color="textSecondary">
            {outcome(run) && ` · ${outcome(run)}`}{" "}
            <a href={`/api/v1/runs/${run.id}/log.txt`} download aria-label={`Log of run ${run.id}`}>
              log
            </a>
          </Typography>
        </Row>
      ))}
    </List>
  );
}

const outcome = (run: RunView): string => run.error || (run.log.at(-1)?.text ?? "");

/** So many changes are shown before one asks for all. */
const FEW = 8;

/** What was changed, by whom. */
export function History({ feed }: { feed: number }) {
  const history = useHistory(feed);
  const [all, setAll] = useState(false);
  if (history.isError) return <Failure error={history.error} retry={() => void history.refetch()} />;
  if (!history.data) return <Waiting what="the history" />;
  const { changes } = history.data;
  if (!changes.length) return <Typography color="textSecondary">Nothing has been changed yet.</Typography>;
  return (
    <>
      <List>
        {(all ? changes : changes.slice(0, FEW)).map((one, at) => (
          <Row key={`${one.at} ${at}`} at={one.at} by={one.author}>
            {one.version && `Version ${one.version} of the crosswalk: `}
            {one.version ? one.said : capital(one.said)}
          </Row>
        ))}
      </List>
      {changes.length > FEW && (
        <Button color="inherit" onClick={() => setAll(!all)}>
          {all ? "Fewer" : `All ${changes.length} changes`}
        </Button>
      )}
    </>
  );
}

const List = ({ children }: { children: ReactNode }) => (
  <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
    {children}
  </Box>
);

function Row({ at, by, children }: { at: string; by: string; children: ReactNode }) {
  return (
    <Box
      component="li"
      sx={{
        display: "grid",
        gridTemplateColumns: "110px 150px minmax(0, 1fr)",
        columnGap: 1,
        py: 0.5,
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Typography variant="body2" title={at}>
        {ago(at)}
      </Typography>
      <Typography variant="body2" color="textSecondary" noWrap title={by}>
        {by}
      </Typography>
      <Typography variant="body2" component="div" sx={{ overflowWrap: "anywhere" }}>
        {children}
      </Typography>
    </Box>
  );
}
