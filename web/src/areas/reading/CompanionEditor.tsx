/** One companion being said: which table, on which key, and what happens to keys that do not fit. */
import Alert from "@mui/material/Alert";
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import {
  useArrivals,
  useDelivery,
  useDetection,
  usePreview,
  useSchema,
  type Companion,
  type DeliveryView,
  type Reading,
} from "../../api/hooks";

interface CompanionEditorProps {
  store: number;
  view: DeliveryView;
  before: Reading;
  start: Companion;
  onKeep: (own: Companion) => void;
  onClose: () => void;
}

/** A second table and the keys that join it. */
export function CompanionEditor({ store, view, before, start, onKeep, onClose }: CompanionEditorProps) {
  const [own, setOwn] = useState(start);
  const [part, setPart] = useState(partOf(start));
  const mine = usePreview(view.id, before);
  const theirs = useTheirColumns(store, view, own, part);
  const elsewhere = Boolean(own.feed || own.catalog);
  const complete: Companion = { ...own, reading: elsewhere ? null : (own.reading ?? theirs.reading) };
  const whole =
    own.name !== "" && own.keys.every((k) => k.column && k.theirs) && Boolean(elsewhere || complete.reading);
  const after = usePreview(
    view.id,
    whole ? ({ ...before, companions: [...(before.companions ?? []), complete] } as Reading) : null,
  );
  const choose = (value: string) => {
    const feed = value.startsWith("feed:") ? Number(value.slice(5)) : null;
    setPart(feed || value === CATALOG ? "" : value);
    setOwn({
      ...own,
      feed,
      catalog: value === CATALOG ? [] : null,
      reading: null,
      name: own.name || nameOf(value, theirs.feeds),
      keys: [{ column: "", theirs: "" }],
    });
  };
  const said = (after.data?.problems ?? []).filter(
    (p) => p.kind.includes("companion") || p.kind === "no_partner",
  );
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle sx={{ pb: 0 }}>Join a second table</DialogTitle>
      <DialogContent sx={{ display: "flex", flexDirection: "column", gap: 1.5 }}>
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 160px", gap: 1.5, pt: 1 }}>
          <TextField
            select
            label="Table"
            value={own.catalog ? CATALOG : own.feed ? `feed:${own.feed}` : part}
            onChange={(e) => choose(e.target.value)}
          >
            {view.offers
              .filter((o) => (o.kind === "file" && o.detail === "table") || o.kind === "sheet")
              .map((o) => (
                <MenuItem key={o.name} value={o.name}>
                  {o.name} (in this delivery)
                </MenuItem>
              ))}
            {theirs.feeds
              .filter((f) => f.id !== view.feed_id)
              .map((f) => (
                <MenuItem key={f.id} value={`feed:${f.id}`}>
                  {f.supplier}: {f.name} (its newest delivery)
                </MenuItem>
              ))}
            <MenuItem value={CATALOG}>The store&apos;s catalog (as it is now)</MenuItem>
          </TextField>
          <TextField
            label="Called"
            value={own.name}
            onChange={(e) => setOwn({ ...own, name: e.target.value })}
          />
        </Box>
        {own.keys.map((key, i) => (
          <Box
            key={i}
            sx={{ display: "grid", gridTemplateColumns: "1fr auto 1fr", gap: 1, alignItems: "center" }}
          >
            <ColumnChoice
              label="Column here"
              value={key.column}
              columns={mine.data?.columns ?? []}
              onChange={(v) =>
                setOwn({ ...own, keys: own.keys.map((k, n) => (n === i ? { ...k, column: v } : k)) })
              }
            />
            <Typography color="textSecondary">=</Typography>
            <ColumnChoice
              label="Column there"
              value={key.theirs}
              columns={theirs.columns}
              onChange={(v) =>
                setOwn({ ...own, keys: own.keys.map((k, n) => (n === i ? { ...k, theirs: v } : k)) })
              }
            />
          </Box>
        ))}
        <Box>
          <Button
            size="small"
            color="inherit"
            onClick={() => setOwn({ ...own, keys: [...own.keys, { column: "", theirs: "" }] })}
          >
            One more column to the key
          </Button>
        </Box>
        {own.catalog && (
          <Autocomplete
            multiple
            disableCloseOnSelect
            options={theirs.columns}
            value={own.catalog}
            onChange={(_, catalog) => setOwn({ ...own, catalog })}
            renderInput={(params) => (
              <TextField
                {...params}
                label="Fields that come along"
                helperText="Beside those of the key. They arrive as columns, and change with the catalog."
              />
            )}
          />
        )}
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr" }}>
          <Tick
            label="Letter case does not count"
            value={own.ignore_case ?? true}
            onChange={(v) => setOwn({ ...own, ignore_case: v })}
          />
          <Tick
            label="Blanks do not count"
            value={own.ignore_blanks ?? true}
            onChange={(v) => setOwn({ ...own, ignore_blanks: v })}
          />
          <Tick
            label="Leading zeros do not count"
            value={own.ignore_zeros ?? false}
            onChange={(v) => setOwn({ ...own, ignore_zeros: v })}
          />
          <Tick
            label="Its own rows become rows too"
            value={own.adds ?? false}
            onChange={(v) => setOwn({ ...own, adds: v })}
          />
          <Tick
            label="Of repeated keys, the last row"
            value={own.repeated === "last"}
            onChange={(v) => setOwn({ ...own, repeated: v ? "last" : "first" })}
          />
        </Box>
        <Precedence own={own} mine={mine.data?.columns ?? []} theirs={theirs.columns} onChange={setOwn} />
        {(after.error ?? theirs.error) && (
          <Alert severity="warning">{(after.error ?? theirs.error)?.message}</Alert>
        )}
        {said.length > 0 && (
          <Typography variant="caption" color="textSecondary">
            Counted over the head of the file:
          </Typography>
        )}
        {said.map((p, i) => (
          <Typography key={i} variant="body2" color="textSecondary">
            {p.message} {(p.examples ?? []).slice(0, 4).join(", ")}
          </Typography>
        ))}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!whole || after.isError} onClick={() => onKeep(complete)}>
          Join it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** The store's own products, among the tables. */
