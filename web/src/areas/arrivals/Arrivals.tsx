/** Home: what came in, from whom, and what waits for a person. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import LinearProgress from "@mui/material/LinearProgress";
import Typography from "@mui/material/Typography";
import { useCallback, useRef, useState, type DragEvent } from "react";
import { Link } from "react-router";
import { useArrivals, type DeliveryLine, type FeedLine } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago, bytes, count } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { DeliveryMenu, FeedMenu } from "./menus";
import { NewFeed } from "./NewFeed";
import { NextWeek } from "./NextWeek";
import { usePasted } from "./pasted";
import { useUpload } from "./useUpload";

/** Every feed with its deliveries. A file dropped beside them, or pasted, asks whose it is. */
export function Arrivals() {
  const store = useStoreId();
  const arrivals = useArrivals(store);
  const [asked, setAsked] = useState<{ file: File | null } | null>(null);
  const [over, setOver] = useState(false);
  const incoming = useCallback((file: File | null) => setAsked({ file }), []);
  usePasted(incoming);
  if (arrivals.isPending) return <Waiting what="arrivals" />;
  if (arrivals.isError) return <Failure error={arrivals.error} retry={() => void arrivals.refetch()} />;
  const { feeds, upload_limit: limit } = arrivals.data;
  const waiting = feeds.filter((f) => waits(f)).length;
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    const file = event.dataTransfer.files[0];
    if (file) incoming(file);
  };
  return (
    <Box
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
      tabIndex={0}
      sx={{ overflow: "auto", p: 2.5, flex: 1, outline: over ? "2px dashed" : undefined, outlineOffset: -6 }}
    >
      <Box sx={{ maxWidth: 1140, mx: "auto" }}>
        <Box sx={{ display: "flex", alignItems: "baseline", gap: 2, mb: 1.5 }}>
          <Typography variant="h1">Arrivals</Typography>
          <Typography color="textSecondary">
            {waiting ? `${count(waiting, "feed waits", "feeds wait")} for you` : "Nothing waits for you"}
          </Typography>
          <Box sx={{ flex: 1 }} />
          <Button variant="outlined" color="inherit" onClick={() => incoming(null)}>
            New feed
          </Button>
        </Box>
        {feeds.length === 0 && (
          <Box sx={{ border: "2px dashed", borderColor: "divider", borderRadius: 1, py: 6, mt: 4 }}>
            <Box sx={{ width: "fit-content", mx: "auto" }}>
              <Nothing title="No feeds yet">
                A feed is one stream of files from one supplier. Drop its first file anywhere here, or paste
                rows from a spreadsheet: whose they are is asked then.
                <Box sx={{ mt: 1.5 }}>
                  <Button variant="contained" onClick={() => incoming(null)}>
                    Begin with a feed
                  </Button>
                </Box>
              </Nothing>
            </Box>
          </Box>
        )}
        {feeds.map((feed) => (
          <FeedCard key={feed.id} store={store} feed={feed} feeds={feeds} limit={limit} />
        ))}
        {feeds.length > 0 && (
          <Typography variant="caption" color="textSecondary">
            A file of a new supplier: drop it between the boxes, or paste rows anywhere.
          </Typography>
        )}
      </Box>
      {asked && (
        <NewFeed store={store} feeds={feeds} limit={limit} file={asked.file} onClose={() => setAsked(null)} />
      )}
    </Box>
  );
}

function waits(feed: FeedLine): boolean {
  const newest = feed.deliveries[0];
  return Boolean(newest && newest.run_status !== "applied");
}

interface FeedCardProps {
  store: number;
  feed: FeedLine;
  feeds: FeedLine[];
  limit: number;
}

function FeedCard({ store, feed, feeds, limit }: FeedCardProps) {
  const upload = useUpload(limit);
  const [over, setOver] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    event.stopPropagation();
    setOver(false);
    const file = event.dataTransfer.files[0];
    if (file) void upload.send(feed.id, file);
  };
  return (
    <Box
      component="section"
      aria-label={feed.supplier}
      onDragOver={(e) => {
        e.preventDefault();
        e.stopPropagation();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
      sx={{
        mb: 2,
        bgcolor: "background.paper",
        border: 1,
        borderColor: over ? "primary.main" : "divider",
        borderStyle: over ? "dashed" : "solid",
        borderRadius: 1,
      }}
    >
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, px: 2, py: 1.25 }}>
        <Typography variant="h2">{feed.supplier}</Typography>
        <Typography color="textSecondary">{feed.name}</Typography>
        <FeedState feed={feed} />
        <Box sx={{ flex: 1 }} />
        <NextWeek feed={feed.id} />
        <input
          ref={picker}
          type="file"
          hidden
          aria-label={`File for ${feed.supplier}`}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void upload.send(feed.id, file);
            e.target.value = "";
          }}
        />
        <Button variant="outlined" color="inherit" onClick={() => picker.current?.click()}>
          Choose a file
        </Button>
        <FeedMenu feed={feed} />
      </Box>
      {upload.share !== null && (
        <LinearProgress
          variant={upload.share < 1 ? "determinate" : "indeterminate"}
          value={upload.share * 100}
        />
      )}
      {upload.error !== null && <Failure error={upload.error} />}
      {feed.deliveries.map((delivery) => (
        <DeliveryRow key={delivery.id} store={store} feed={feed} feeds={feeds} delivery={delivery} />
      ))}
      <Typography variant="caption" color="textSecondary" sx={{ display: "block", px: 2, py: 0.75 }}>
        {feed.deliveries.length
          ? "Drop the supplier's next file anywhere on this box."
          : "No delivery yet: drop the supplier's file here, or choose it."}
      </Typography>
    </Box>
  );
}

