/** The crosswalk of one feed: fields, the two sheets, and what is open in the panel. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Typography from "@mui/material/Typography";
import { useEffect, useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { useBench, type BenchState } from "../../api/hooks";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { useFeed } from "../../shell/feed";
import { ColumnPanel } from "./ColumnPanel";
import { FieldList } from "./FieldList";
import { FillPanel } from "./FillPanel";
import { TwinSheets } from "./TwinSheets";
import { useEdits } from "./useEdits";
import { useRows } from "./useRows";

/** The crosswalk of one feed, over rows that are worked out with every edit. */
export function Bench() {
  const { feed, delivery } = useFeed();
  const bench = useBench(feed, delivery);
  if (delivery === undefined)
    return <Nothing title="Nothing to map yet">Receive a file for this feed first.</Nothing>;
  if (bench.isPending) return <Waiting what="the bench" />;
  if (bench.isError) return <Failure error={bench.error} retry={() => void bench.refetch()} />;
  return <Ready bench={bench.data} delivery={delivery} />;
}

function Ready({ bench, delivery }: { bench: BenchState; delivery: number }) {
  const edits = useEdits(bench);
  const { asking, openQuestions } = useFeed();
  const [params, setParams] = useSearchParams();
  const [hand, setHand] = useState(0);
  const [search, setSearch] = useState("");
  const only = params.get("only") ?? "";
  const field = params.get("field");
  const column = params.get("column");
  const query = { feed: bench.feed_id, delivery, only, search };
  const inHand = useRows(query, hand, 1);
  const row = inHand.at(hand);

  const choose = (next: { field?: string | null; column?: string | null; only?: string }) =>
    setParams(
      (old) => {
        const merged = new URLSearchParams(old);
        for (const [key, value] of Object.entries(next))
          if (value) merged.set(key, value);
          else merged.delete(key);
        return merged;
      },
      { replace: true },
    );
  const openField = (name: string | null) => {
    openQuestions(false);
    choose({ field: name, column: null });
  };
  const openColumn = (name: string | null) => {
    openQuestions(false);
    choose({ column: name, field: null });
  };
  useKeys(bench, field, openField, () => openQuestions(true));

  const litColumns = useMemo(() => columnsOf(bench, field, column), [bench, field, column]);
  const litFields = useMemo(() => fieldsOf(bench, field, column), [bench, field, column]);
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <FieldList
        bench={bench}
        chosen={field}
        handValue={(name) => row?.results[inHand.fields.indexOf(name)]}
        onChoose={openField}
        onAccept={(suggestions) => void edits.fillAll(suggestions)}
        onPolicy={(policy) => void edits.allow(policy)}
      />
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Filters only={only} search={search} onOnly={(o) => choose({ only: o })} onSearch={setSearch} />
        {bench.error && (
          <Typography color="error" sx={{ px: 1.5, pb: 0.5 }} role="alert">
            {bench.error}
          </Typography>
        )}
        <TwinSheets
          bench={bench}
          query={query}
          hand={hand}
          litColumns={litColumns}
          litFields={litFields}
          onHand={setHand}
          onColumn={openColumn}
          onField={openField}
        />
      </Box>
      {field && !asking && (
        <FillPanel
          key={field}
          bench={bench}
          delivery={delivery}
          name={field}
          row={row?.number ?? 1}
          edits={edits}
          onClose={() => openField(null)}
        />
      )}
      {column && !asking && (
        <ColumnPanel
          key={column}
          bench={bench}
          name={column}
          edits={edits}
          onField={openField}
          onClose={() => openColumn(null)}
        />
      )}
    </Box>
  );
}

interface FiltersProps {
  only: string;
  search: string;
  onOnly: (only: string) => void;
  onSearch: (text: string) => void;
}

function Filters({ only, search, onOnly, onSearch }: FiltersProps) {
  return (
    <Box sx={{ display: "flex", gap: 1, p: 1, alignItems: "center" }}>
      <Select
        value={only}
        displayEmpty
        onChange={(e) => onOnly(e.target.value)}
        inputProps={{ "aria-label": "Rows shown" }}
        sx={{ minWidth: 150 }}
      >
        <MenuItem value="">All rows</MenuItem>
        <MenuItem value="problems">Rows with problems</MenuItem>
        <MenuItem value="questions">Rows in question</MenuItem>
        {only && !["problems", "questions"].includes(only) && (
          <MenuItem value={only}>Problems in {only}</MenuItem>
        )}
      </Select>
      <SearchField
        label="Find text"
        placeholder="Find text in any arriving cell"
        width={230}
        value={search}
        onSearch={onSearch}
      />
      <Typography variant="caption" color="textSecondary" noWrap>
        [ and ] previous and next field · ↑ ↓ rows · q questions · Ctrl+Z undo
      </Typography>
    </Box>
  );
}

function columnsOf(bench: BenchState, field: string | null, column: string | null): Set<string> {
  if (column) return new Set([column]);
  const state = bench.fields.find((f) => f.field.name === field);
  if (state?.columns.length) return new Set(state.columns);
  const suggested = bench.suggestions.find((s) => s.field === field);
  return new Set(suggested ? [suggested.column] : []);
}

function fieldsOf(bench: BenchState, field: string | null, column: string | null): Set<string> {
  if (field) return new Set([field]);
  const fed = bench.fields.filter((f) => column && f.columns.includes(column));
  return new Set(fed.map((f) => f.field.name));
}

function useKeys(
  bench: BenchState,
  field: string | null,
  open: (name: string | null) => void,
  ask: () => void,
) {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (/^(input|textarea)$/i.test(target.tagName) || event.ctrlKey || event.metaKey) return;
      const names = bench.fields.filter((f) => !f.field.spare).map((f) => f.field.name);
      const at = field ? names.indexOf(field) : -1;
      if (event.key === "]") open(names[Math.min(names.length - 1, at + 1)] ?? null);
      else if (event.key === "[") open(names[Math.max(0, at - 1)] ?? null);
      else if (event.key === "q") ask();
      else if (event.key === "Escape") open(null);
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [bench, field, open, ask]);
}
