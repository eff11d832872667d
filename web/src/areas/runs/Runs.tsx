/** Every run: what it read, what it did, and its log. */
import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import { isBusy, useRuns, type RunView } from "../../api/hooks";
import { Pager } from "../../components/Pager";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago, byHand, titleOf, trialOf } from "../../components/words";
import { Dated } from "../catalog/Dated";
import { DATED_PAGE, useDated } from "../catalog/useDated";
import { useStoreId } from "../../shell/Shell";
import { Progress } from "../../components/Progress";

/** The runs of a store, newest first. */
export function Runs() {
  const store = useStoreId();
  const runs = useRuns(store);
  const [page, setPage] = useState(0);
  const dated = useDated(store, page);
  if (runs.isPending) return <Waiting what="runs" />;
  if (runs.isError) return <Failure error={runs.error} retry={() => void runs.refetch()} />;
  return (
    <Box sx={{ overflow: "auto", p: 2.5, maxWidth: 1180, width: "100%", mx: "auto" }}>
      <Typography variant="h1" gutterBottom>
        Runs
      </Typography>
      {dated.data && dated.data.total > 0 && (
        <Box component="section" aria-label="Waiting for their day" sx={{ mb: 3 }}>
          <Typography variant="h2" gutterBottom>
            Waiting for their day
          </Typography>
          <Dated store={store} lines={dated.data.values} named />
          <Pager size={DATED_PAGE} total={dated.data.total} page={page} onPage={setPage} />
        </Box>
      )}
      {runs.data.runs.length ? (
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Run</TableCell>
              <TableCell>Delivery</TableCell>
              <TableCell>Crosswalk</TableCell>
              <TableCell>State</TableCell>
              <TableCell>What</TableCell>
              <TableCell>Begun</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {runs.data.runs.map((run) => (
              <RunRow key={run.id} store={store} run={run} />
            ))}
          </TableBody>
        </Table>
      ) : (
        <Nothing title="No run yet">Prepare a delivery from its bench, and it appears here.</Nothing>
      )}
    </Box>
  );
}

/** Runs that are of no file and no product. */
const OWN_TITLE = ["restore", "dated"];

function RunRow({ store, run }: { store: number; run: RunView }) {
  const counts = Object.entries(run.counts)
    .filter(([, n]) => n > 0)
    .map(([status, n]) => `${n} ${status}`)
    .join(", ");
  return (
    <TableRow hover>
      <TableCell>
        <Link to={`/s/${store}/runs/${run.id}`}>Run {run.id}</Link>
      </TableCell>
      <TableCell>
        {run.supplier || (OWN_TITLE.includes(run.kind) ? titleOf(run) : byHand(run))}{" "}
        <Typography component="span" color="textSecondary">
          {!OWN_TITLE.includes(run.kind) && run.file_name}
          {trialOf(run) && `, ${trialOf(run)}`}
        </Typography>
      </TableCell>
      <TableCell>
        {run.undoes !== null
          ? `takes back run ${run.undoes}`
          : run.version !== null && `version ${run.version}`}
      </TableCell>
      <TableCell>
        {run.status}
        {isBusy(run.status) && <Progress of={`Run ${run.id}, ${run.status}`} share={run.progress / 100} />}
      </TableCell>
      <TableCell title={run.log.map((l) => l.text).join("\n")}>
        {run.error || counts || run.log.at(-1)?.text}
      </TableCell>
      <TableCell>{ago(run.created_at)}</TableCell>
    </TableRow>
  );
}
