/** Every run: what it read, what it did, and its log. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { isBusy, useArrivals, type RunView } from "../../api/hooks";
import { useRuns, type RunsAsked } from "../../api/runs";
import { Pager } from "../../components/Pager";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago, byHand, count, titleOf, trialOf } from "../../components/words";
import { Dated } from "../catalog/Dated";
import { DATED_PAGE, useDated } from "../catalog/useDated";
import { useStoreId } from "../../shell/Shell";
import { Progress } from "../../components/Progress";

const PAGE = 50;

/** States that runs are looked for in, as a person would call them. */
const STATES: [state: NonNullable<RunsAsked["state"]>, says: string][] = [
  ["", "in any state"],
  ["prepared", "to be looked at"],
  ["busy", "at work"],
  ["applied", "applied"],
  ["failed", "failed"],
  ["declined", "declined"],
  ["stopped", "stopped"],
  ["undone", "taken back"],
];

/** What the address says of which runs are shown. */
function useShown() {
  const [params, setParams] = useSearchParams();
  const state = STATES.find(([known]) => known === params.get("state"))?.[0] ?? "";
  const feed = Number(params.get("feed")) || undefined;
  const page = Math.max(0, Math.floor(Number(params.get("page")) || 0));
  const search = params.get("search") ?? "";
  const set = (change: Record<string, string>) =>
    setParams((old) => ({ ...Object.fromEntries(old), page: "0", ...change }), { replace: true });
  const asked: RunsAsked = { state, search, offset: page * PAGE, limit: PAGE };
  return { asked: feed ? { ...asked, feed_id: feed } : asked, feed, page, set };
}

/** The runs of a store, newest first. */
export function Runs() {
  const store = useStoreId();
  const shown = useShown();
  const runs = useRuns(store, shown.asked);
  const [page, setPage] = useState(0);
  const dated = useDated(store, page);
  if (runs.isPending) return <Waiting what="runs" />;
  if (runs.isError) return <Failure error={runs.error} retry={() => void runs.refetch()} />;
  return (
    <Box sx={{ overflow: "auto", p: 2.5, maxWidth: 1180, width: "100%", mx: "auto" }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1.5 }}>
        <Typography variant="h1">Runs</Typography>
        <Typography color="textSecondary">{count(runs.data.total, "run", "runs")}</Typography>
        <Box sx={{ flex: 1 }} />
        <Which store={store} shown={shown} />
        <Pager
          size={PAGE}
          total={runs.data.total}
          page={shown.page}
          onPage={(to) => shown.set({ page: String(to) })}
        />
      </Box>
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
        <NoRuns shown={shown} />
      )}
    </Box>
  );
}

function NoRuns({ shown }: { shown: ReturnType<typeof useShown> }) {
  if (!shown.asked.state && !shown.asked.search && !shown.feed && !shown.page)
    return <Nothing title="No run yet">Prepare a delivery from its bench, and it appears here.</Nothing>;
  return (
    <Nothing title="No such run">
      <Button onClick={() => shown.set({ state: "", feed: "", search: "" })}>Show all runs</Button>
    </Nothing>
  );
}

/** Says which runs are shown. */
function Which({ store, shown }: { store: number; shown: ReturnType<typeof useShown> }) {
  const feeds = useArrivals(store).data?.feeds ?? [];
  return (
    <>
      <Select
        value={shown.asked.state ?? ""}
        displayEmpty
        onChange={(e) => shown.set({ state: e.target.value })}
        inputProps={{ "aria-label": "State" }}
      >
        {STATES.map(([state, says]) => (
          <MenuItem key={state} value={state}>
            {says}
          </MenuItem>
        ))}
      </Select>
      <Select
        value={shown.feed ?? ""}
        displayEmpty
        onChange={(e) => shown.set({ feed: String(e.target.value) })}
        inputProps={{ "aria-label": "Feed" }}
        sx={{ maxWidth: 220 }}
      >
        <MenuItem value="">of all feeds</MenuItem>
        {shown.feed !== undefined && !feeds.some((one) => one.id === shown.feed) && (
          <MenuItem value={shown.feed}>of a feed out of sight</MenuItem>
        )}
        {feeds.map((one) => (
          <MenuItem key={one.id} value={one.id}>
            {one.supplier}, {one.name}
          </MenuItem>
        ))}
      </Select>
      <SearchField
        label="Search in file names"
        placeholder="File name"
        value={shown.asked.search ?? ""}
        width={140}
        onSearch={(search) => shown.set({ search })}
      />
    </>
  );
}

/** Runs that are of no file and no product. */
const OWN_TITLE = ["restore", "dated"];

function RunRow({ store, run }: { store: number; run: RunView }) {
  const counts = Object.entries(run.counts)
    .filter(([, n]) => n > 0)
    .map(([status, n]) => `${n.toLocaleString("en")} ${status}`)
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
