/** A feed in one line: what came last, how that is beside what came before, and what it waits for. */
import ExpandMore from "@mui/icons-material/ExpandMore";
import ChevronRight from "@mui/icons-material/ChevronRight";
import UploadFile from "@mui/icons-material/UploadFile";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import { useRef, useState, type DragEvent } from "react";
import { Link } from "react-router";
import type { FeedLine } from "../../api/hooks";
import { isFetching } from "../../api/sources";
import { Mark, type ValueState } from "../../components/Mark";
import { Failure } from "../../components/states";
import { ago, count } from "../../components/words";
import { DeliveryRow, Outcome, Size, UnusualIn, isStrange } from "./DeliveryRow";
import { DeliveryMenu, FeedMenu } from "./menus";
import { NextWeek } from "./NextWeek";
import { useUpload } from "./useUpload";
import { Progress } from "../../components/Progress";

interface FeedRowProps {
  store: number;
  feed: FeedLine;
  feeds: FeedLine[];
  limit: number;
}

/** The line of a feed; its earlier deliveries below it, once they are asked for. */
export function FeedRow({ store, feed, feeds, limit }: FeedRowProps) {
  const upload = useUpload(limit);
  const [over, setOver] = useState(false);
  const [open, setOpen] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    event.stopPropagation();
    setOver(false);
    const file = event.dataTransfer.files[0];
    if (file) void upload.send(feed.id, file);
  };
  const [newest, ...earlier] = feed.deliveries;
  const base = `/s/${store}/feeds/${feed.id}`;
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
        bgcolor: "background.paper",
        borderBottom: 1,
        borderColor: "divider",
        outline: over ? "2px dashed" : undefined,
        outlineOffset: -3,
      }}
    >
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "22px 206px 200px 124px 150px minmax(150px, 1fr) auto",
          alignItems: "center",
          columnGap: 1,
          px: 1,
          minHeight: 48,
        }}
      >
        <Mark state={STATES[feed.needs]} says={saidOf(feed)} />
        <Box sx={{ minWidth: 0 }}>
          <Typography noWrap sx={{ fontWeight: 600 }} title={feed.supplier}>
            {feed.supplier}
          </Typography>
          <Typography noWrap variant="caption" color="textSecondary" component="div" title={feed.name}>
            {feed.name}
          </Typography>
        </Box>
        <Box sx={{ minWidth: 0 }}>
          {newest ? (
            <>
              <Typography noWrap title={newest.file_name}>
                <Link to={`${base}/reading?delivery=${newest.id}`}>{newest.file_name}</Link>
              </Typography>
              <Typography variant="caption" color="textSecondary" title={newest.received_at}>
                {ago(newest.received_at)}
                {earlier.length > 0 && (
                  <IconButton
                    size="small"
                    sx={{ p: 0, ml: 0.5, fontSize: 12 }}
                    aria-expanded={open}
                    aria-label={`Earlier deliveries of ${feed.supplier}, ${feed.name}`}
                    onClick={() => setOpen(!open)}
                  >
                    {open ? <ExpandMore fontSize="inherit" /> : <ChevronRight fontSize="inherit" />}
                    {earlier.length} earlier
                  </IconButton>
                )}
              </Typography>
            </>
          ) : (
            <Typography color="textSecondary">
              no delivery yet: <Link to={`${base}/profile`}>say where it comes from</Link>, or drop a file
            </Typography>
          )}
        </Box>
        <Typography variant="body2" component="div">
          {newest && newest.rows > 0 && <Size delivery={newest} />}
        </Typography>
        <Box sx={{ display: "flex", gap: 1 }}>
          <Trend values={feed.rows ?? []} says="Rows" />
          <Trend values={feed.prices ?? []} says="Middle price" />
        </Box>
        <Box sx={{ minWidth: 0 }}>
          <Typography noWrap sx={{ fontWeight: feed.needs === "calm" ? 400 : 550 }} title={saidOf(feed)}>
            <Needed store={store} feed={feed} />
          </Typography>
          <LastFetch store={store} feed={feed} />
          {newest && isStrange(newest) && newest.status !== "reading" && (
            <Typography noWrap variant="caption" component="div" title={newest.said}>
              <UnusualIn base={base} delivery={newest} />
            </Typography>
          )}
          {newest && !isStrange(newest) && !["busy", "map", "prepare", "unfetched"].includes(feed.needs) && (
            <Typography noWrap variant="caption" color="textSecondary" component="div">
              {newest.error || <Outcome store={store} delivery={newest} />}
            </Typography>
          )}
        </Box>
        <Box sx={{ display: "flex", alignItems: "center", whiteSpace: "nowrap" }}>
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
          <IconButton
            size="small"
            aria-label="Choose a file"
            title={`Choose a file of ${feed.supplier}`}
            onClick={() => picker.current?.click()}
          >
            <UploadFile fontSize="small" />
          </IconButton>
          {newest && !NO_BENCH.includes(feed.needs) && (
            <Button
              component={Link}
              variant={feed.needs === "map" || feed.needs === "prepare" ? "contained" : "text"}
              to={`${base}/bench?delivery=${newest.id}`}
            >
              Open the bench
            </Button>
          )}
          {newest && feed.needs === "unreadable" && (
            <Button component={Link} variant="contained" to={`${base}/reading?delivery=${newest.id}`}>
              {unread(newest) === ASKS ? "Give the password" : "Open the reading"}
            </Button>
          )}
          {newest && <DeliveryMenu delivery={newest} feed={feed} feeds={feeds} />}
          <FeedMenu feed={feed} />
        </Box>
      </Box>
      {upload.share !== null && <Progress of="Sending the file" share={upload.share} />}
      {upload.error !== null && <Failure error={upload.error} />}
      {open &&
        earlier.map((delivery) => (
          <DeliveryRow key={delivery.id} store={store} feed={feed} feeds={feeds} delivery={delivery} />
        ))}
    </Box>
  );
}

