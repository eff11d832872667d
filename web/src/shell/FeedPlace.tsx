/** The frame of one feed: its places, which delivery it stands on, open questions, preparing. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { NavLink, Outlet, useLocation, useParams, useSearchParams } from "react-router";
import { freshen, useArrivals, useQuestions, type FeedLine } from "../api/hooks";
import { Questions } from "../areas/questions/Questions";
import { Mark } from "../components/Mark";
import { Failure, Nothing, Waiting } from "../components/states";
import { CrosswalkMenu } from "./CrosswalkMenu";
import { Prepare } from "./Prepare";
import { FeedContext, type FeedContextValue } from "./feed";
import { tab, useStoreId } from "./Shell";

const PLACES = [
  ["profile", "Profile"],
  ["reading", "Reading"],
  ["unusual", "Unusual"],
  ["bench", "Bench"],
  ["matching", "Matching"],
  ["range", "Range"],
  ["categories", "Categories"],
  ["values", "Values"],
  ["prices", "Prices"],
  ["guards", "Guards"],
] as const;

/** What is known of a delivery is asked for anew once a worker has read it. */
function useFreshOnceRead(feed: number, delivery: FeedLine["deliveries"][number] | undefined) {
  const queries = useQueryClient();
  const reading = delivery?.status === "reading";
  const id = delivery?.id;
  const awaited = useRef<number>(undefined);
  useEffect(() => {
    const isRead = !reading && awaited.current === id;
    awaited.current = reading ? id : undefined;
    if (!isRead || id === undefined) return;
    void queries.invalidateQueries({ queryKey: ["delivery", id] });
    void freshen(queries, feed);
  }, [queries, feed, id, reading]);
}

/** The places of one feed under its bar, beside the open questions. */
export function FeedPlace() {
  const store = useStoreId();
  const feed = Number(useParams().feed);
  const [search] = useSearchParams();
  const arrivals = useArrivals(store);
  const [asking, setAsking] = useState(false);
  const line = arrivals.data?.feeds.find((f) => f.id === feed);
  const chosen = Number(search.get("delivery")) || undefined;
  const readable = line?.deliveries.find((d) => d.status !== "unreadable");
  const delivery = chosen ?? readable?.id;
  useFreshOnceRead(
    feed,
    line?.deliveries.find((d) => d.id === delivery),
  );
  if (arrivals.isPending) return <Waiting what="the feed" />;
  if (arrivals.isError) return <Failure error={arrivals.error} retry={() => void arrivals.refetch()} />;
  if (!line) return <Nothing title="There is no such feed in this store" />;
  const value = { feed, line, delivery, asking, openQuestions: setAsking };
  return (
    <FeedContext.Provider value={value}>
      <FeedBar store={store} value={value} />
      <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
        <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
          <Outlet />
        </Box>
        {asking && <Questions onClose={() => setAsking(false)} />}
      </Box>
    </FeedContext.Provider>
  );
}

function FeedBar({ store, value }: { store: number; value: FeedContextValue }) {
  const { feed, line, delivery } = value;
  const rows = line.deliveries.find((d) => d.id === delivery)?.rows ?? 0;
  const [search, setSearch] = useSearchParams();
  const here = useLocation().pathname.split("/").at(-1);
  const suffix = search.get("delivery") ? `?delivery=${search.get("delivery")}` : "";
  return (
    <Box
      sx={{
        height: 38,
        flex: "none",
        display: "flex",
        alignItems: "center",
        px: 1.5,
        gap: 1,
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Typography
        component="h1"
        noWrap
        title={`${line.supplier}, ${line.name}`}
        sx={{ fontWeight: 600, maxWidth: 230 }}
      >
        {line.supplier}{" "}
        <Typography component="span" color="textSecondary">
          {line.name}
        </Typography>
        <span className="only-said">: {PLACES.find(([path]) => path === here)?.[1] ?? "Side by side"}</span>
      </Typography>
      <Box component="nav" aria-label="Places of the feed" sx={{ height: "100%", display: "flex" }}>
        {PLACES.map(([path, label]) => (
          <Box key={path} component={NavLink} to={`/s/${store}/feeds/${feed}/${path}${suffix}`} sx={tab}>
            {label}
          </Box>
        ))}
      </Box>
      <Box sx={{ flex: 1 }} />
      <Select
        value={delivery ?? ""}
        displayEmpty
        onChange={(e) => setSearch({ delivery: String(e.target.value) })}
        inputProps={{ "aria-label": "Delivery" }}
        sx={{ maxWidth: 150 }}
      >
        {line.deliveries.map((d) => (
          <MenuItem key={d.id} value={d.id}>
            {d.file_name}
          </MenuItem>
        ))}
      </Select>
      <CrosswalkMenu feed={feed} />
      <QuestionsButton value={value} />
      <Prepare store={store} feed={feed} delivery={delivery} rows={rows} />
    </Box>
  );
}

function QuestionsButton({ value }: { value: FeedContextValue }) {
  const questions = useQuestions(value.feed, value.delivery);
  const count = questions.data?.questions.length ?? 0;
  return (
    <Button
      variant="outlined"
      color="inherit"
      onClick={() => value.openQuestions(!value.asking)}
      aria-expanded={value.asking}
      sx={{ flex: "none", whiteSpace: "nowrap" }}
    >
      <Mark state={count ? "question" : "computed"} says={count ? "waiting for answers" : "none"} />
      &nbsp;{count} open question{count === 1 ? "" : "s"}
    </Button>
  );
}
