/** Every choice of a reading by its format, each with its reason, changeable at once. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import type { DeliveryView, Reading } from "../../api/hooks";
import { Typed } from "../../components/Typed";
import { Choice, Count, Reason } from "./fields";

const ENCODINGS = [
  "utf-8",
  "cp1252",
  "cp1250",
  "cp1251",
  "cp1253",
  "cp1254",
  "iso8859_2",
  "iso8859_5",
  "iso8859_7",
  "iso8859_9",
  "iso8859_15",
  "koi8_r",
  "cp866",
  "utf-16-le",
  "utf-16-be",
  "cp437",
  "cp850",
  "mac_roman",
  "shift_jis",
  "euc_jp",
  "gb18030",
  "big5",
  "euc_kr",
];
const DELIMITERS: [string, string][] = [
  [";", "; semicolon"],
  [",", ", comma"],
  ["\t", "tab"],
  ["|", "| bar"],
  ["^", "^ caret"],
  ["~", "~ tilde"],
  ["||", "|| double bar"],
  ["::", ":: double colon"],
];

interface ChoicesProps {
  view: DeliveryView;
  reading: Reading;
  onChange: (reading: Reading, label: string) => void;
}

/** The choices of a reading, by its format. */
export function Choices({ view, reading, onChange }: ChoicesProps) {
  const set = (key: string, value: unknown, label: string) =>
    onChange({ ...reading, [key]: value } as Reading, label);
  const why = view.why;
  const parts = { view, reading, set };
  return (
    <>
      <Files {...parts} />
      {reading.format === "delimited" && (
        <>
          <Choice
            label="Encoding"
            why={why.encoding}
            value={reading.encoding ?? "utf-8"}
            options={ENCODINGS.map((e) => [e, e])}
            onChange={(v) => set("encoding", v, `Read with ${v}`)}
          />
          <Choice
            label="Delimiter"
            why={why.delimiter}
            value={reading.delimiter ?? ","}
            options={DELIMITERS}
            onChange={(v) => set("delimiter", v, `Read with ${v === "\t" ? "tab" : v}`)}
          />
          <Choice
            label="Quote"
            why={why.quote}
            value={reading.quote ?? ""}
            options={[
              ['"', '" double'],
              ["'", "' single"],
              ["", "none"],
            ]}
            onChange={(v) => set("quote", v, `Read with ${v || "no quotes"}`)}
          />
        </>
      )}
      {reading.format === "workbook" && <Sheets {...parts} />}
      {(reading.format === "xml" || reading.format === "json") && <Records {...parts} />}
      {(reading.format === "delimited" || reading.format === "workbook") && <Grid {...parts} />}
      {reading.format !== "workbook" && (
        <Choice
          label="Numbers are written with"
          why={why.decimal}
          value={reading.decimal ?? "."}
          options={[
            [",", "a decimal comma: 1.234,50"],
            [".", "a decimal point: 1,234.50"],
          ]}
          onChange={(v) => set("decimal", v, `Read with a decimal ${v === "," ? "comma" : "point"}`)}
        />
      )}
      <NamesFirst {...parts} />
      <More {...parts} />
    </>
  );
}

interface PartProps {
  view: DeliveryView;
  reading: Reading;
  set: (key: string, value: unknown, label: string) => void;
}

/** Several of a list, by tick; at least one stays. */
function Ticks({
  title,
  why,
  names,
  chosen,
  say,
  onChange,
}: {
  title: string;
  why?: string | undefined;
  names: string[];
  chosen: readonly string[];
  say: (name: string) => string;
  onChange: (names: string[]) => void;
}) {
  return (
    <Reason text={why}>
      <Typography variant="caption" color="textSecondary">
        {title}
      </Typography>
      {names.map((name) => (
        <FormControlLabel
          key={name}
          sx={{
            display: "flex",
            mx: 0,
            alignItems: "flex-start",
            "& .MuiTypography-root": { overflowWrap: "anywhere", lineHeight: 1.35, pt: 0.4 },
          }}
          control={
            <Checkbox
              size="small"
              sx={{ p: 0.4, mr: 0.5 }}
              checked={chosen.includes(name)}
              disabled={chosen.length === 1 && chosen[0] === name}
              onChange={(e) =>
                onChange(names.filter((n) => (n === name ? e.target.checked : chosen.includes(n))))
              }
            />
          }
          label={
            <>
              {name}{" "}
              <Typography component="span" variant="caption" color="textSecondary">
                {say(name)}
              </Typography>
            </>
          }
        />
      ))}
    </Reason>
  );
}

function Files({ view, reading, set }: PartProps) {
  const files = view.offers.filter((o) => o.kind === "file" && o.detail === "table");
  if (!files.length) return null;
  return (
    <Ticks
      title="Files of the archive that give the rows"
      why={view.why.files}
      names={files.map((f) => f.name)}
      chosen={reading.files ?? []}
      say={() => ""}
      onChange={(names) => set("files", names, `Read ${names.join(", ")}`)}
    />
  );
}