const CATALOG = "catalog:";

function partOf(own: Companion): string {
  const reading = own.reading;
  if (!reading) return "";
  if (reading.files?.length) return reading.files[0] ?? "";
  return reading.format === "workbook" ? (reading.sheets?.[0] ?? "") : "";
}

function nameOf(value: string, feeds: { id: number; name: string }[]): string {
  if (value === CATALOG) return "Catalog";
  if (value.startsWith("feed:")) return feeds.find((f) => f.id === Number(value.slice(5)))?.name ?? "";
  return (value.split("/").pop() ?? value).replace(/\.\w+$/, "");
}

/** The columns of the table chosen, with the reading it has where it is part of the delivery. */
function useTheirColumns(store: number, view: DeliveryView, own: Companion, part: string) {
  const arrivals = useArrivals(store);
  const feeds = arrivals.data?.feeds ?? [];
  const newest = feeds.find((f) => f.id === own.feed)?.deliveries[0]?.id;
  const delivery = useDelivery(own.feed ? newest : undefined);
  const schema = useSchema(store);
  const inside = !own.feed && !own.catalog;
  const found = useDetection(view.id, part, inside && part !== "" && !own.reading);
  const reading = own.reading ?? found.data?.reading ?? null;
  const preview = usePreview(view.id, inside ? reading : null);
  const columns = own.catalog
    ? schema.data?.product_schema.fields.map((f) => f.name)
    : own.feed
      ? delivery.data?.columns
      : preview.data?.columns;
  return {
    feeds,
    reading: inside ? reading : null,
    columns: columns ?? [],
    error: inside ? (found.error ?? preview.error) : null,
  };
}

interface ColumnChoiceProps {
  label: string;
  value: string;
  columns: string[];
  onChange: (name: string) => void;
}

function ColumnChoice({ label, value, columns, onChange }: ColumnChoiceProps) {
  return (
    <TextField
      select
      label={label}
      value={columns.includes(value) ? value : ""}
      onChange={(e) => onChange(e.target.value)}
    >
      {columns.map((c) => (
        <MenuItem key={c} value={c}>
          {c}
        </MenuItem>
      ))}
    </TextField>
  );
}

function Tick({
  label,
  value,
  onChange,
}: {
  label: string;
  value: boolean;
  onChange: (value: boolean) => void;
}) {
  return (
    <FormControlLabel
      control={<Checkbox size="small" checked={value} onChange={(e) => onChange(e.target.checked)} />}
      label={label}
    />
  );
}

interface PrecedenceProps {
  own: Companion;
  mine: string[];
  theirs: string[];
  onChange: (own: Companion) => void;
}

/** "This week's price, else the catalog's": columns that one side fills for the other. */
function Precedence({ own, mine, theirs, onChange }: PrecedenceProps) {
  const prefer = own.prefer ?? [];
  const put = (at: number, more: Partial<(typeof prefer)[number]>) =>
    onChange({ ...own, prefer: prefer.map((p, i) => (i === at ? { ...p, ...more } : p)) });
  return (
    <>
      {prefer.map((p, i) => (
        <Box key={i} sx={{ display: "grid", gridTemplateColumns: "1fr 130px 1fr", gap: 1 }}>
          <ColumnChoice
            label="Column here"
            value={p.column}
            columns={mine}
            onChange={(v) => put(i, { column: v })}
          />
          <TextField
            select
            label="Which wins"
            value={p.wins ?? "companion"}
            onChange={(e) => put(i, { wins: e.target.value as "own" })}
          >
            <MenuItem value="companion">theirs first</MenuItem>
            <MenuItem value="own">ours first</MenuItem>
          </TextField>
          <ColumnChoice
            label="Column there"
            value={p.theirs}
            columns={theirs}
            onChange={(v) => put(i, { theirs: v })}
          />
        </Box>
      ))}
      <Box>
        <Button
          size="small"
          color="inherit"
          disabled={!theirs.length}
          onClick={() =>
            onChange({ ...own, prefer: [...prefer, { column: mine[0] ?? "", theirs: theirs[0] ?? "" }] })
          }
        >
          Let one column win over another
        </Button>
      </Box>
    </>
  );
}
