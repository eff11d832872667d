/** Prepares a run of the whole delivery, of some of its rows, or with prices from a day on. */
import ExpandMore from "@mui/icons-material/ExpandMore";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormControlLabel from "@mui/material/FormControlLabel";
import Popover from "@mui/material/Popover";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, take } from "../api/client";
import { count, tomorrow } from "../components/words";
import { useUndo } from "./undo";

interface PrepareProps {
  store: number;
  feed: number;
  delivery: number | undefined;
  /** How many rows the delivery has. */
  rows: number;
}

/** What a run takes of a delivery, and from when on its prices hold. */
interface Asked {
  first?: number;
  last?: number;
  picked?: boolean;
  day?: string;
}

/** The button, and beside it what else there is to say. */
export function Prepare({ store, feed, delivery, rows }: PrepareProps) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const undo = useUndo();
  const [busy, setBusy] = useState(false);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const prepare = async (asked: Asked) => {
    setBusy(true);
    try {
      const query = { ...(delivery ? { delivery_id: delivery } : {}), ...asked };
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
        aria-label="Some rows, or from a day"
        title="Some rows, or from a day"
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
        <Otherwise
          rows={rows}
          onPrepare={(asked) => {
            setAnchor(null);
            void prepare(asked);
          }}
        />
      </Popover>
    </Box>
  );
}

type Which = "all" | "some" | "picked";

interface OtherwiseProps {
  rows: number;
  onPrepare: (asked: Asked) => void;
}

function Otherwise({ rows, onPrepare }: OtherwiseProps) {
  const [which, setWhich] = useState<Which>("some");
  const [first, setFirst] = useState("1");
  const [last, setLast] = useState("20");
  const [day, setDay] = useState("");
  const from = Number(first) || 1;
  const to = Number(last) || undefined;
  const fits = /^\d+$/.test(first) && /^\d*$/.test(last) && (!to || from <= to);
  const ready = which !== "some" || fits;
  const some = which === "some" ? { first: from, ...(to ? { last: to } : {}) } : {};
  return (
    <Box
      component="form"
      aria-label="Prepare otherwise"
      sx={{ p: 1.5, width: 320, display: "grid", gap: 1.25 }}
      onSubmit={(e) => {
        e.preventDefault();
        if (ready) onPrepare({ ...some, ...(which === "picked" && { picked: true }), ...(day && { day }) });
      }}
    >
      <RadioGroup aria-label="Which rows" value={which} onChange={(_, to) => setWhich(to as Which)}>
        <FormControlLabel value="all" control={<Radio size="small" />} label={count(rows, "row", "rows")} />
        <FormControlLabel value="some" control={<Radio size="small" />} label="These rows, as a trial:" />
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1, pl: 4, py: 0.75 }}>
          <TextField
            label="From row"
            value={first}
            disabled={which !== "some"}
            onChange={(e) => setFirst(e.target.value)}
          />
          <TextField
            label="To row"
            value={last}
            placeholder="the end"
            disabled={which !== "some"}
            onChange={(e) => setLast(e.target.value)}
          />
        </Box>
        <FormControlLabel
          value="picked"
          control={<Radio size="small" />}
          label="Articles picked in the range"
        />
      </RadioGroup>
      <TextField
        type="date"
        label="Prices hold from"
        value={day}
        onChange={(e) => setDay(e.target.value)}
        helperText={
          day
            ? "Until then the store keeps the prices it has. A day in the list itself comes first."
            : "Empty: at once, or as the list says."
        }
        slotProps={{ inputLabel: { shrink: true }, htmlInput: { min: tomorrow() } }}
      />
      <Typography variant="caption" color="textSecondary">
        It is looked at, applied and undone like any run.
      </Typography>
      <Button type="submit" variant="outlined" disabled={!ready}>
        Prepare this
      </Button>
    </Box>
  );
}
