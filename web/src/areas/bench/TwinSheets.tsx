/** What arrives above, what the store gets below: the same rows, one scroll position. */
import Box from "@mui/material/Box";
import { useMemo, useState, type KeyboardEvent } from "react";
import type { BenchState } from "../../api/hooks";
import { stateOf } from "../../components/Mark";
import { Failure } from "../../components/states";
import { useTallScroll } from "../../components/useTallScroll";
import { HEAD, ROW, Sheet, type SheetCell, type SheetColumn } from "./Sheet";
import { useRows, type RowsQuery } from "./useRows";

const DIVIDER = 22;
/** Room for a pane's own sideways scroll bar. */
const BAR = 12;
const paneOf = (size: number) => Math.floor((size - DIVIDER) / 2);

interface TwinProps {
  bench: BenchState;
  query: RowsQuery;
  hand: number;
  litColumns: Set<string>;
  litFields: Set<string>;
  onHand: (index: number) => void;
  onColumn: (name: string) => void;
  onField: (name: string) => void;
}

/** What arrives above, what the store gets below: the same rows. */
export function TwinSheets(props: TwinProps) {
  const { bench, hand, onHand } = props;
  const [total, setTotal] = useState(bench.rows);
  // The rows of one pane travel; all else is the other pane, headings and scroll bars.
  const { box, size, height, first, shift, onScroll, begin } = useTallScroll(
    total,
    ROW,
    (all) => all - paneOf(all) + HEAD + BAR,
  );
  const half = paneOf(size);
  const capacity = Math.max(1, Math.floor((half - HEAD - BAR) / ROW));
  const rows = useRows(props.query, first, capacity + 1);
  if (!rows.pending && rows.total !== total) setTotal(rows.total);

  const arriving = useMemo(() => arrivingColumns(bench), [bench]);
  const results = useMemo(() => resultColumns(bench, rows.fields), [bench, rows.fields]);

  const show = (index: number) => {
    const next = Math.max(0, Math.min(total - 1, index));
    onHand(next);
    if (next < first) begin(next);
    else if (next >= first + capacity) begin(next - capacity + 1);
  };
  const onKey = (event: KeyboardEvent) => {
    const steps: Record<string, number> = {
      ArrowDown: 1,
      ArrowUp: -1,
      PageDown: capacity,
      PageUp: -capacity,
    };
    const by = event.key === "Home" ? -total : event.key === "End" ? total : steps[event.key];
    if (by === undefined) return;
    event.preventDefault();
    show(hand + by);
  };

  if (rows.error) return <Failure error={rows.error} />;
  const shared = {
    height: half,
    first,
    shift,
    total,
    hand,
    rowNumber: (index: number) => {
      const row = rows.at(index);
      return row ? { number: row.number, fault: row.fault } : null;
    },
  };
  return (
    <Box
      ref={box}
      tabIndex={0}
      aria-label="Rows, arriving and resulting"
      onKeyDown={onKey}
      onScroll={onScroll}
      sx={{ flex: 1, minHeight: 0, overflowY: "auto", overflowX: "hidden", position: "relative" }}
    >
      <div style={{ height }}>
        <div style={{ position: "sticky", top: 0, height: size }}>
          <Sheet
            {...shared}
            label="What arrives"
            arriving
            columns={arriving}
            lit={props.litColumns}
            cell={(index, c) => textCell(rows.at(index)?.arriving[c])}
            onColumn={props.onColumn}
            onRow={(index, name) => {
              onHand(index);
              props.onColumn(name);
            }}
          />
          <Divider rows={total} delivered={bench.rows} sampled={bench.sample_rows} />
          <Sheet
            {...shared}
            label="What the store gets"
            columns={results}
            lit={props.litFields}
            cell={(index, c) => {
              const row = rows.at(index);
              return row ? resultCell(row.results[c], row.marks[c]) : null;
            }}
            onColumn={props.onField}
            onRow={(index, name) => {
              onHand(index);
              props.onField(name);
            }}
          />
        </div>
      </div>
    </Box>
  );
}

function Divider({ rows, delivered, sampled }: { rows: number; delivered: number; sampled: number }) {
  const all = delivered.toLocaleString("en");
  const shown = rows === delivered ? `${all} rows` : `${rows.toLocaleString("en")} of ${all} rows`;
  const from = sampled < delivered ? `; counts from ${sampled.toLocaleString("en")} of them` : "";
  return (
    <Box
      sx={{
        height: DIVIDER,
        px: 1,
        display: "flex",
        alignItems: "center",
        justifyContent: "space-between",
        fontSize: 11,
        whiteSpace: "nowrap",
        color: "text.secondary",
        bgcolor: "background.default",
        borderTop: 1,
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <span>▲ what arrives</span>
      <span>{shown + from}</span>
      <span>what the store gets ▼</span>
    </Box>
  );
}

const textCell = (text: string | null | undefined): SheetCell | null =>
  text === undefined ? null : { text };

function resultCell(text: string | null | undefined, mark: string | undefined): SheetCell {
  const state = stateOf(mark);
  if (state === "computed") return { text: text ?? null };
  const sign = state === "question" ? "?" : state === "refused" ? "✕" : "–";
  return text === null || text === undefined
    ? { text: `${sign} none`, className: `${state} none` }
    : { text: `${sign} ${text}`, className: state };
}

function arrivingColumns(bench: BenchState): SheetColumn[] {
  const undecided = new Set(bench.undecided);
  return bench.columns.map((c) => ({
    name: c.name,
    label: c.name,
    width: widthFor(Math.max(c.name.length + 2, Math.min(c.longest, 34))),
    numeric: c.looks_like.startsWith("decimal") || c.looks_like === "whole number",
    undecided: undecided.has(c.name),
  }));
}

const WIDE: Record<string, number> = {
  rich_text: 260,
  text: 150,
  category: 220,
  link: 200,
  links: 200,
  gtin: 122,
};

function resultColumns(bench: BenchState, fields: string[]): SheetColumn[] {
  const byName = new Map(bench.fields.map((f) => [f.field.name, f.field]));
  return fields.map((name) => {
    const field = byName.get(name);
    const numeric = ["integer", "decimal", "money", "measure"].includes(field?.kind ?? "");
    const label = field?.title || name;
    const width = name === "name" ? 260 : (WIDE[field?.kind ?? ""] ?? 92);
    return { name, label, width: Math.max(width, label.length * 7.4 + 18), numeric };
  });
}

const widthFor = (characters: number) => Math.max(52, Math.round(characters * 7.1 + 17));
