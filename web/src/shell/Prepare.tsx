/** Prepares a run of the whole delivery, or a trial of some of its rows. */
import ExpandMore from "@mui/icons-material/ExpandMore";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, take } from "../api/client";
import { count } from "../components/words";
import { useUndo } from "./undo";

interface PrepareProps {
  store: number;
  feed: number;
  delivery: number | undefined;
  /** How many rows the delivery has. */
  rows: number;
}

interface Range {
  first?: number;
  last?: number;
}

/** The button, and beside it the trial. */
export function Prepare({ store, feed, delivery, rows }: PrepareProps) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const undo = useUndo();
  const [busy, setBusy] = useState(false);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const prepare = async (range: Range) => {
    setBusy(true);
    try {
      const query = { ...(delivery ? { delivery_id: delivery } : {}), ...range };
      const run = await take(
        api.POST("/api/v1/feeds/{feed_id}/runs", { params: { path: { feed_id: feed }, query } }),
      );
      await queries.invalidateQueries({ queryKey: ["arrivals"] });
      await navigate(`/s/${store}/runs/${run.id}`);
    } catch (error) {
      undo.failed(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Box sx={{ display: "flex", flex: "none" }}>
      <Button
        variant="contained"
        disabled={busy || !delivery}
        onClick={() => void prepare({})}
        sx={{ borderTopRightRadius: 0, borderBottomRightRadius: 0 }}
      >
        Prepare
      </Button>
      <Button
        variant="contained"
        disabled={busy || !delivery}
        aria-label="Try some rows"
        aria-haspopup="dialog"
        onClick={(e) => setAnchor(e.currentTarget)}
        sx={{ minWidth: 0, px: 0.25, ml: "1px", borderTopLeftRadius: 0, borderBottomLeftRadius: 0 }}
      >
        <ExpandMore fontSize="small" />
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "right" }}
        transformOrigin={{ vertical: "top", horizontal: "right" }}
      >
        <Trial
          rows={rows}
          onTry={(range) => {
            setAnchor(null);
            void prepare(range);
          }}
        />
      </Popover>
    </Box>
  );
}

function Trial({ rows, onTry }: { rows: number; onTry: (range: Range) => void }) {
  const [first, setFirst] = useState("1");
  const [last, setLast] = useState("20");
  const from = Number(first) || 1;
  const to = Number(last) || undefined;
  const ready = /^\d+$/.test(first) && /^\d*$/.test(last) && (!to || from <= to);
  return (
    <Box
      component="form"
      aria-label="A trial"
      sx={{ p: 1.5, width: 290, display: "grid", gap: 1.25 }}
      onSubmit={(e) => {
        e.preventDefault();
        if (ready) onTry({ first: from, ...(to ? { last: to } : {}) });
      }}
    >
      <Typography variant="h2">Try some rows</Typography>
      <Typography color="textSecondary">
        Only these rows are prepared, by their numbers in the file; {count(rows, "row", "rows")} arrived. It
        is looked at, applied and undone like any run.
      </Typography>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
        <TextField label="From row" value={first} autoFocus onChange={(e) => setFirst(e.target.value)} />
        <TextField
          label="To row"
          value={last}
          placeholder="the end"
          onChange={(e) => setLast(e.target.value)}
        />
      </Box>
      <Button type="submit" variant="outlined" disabled={!ready}>
        Prepare the trial
      </Button>
    </Box>
  );
}