const ASKS = "asks for its password";
const NO_BENCH: FeedLine["needs"][] = ["unreadable", "busy"];

const STATES: Record<FeedLine["needs"], ValueState> = {
  unreadable: "refused",
  unfetched: "refused",
  failed: "refused",
  held: "question",
  question: "question",
  apply: "changed",
  prepare: "changed",
  map: "question",
  busy: "arrived",
  calm: "computed",
};

/** Why there is nothing of a delivery to be worked with; a question is no fault. */
function unread(newest: FeedLine["deliveries"][number]): string {
  if (/password/i.test(newest.error)) return ASKS;
  return newest.complete ? "could not be read" : "the file broke off";
}

/** What a feed waits for, in words. */
function saidOf(feed: FeedLine): string {
  const newest = feed.deliveries[0];
  const said: Record<FeedLine["needs"], string> = {
    unreadable: newest ? unread(newest) : "",
    unfetched: "could not be fetched",
    failed: "could not be prepared",
    held: feed.held < 0 ? "a guard holds the run" : `guards hold ${count(feed.held, "product", "products")}`,
    question: count(feed.questions ?? 0, "open question", "open questions"),
    apply: "prepared: look at it and apply it",
    prepare: "new: nothing prepared yet",
    map: "not mapped yet",
    busy: newest?.status === "reading" ? `being read … ${newest.stage}` : "at work …",
    calm: newest ? "nothing to do" : "waits for its first file",
  };
  if (feed.questions === null && feed.needs === "calm") return "looking …";
  const joined = feed.joined_to ?? [];
  if (feed.needs === "calm" && !feed.mapped && joined.length) return `completes ${joined.join("; ")}`;
  return said[feed.needs];
}

/** What a feed waits for, and where that is done. */
function Needed({ store, feed }: { store: number; feed: FeedLine }) {
  const newest = feed.deliveries[0];
  const said = saidOf(feed);
  if (feed.needs === "unfetched") return <Link to={`/s/${store}/feeds/${feed.id}/profile`}>{said}</Link>;
  if (!newest) return <>{said}</>;
  const run = newest.run_id && ["held", "apply", "failed"].includes(feed.needs);
  if (run) return <Link to={`/s/${store}/runs/${newest.run_id}`}>{said}</Link>;
  if (feed.needs === "question")
    return <Link to={`/s/${store}/feeds/${feed.id}/bench?delivery=${newest.id}`}>{said}</Link>;
  return <>{said}</>;
}

/** What is being fetched now, or why nothing could be. */
function LastFetch({ store, feed }: { store: number; feed: FeedLine }) {
  const one = feed.fetch;
  if (!one || !(isFetching(one.status) || one.status === "failed")) return null;
  const said = isFetching(one.status) ? `${one.stage || "looking for the next delivery"} …` : one.said;
  return (
    <Typography noWrap variant="caption" color="textSecondary" component="div" title={said}>
      <Link to={`/s/${store}/feeds/${feed.id}/profile`}>{said}</Link>
    </Typography>
  );
}

const WIDE = 70;
const TALL = 24;

/** A small line of the last deliveries, the newest marked. */
function Trend({ values, says }: { values: readonly number[]; says: string }) {
  if (values.length < 2) return <Box sx={{ width: WIDE }} />;
  const most = Math.max(...values);
  const least = Math.min(...values);
  // What hardly moves is drawn flat: the line is of what is usual, not of its noise.
  const span = Math.max(most - least, most * 0.2) || 1;
  const at = values.map((value, n): [number, number] => [
    2 + (n * (WIDE - 6)) / (values.length - 1),
    TALL / 2 - ((value - (most + least) / 2) / span) * (TALL - 8),
  ]);
  const last = at[at.length - 1] ?? [0, 0];
  const numbers = values.map((value) => value.toLocaleString("en")).join(", ");
  const said = `${says} of the last ${values.length} deliveries: ${numbers}`;
  return (
    <svg width={WIDE} height={TALL} role="img" aria-label={said}>
      <title>{said}</title>
      <polyline
        points={at.map((point) => point.join(",")).join(" ")}
        fill="none"
        stroke="var(--mui-palette-text-secondary)"
        strokeWidth={1.2}
      />
      <circle cx={last[0]} cy={last[1]} r={2.4} fill="var(--mui-palette-primary-main)" />
    </svg>
  );
}