function Sheets({ view, reading, set }: PartProps) {
  if (reading.format !== "workbook") return null;
  const sheets = view.offers.filter((o) => o.kind === "sheet");
  const chosen = reading.sheets?.length ? reading.sheets : sheets.slice(0, 1).map((s) => s.name);
  return (
    <Ticks
      title="Sheets that give the rows"
      why={view.why.sheets}
      names={sheets.map((s) => s.name)}
      chosen={chosen}
      say={(name) => `${sheets.find((s) => s.name === name)?.count.toLocaleString("en")} rows`}
      onChange={(names) => set("sheets", names, `Read ${names.join(", ")}`)}
    />
  );
}

function Records({ view, reading, set }: PartProps) {
  if (reading.format !== "xml" && reading.format !== "json") return null;
  if (reading.format === "json" && reading.lines) return <Reason text="One document a line."> </Reason>;
  const offers = view.offers.filter((o) => o.kind === "records");
  const options = offers.map((o): [string, string] => [
    o.name,
    `${last(o.name)} · ${o.count.toLocaleString("en")}${o.more ? "+" : ""}`,
  ]);
  const found = offers.find((o) => o.name === reading.records);
  return (
    <Choice
      label={reading.format === "xml" ? "Element that becomes a row" : "List that gives the rows"}
      why={found?.detail ? `${reading.records}: ${found.detail}` : view.why.records}
      value={reading.records ?? ""}
      options={options}
      onChange={(v) => set("records", v, `A row for each ${last(v)}`)}
    />
  );
}

const last = (path: string) => path.split("/").pop() || "the document";

/** Records that are lists have no names, unless the first of them holds those. */
function NamesFirst({ view, reading, set }: PartProps) {
  if (reading.format !== "json") return null;
  const unnamed = view.columns.length > 0 && view.columns.every((name) => /^Column \d+$/.test(name));
  if (!reading.header && !view.why.header && !unnamed) return null;
  return (
    <Reason text={view.why.header}>
      <FormControlLabel
        sx={{ display: "flex" }}
        control={
          <Checkbox
            size="small"
            checked={reading.header ?? false}
            onChange={(e) =>
              set(
                "header",
                e.target.checked,
                e.target.checked ? "The first list holds the names" : "Columns by their places",
              )
            }
          />
        }
        label="The first list holds the names"
      />
    </Reason>
  );
}

function Grid({ view, reading, set }: PartProps) {
  if (reading.format !== "delimited" && reading.format !== "workbook") return null;
  const why = view.why;
  return (
    <>
      <Count
        label="Header row (0: none)"
        why={why.header_row}
        value={reading.header_row ?? 1}
        onChange={(n) => set("header_row", n, `Header in row ${n}`)}
      />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr 1fr", gap: 1 }}>
        <Count
          label="High"
          value={reading.header_height ?? 1}
          onChange={(n) => set("header_height", Math.max(1, n), `Header of ${n} rows`)}
        />
        <Count
          label="Notes under"
          value={reading.notes_rows ?? 0}
          onChange={(n) => set("notes_rows", n, `${n} rows of notes`)}
        />
        <Count
          label="Totals"
          value={reading.footer_rows ?? 0}
          onChange={(n) => set("footer_rows", n, `${n} rows of totals`)}
        />
      </Box>
      <Typography variant="caption" color="textSecondary">
        {[why.header_height, why.notes_rows, why.footer_rows].filter(Boolean).join("; ")}
      </Typography>
      {reading.format === "workbook" && (
        <FormControlLabel
          sx={{ display: "flex", mt: 0.5 }}
          control={
            <Checkbox
              size="small"
              checked={reading.hidden_rows ?? true}
              onChange={(e) =>
                set(
                  "hidden_rows",
                  e.target.checked,
                  e.target.checked ? "Hidden rows taken" : "Hidden rows passed over",
                )
              }
            />
          }
          label="Take hidden rows too"
        />
      )}
    </>
  );
}

function More({ view, reading, set }: PartProps) {
  const damaged = view.problems.some((p) => p.kind === "damaged_barcode");
  return (
    <>
      {reading.format === "delimited" && (
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
          <Reason text={view.why.comment}>
            <Typed
              label="Comment lines start"
              value={reading.comment ?? ""}
              onDone={(v) => set("comment", v, `Comments start with ${v || "nothing"}`)}
            />
          </Reason>
          <Choice
            label="Escape"
            why={view.why.escape}
            value={reading.escape ?? ""}
            options={[
              ["", "none"],
              ["\\", "\\ backslash"],
            ]}
            onChange={(v) => set("escape", v, v ? "Escapes with a backslash" : "No escapes")}
          />
        </Box>
      )}
      {(damaged || reading.damaged === "empty") && (
        <Choice
          label="Rows with a damaged barcode"
          value={reading.damaged ?? "hold"}
          options={[
            ["hold", "are held"],
            ["empty", "arrive without the barcode"],
          ]}
          onChange={(v) =>
            set("damaged", v, v === "hold" ? "Damaged barcodes held" : "Damaged barcodes left empty")
          }
        />
      )}
    </>
  );
}
