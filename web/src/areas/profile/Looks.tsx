/** Each look at where deliveries come from, the newest first. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { isFetching, useFetches, useStopFetch, type FetchLine } from "../../api/sources";
import { Mark, type ValueState } from "../../components/Mark";
import { Progress } from "../../components/Progress";
import { Failure, Waiting } from "../../components/states";
import { ago, bytes } from "../../components/words";
import { useStoreId } from "../../shell/Shell";

const STATES: Record<string, [ValueState, string]> = {
  new: ["changed", "something new"],
  unchanged: ["computed", "nothing new"],
  nothing: ["question", "nothing there"],
  failed: ["refused", "failed"],
  stopped: ["question", "stopped"],
};

export function Looks({ feed }: { feed: number }) {
  const fetches = useFetches(feed);
  if (fetches.isError) return <Failure error={fetches.error} retry={() => void fetches.refetch()} />;
  if (!fetches.data) return <Waiting what="the last looks" />;
  if (!fetches.data.fetches.length)
    return <Typography color="textSecondary">Nobody has looked there yet.</Typography>;
  return (
    <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
      {fetches.data.fetches.map((one) => (
        <Look key={one.id} feed={feed} one={one} />
      ))}
    </Box>
  );
}

function Look({ feed, one }: { feed: number; one: FetchLine }) {
  const store = useStoreId();
  const stop = useStopFetch(feed);
  const busy = isFetching(one.status);
  const [state, says] = STATES[one.status] ?? ["arrived", "under way"];
  const delivery = one.deliveries.at(-1);
  return (
    <Box
      component="li"
      sx={{
        display: "grid",
        gridTemplateColumns: "20px 110px 150px minmax(0, 1fr) auto",
        columnGap: 1,
        py: 0.5,
        alignItems: "baseline",
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Mark state={state} says={says} />
      <Typography variant="body2" title={one.at}>
        {ago(one.at)}
      </Typography>
      <Typography variant="body2" color="textSecondary" noWrap title={one.because}>
        {one.scope ? `${one.scope}, ${one.by || one.because}` : one.by || one.because}
      </Typography>
      <Box sx={{ minWidth: 0 }}>
        {busy ? (
          <>
            <Typography variant="body2">{underWay(one)}</Typography>
            <Progress of="Fetching" share={one.total ? one.done / one.total : 0} />
          </>
        ) : (
          <>
            <Typography variant="body2" sx={{ overflowWrap: "anywhere" }}>
              {delivery ? (
                <Link to={`/s/${store}/feeds/${feed}/reading?delivery=${delivery}`}>{one.said}</Link>
              ) : (
                one.said
              )}
            </Typography>
            {one.remedy && (
              <Typography variant="caption" color="textSecondary">
                {one.remedy}
              </Typography>
            )}
          </>
        )}
      </Box>
      {busy ? (
        <Button color="inherit" onClick={() => stop.mutate(one.id)} disabled={stop.isPending}>
          Stop
        </Button>
      ) : (
        <Button color="inherit" component="a" href={`/api/v1/fetches/${one.id}/log.txt`} download>
          Log
        </Button>
      )}
    </Box>
  );
}

/** How far a fetch is: so much of so much, how quick, and how long it still takes. */
export function underWay(one: FetchLine, now = Date.now()): string {
  if (one.status === "queued") return "waits for a worker …";
  if (!one.done || !one.started_at) return `${one.stage || "begins"} …`;
  const seconds = Math.max((now - new Date(one.started_at).getTime()) / 1000, 0.1);
  const rate = one.done / seconds;
  const parts = [`${one.stage}: ${bytes(one.done)}`];
  if (one.total) parts.push(`of ${bytes(one.total)}`);
  parts.push(`at ${bytes(rate)} a second`);
  const left = one.total ? Math.ceil((one.total - one.done) / rate) : 0;
  if (left > 1) parts.push(left > 90 ? `${Math.round(left / 60)} minutes left` : `${left} seconds left`);
  return parts.join(", ").replace(", of", " of");
}
