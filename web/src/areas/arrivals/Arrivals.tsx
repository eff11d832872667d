/** Home: what came in, from whom, and what waits for a person. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import { Fragment, useCallback, useState, type DragEvent } from "react";
import { useSearchParams } from "react-router";
import { useArrivals, type FeedLine } from "../../api/hooks";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { FeedRow } from "./FeedRow";
import { NewFeed } from "./NewFeed";
import { usePasted } from "./pasted";

/** More feeds than these are searched. */
const FEW = 5;

/** Every feed with its deliveries. A file dropped beside them, or pasted, asks whose it is. */
export function Arrivals() {
  const store = useStoreId();
  const arrivals = useArrivals(store);
  const [asked, setAsked] = useState<{ file: File | null } | null>(null);
  const [over, setOver] = useState(false);
  const [params, setParams] = useSearchParams();
  const search = params.get("search") ?? "";
  const only = params.get("only") === "1";
  const set = (name: string, value: string) =>
    setParams((old) => ({ ...Object.fromEntries(old), [name]: value }), { replace: true });
  const incoming = useCallback((file: File | null) => setAsked({ file }), []);
  usePasted(incoming);
  if (arrivals.isPending) return <Waiting what="arrivals" />;
  if (arrivals.isError) return <Failure error={arrivals.error} retry={() => void arrivals.refetch()} />;
  const { feeds, upload_limit: limit } = arrivals.data;
  const waiting = feeds.filter(WAITS).length;
  const shown = feeds
    .filter((feed) => fits(feed, search) && (!only || WAITS(feed)))
    .sort((one, other) => URGENT.indexOf(one.needs) - URGENT.indexOf(other.needs));
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
      <Box sx={{ maxWidth: 1240, mx: "auto" }}>
        <Box sx={{ display: "flex", alignItems: "baseline", gap: 2, mb: 1.5 }}>
          <Typography variant="h1">Arrivals</Typography>
          <Typography color="textSecondary">
            {waiting ? `${count(waiting, "feed waits", "feeds wait")} for you` : "Nothing waits for you"}
          </Typography>
          <Box sx={{ flex: 1 }} />
          {feeds.length > FEW && (
            <>
              <FormControlLabel
                control={
                  <Checkbox size="small" checked={only} onChange={(_, on) => set("only", on ? "1" : "")} />
                }
                label="only what waits"
              />
              <SearchField
                label="Find a feed"
                placeholder="Find a supplier or file"
                width={190}
                value={search}
                onSearch={(text) => set("search", text)}
              />
            </>
          )}
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
        {shown.map((feed, at) => (
          <Fragment key={feed.id}>
            {feeds.length > FEW && feed.needs !== shown[at - 1]?.needs && (
              <Typography variant="h3" component="h2" sx={{ mt: at ? 2 : 0, mb: 0.5 }}>
                {GROUPS[feed.needs]}{" "}
                <Typography component="span" color="textSecondary">
                  {shown.filter((one) => one.needs === feed.needs).length}
                </Typography>
              </Typography>
            )}
            <FeedRow store={store} feed={feed} feeds={feeds} limit={limit} />
          </Fragment>
        ))}
        {feeds.length > 0 && shown.length === 0 && (
          <Nothing title="No such feed">
            {only ? "None of these waits for you." : "No feed is called so, and no file."}
          </Nothing>
        )}
        {feeds.length > 0 && (
          <Typography variant="caption" color="textSecondary" component="p" sx={{ mt: 1 }}>
            Drop a supplier's next file on its line; one of a new supplier below, or paste rows anywhere.
          </Typography>
        )}
      </Box>
      {asked && (
        <NewFeed store={store} feeds={feeds} limit={limit} file={asked.file} onClose={() => setAsked(null)} />
      )}
    </Box>
  );
}

/** Feeds by what they wait for, the most urgent first. */
const URGENT: FeedLine["needs"][] = [
  "unreadable",
  "unfetched",
  "failed",
  "held",
  "question",
  "apply",
  "prepare",
  "map",
  "busy",
  "calm",
];
/** What stands above those of one need, where there are many feeds. */
const GROUPS: Record<FeedLine["needs"], string> = {
  unreadable: "Cannot be read",
  unfetched: "Cannot be fetched",
  failed: "Failed",
  held: "Held by guards",
  question: "Questions to answer",
  apply: "To look at and apply",
  prepare: "To prepare",
  map: "To map",
  busy: "At work",
  calm: "Nothing to do",
};
const WAITS = (feed: FeedLine) => feed.needs !== "calm" && feed.needs !== "busy";

const fits = (feed: FeedLine, search: string) =>
  [feed.supplier, feed.name, feed.deliveries[0]?.file_name ?? ""]
    .join("\n")
    .toLowerCase()
    .includes(search.toLowerCase());