function FeedState({ feed }: { feed: FeedLine }) {
  if (!feed.deliveries.length) return null;
  if (!feed.mapped) return <Chip size="small" variant="outlined" label="not mapped yet" />;
  if (feed.questions)
    return (
      <Chip
        size="small"
        variant="outlined"
        icon={<Mark state="question" />}
        label={count(feed.questions, "open question", "open questions")}
      />
    );
  return <Chip size="small" variant="outlined" icon={<Mark state="computed" />} label="all answered" />;
}

interface RowProps {
  store: number;
  feed: FeedLine;
  feeds: FeedLine[];
  delivery: DeliveryLine;
}

function DeliveryRow({ store, feed, feeds, delivery }: RowProps) {
  const bad = delivery.status === "unreadable" || delivery.status === "stopped";
  const reading = delivery.status === "reading";
  const base = `/s/${store}/feeds/${feed.id}`;
  const query = `?delivery=${delivery.id}`;
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "220px 92px 250px 1fr auto",
        alignItems: "center",
        gap: 1.5,
        px: 2,
        minHeight: 38,
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      <Link to={`${base}/reading${query}`} style={{ fontWeight: 550 }}>
        {delivery.file_name}
      </Link>
      <Typography color="textSecondary" variant="body2" title={delivery.received_at}>
        {ago(delivery.received_at)}
      </Typography>
      <Typography variant="body2">
        {bad || reading ? bytes(delivery.size) : <Size delivery={delivery} />}
      </Typography>
      <Typography variant="body2" component="div" color={bad ? "error" : "textSecondary"}>
        {bad ? delivery.error : <Outcome store={store} delivery={delivery} />}
      </Typography>
      <Box>
        {bad || reading || !delivery.complete ? (
          <Button component={Link} to={`${base}/reading${query}`}>
            {bad ? "Change the reading" : "Open the reading"}
          </Button>
        ) : (
          <Button
            component={Link}
            variant={delivery.run_status ? "text" : "contained"}
            to={`${base}/bench${query}`}
          >
            Open the bench
          </Button>
        )}
        <DeliveryMenu delivery={delivery} feed={feed} feeds={feeds} />
      </Box>
    </Box>
  );
}

function Size({ delivery }: { delivery: DeliveryLine }) {
  const more = delivery.rows_before === null ? 0 : delivery.rows - (delivery.rows_before ?? 0);
  return (
    <>
      {delivery.rows.toLocaleString("en")} rows · {delivery.columns} columns
      {more !== 0 && ` (${more > 0 ? "+" : ""}${more})`}
      {delivery.problems > 0 && (
        <>
          {" "}
          <Mark state="question" says={`${delivery.problems} things noticed while reading`} />
        </>
      )}
    </>
  );
}

const SAYS: Record<string, string> = {
  prepared: "prepared, not applied",
  applied: "applied",
  undone: "undone",
  failed: "could not be prepared",
};

function Outcome({ store, delivery }: { store: number; delivery: DeliveryLine }) {
  if (delivery.status === "reading") return <>being read … {delivery.stage}</>;
  if (!delivery.complete)
    return (
      <>
        <Mark state="question" says="incomplete" /> the file broke off; see its reading
      </>
    );
  if (delivery.because && !delivery.run_id) return <>read again: {delivery.because}</>;
  if (delivery.same_as) return <>the same bytes as an earlier delivery</>;
  if (!delivery.run_id) return <>waiting: nothing prepared yet</>;
  const parts = ["new", "changed", "held", "rejected"]
    .filter((s) => delivery.counts[s])
    .map((s) => `${delivery.counts[s]} ${s}`);
  return (
    <Link to={`/s/${store}/runs/${delivery.run_id}`}>
      {SAYS[delivery.run_status ?? ""] ?? delivery.run_status}
      {parts.length > 0 && `: ${parts.join(", ")}`}
    </Link>
  );
}
