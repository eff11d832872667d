/** How the bytes become rows: the file as it is beside the table it becomes, every choice shown
 *  with its reason and changeable at once. */
import Box from "@mui/material/Box";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../../api/client";
import { feedKey, useDelivery, useRaw, type Reading } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { bytes } from "../../components/words";
import { useFeed } from "../../shell/FeedPlace";
import { useUndo } from "../../shell/undo";
import { RawLines } from "./RawLines";
import { ReadTable } from "./ReadTable";

const ENCODINGS = ["utf-8", "cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "iso8859_2", "iso8859_15", "utf-16-le", "utf-16-be", "cp437", "cp850", "mac_roman", "shift_jis", "gb18030"];
const DELIMITERS: [string, string][] = [
  [";", "; semicolon"],
  [",", ", comma"],
  ["\t", "tab"],
  ["|", "| bar"],
  ["^", "^ caret"],
];

const DEFAULT: Reading = { format: "delimited", encoding: "utf-8", delimiter: ",", quote: '"', header_row: 1, decimal: "." };

export function ReadingPlace() {
  const { feed, delivery, line } = useFeed();
  const id = delivery ?? line.deliveries[0]?.id;
  const found = useDelivery(id);
  const raw = useRaw(id);
  const queries = useQueryClient();
  const undo = useUndo();
  const again = useMutation({
    mutationFn: (reading: Reading) =>
      take(
        api.PUT("/api/v1/deliveries/{delivery_id}/reading", {
          params: { path: { delivery_id: id ?? 0 } },
          body: reading,
        }),
      ),
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: ["delivery", id] }),
        queries.invalidateQueries({ queryKey: feedKey(feed) }),
        queries.invalidateQueries({ queryKey: ["arrivals"] }),
      ]),
  });
  if (id === undefined)
    return <Nothing title="Nothing to read yet">Drop a file on this feed in Arrivals.</Nothing>;
  if (found.isPending || raw.isPending) return <Waiting what="the delivery" />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  const view = found.data;
  const reading = view.reading ?? DEFAULT;
  const change = (next: Reading, label: string) => {
    const before = reading;
    again.mutate(next, {
      onSuccess: () => undo.did(label, () => again.mutateAsync(before)),
      onError: undo.failed,
    });
  };
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Choices key={JSON.stringify(reading)} view={view} reading={reading} onChange={change} />
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Box sx={{ height: 3 }}>{again.isPending && <LinearProgress sx={{ height: 3 }} />}</Box>
        <Caption text={`The file as it is: ${view.file_name}, ${bytes(view.size)}`} />
        <Box sx={{ flex: "0 0 36%", overflow: "auto", bgcolor: "paper2.arriving", p: 1 }}>
          {raw.data && <RawLines lines={raw.data.lines} reading={reading} />}
        </Box>
        <Caption
          text={
            view.status === "unreadable"
              ? "It does not become a table"
              : `The table it becomes: ${view.rows.toLocaleString("en")} rows, ${view.columns.length} columns, all text`
          }
        />
        {view.status === "unreadable" ? (
          <Failure error={new Error(view.error)} />
        ) : (
          <ReadTable view={view} />
        )}
      </Box>
    </Box>
  );
}

function Caption({ text }: { text: string }) {
  return (
    <Typography
      variant="h3"
      color="textSecondary"
      sx={{ px: 1.25, py: 0.6, borderBottom: 1, borderTop: 1, borderColor: "divider" }}
    >
      {text}
    </Typography>
  );
}

interface ChoicesProps {
  view: Schemas["DeliveryView"];
  reading: Reading;
  onChange: (reading: Reading, label: string) => void;
}

function Choices({ view, reading, onChange }: ChoicesProps) {
  const [row, setRow] = useState(String(reading.header_row));
  const set = (key: keyof Reading, value: unknown, label: string) =>
    onChange({ ...reading, [key]: value } as Reading, `Read with ${label}`);
  const setHeader = () => {
    const n = Number(row);
    if (Number.isInteger(n) && n >= 0 && n !== reading.header_row) set("header_row", n, `header row ${n}`);
  };
  return (
    <Box
      sx={{ width: 300, flex: "none", borderRight: 1, borderColor: "divider", overflowY: "auto", p: 1.5 }}
      component="section"
      aria-label="How the file is read"
    >
      <Typography variant="h2" gutterBottom>
        How it is read
      </Typography>
      <Choice label="Encoding" why={view.why.encoding} value={reading.encoding ?? "utf-8"} options={ENCODINGS.map((e) => [e, e])} onChange={(v) => set("encoding", v, v)} />
      <Choice label="Delimiter" why={view.why.delimiter} value={reading.delimiter ?? ","} options={DELIMITERS} onChange={(v) => set("delimiter", v, v === "\t" ? "tab" : v)} />
      <Choice
        label="Quote"
        why={view.why.quote}
        value={reading.quote ?? ""}
        options={[
          ['"', '" double'],
          ["'", "' single"],
          ["", "none"],
        ]}
        onChange={(v) => set("quote", v, v || "no quotes")}
      />
      <Reason text={view.why.header_row}>
        <TextField
          label="Header row (0: none)"
          value={row}
          fullWidth
          onChange={(e) => setRow(e.target.value)}
          onBlur={setHeader}
          onKeyDown={(e) => e.key === "Enter" && setHeader()}
        />
      </Reason>
      <Choice
        label="Numbers are written with"
        why={view.why.decimal}
        value={reading.decimal ?? "."}
        options={[
          [",", "a decimal comma: 1.234,50"],
          [".", "a decimal point: 1,234.50"],
        ]}
        onChange={(v) => set("decimal", v, v === "," ? "decimal comma" : "decimal point")}
      />
      <Typography variant="caption" color="textSecondary" component="p">
        Cells stay text as they are: no zero is lost and no date is changed. What you choose here is
        kept for the next delivery of this feed.
      </Typography>
      {view.problems.length > 0 && (
        <>
          <Typography variant="h3" color="textSecondary" sx={{ mt: 2, mb: 0.5 }}>
            Noticed while reading
          </Typography>
          {view.problems.slice(0, 60).map((p, i) => (
            <Typography key={i} variant="body2" sx={{ py: 0.25 }}>
              <Mark state={p.kind === "broken_row" ? "refused" : "question"} says={p.kind.replace("_", " ")} />{" "}
              {p.message}
            </Typography>
          ))}
        </>
      )}
    </Box>
  );
}

interface ChoiceProps {
  label: string;
  why: string | undefined;
  value: string;
  options: [string, string][];
  onChange: (value: string) => void;
}

function Choice({ label, why, value, options, onChange }: ChoiceProps) {
  const known = options.some(([key]) => key === value);
  return (
    <Reason text={why}>
      <TextField
        select
        label={label}
        value={value}
        fullWidth
        onChange={(e) => onChange(e.target.value)}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      >
        {!known && <MenuItem value={value}>{value}</MenuItem>}
        {options.map(([key, text]) => (
          <MenuItem key={key} value={key}>
            {text}
          </MenuItem>
        ))}
      </TextField>
    </Reason>
  );
}

function Reason({ text, children }: { text: string | undefined; children: React.ReactNode }) {
  return (
    <Box sx={{ mt: 1.75 }}>
      {children}
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 0.25 }}>
        {text}
      </Typography>
    </Box>
  );
}
