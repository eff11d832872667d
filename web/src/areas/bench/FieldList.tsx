/** The store's fields: how each is filled, what the row in hand gets, and what is wrong. */
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { BenchState, FieldState, Suggestion } from "../../api/hooks";
import { AcceptList } from "../../components/AcceptList";
import { Mark, type ValueState } from "../../components/Mark";
import { PLAIN, PolicyLine, type Policy } from "./PolicyLine";

interface FieldListProps {
  bench: BenchState;
  chosen: string | null;
  handValue: (field: string) => string | null | undefined;
  onChoose: (field: string) => void;
  onAccept: (suggestions: Suggestion[]) => void;
  onPolicy: (policy: Policy) => void;
}

/** The store's fields: how each is filled, how far, and what is wrong. */
export function FieldList({ bench, chosen, handValue, onChoose, onAccept, onPolicy }: FieldListProps) {
  const [filter, setFilter] = useState("");
  const filled = bench.fields.filter((f) => f.source).length;
  const usable = bench.fields.filter((f) => !f.field.spare || f.source);
  const shown = usable.filter((f) =>
    `${f.field.title} ${f.field.name} ${f.source}`.toLowerCase().includes(filter.toLowerCase()),
  );
  const titles = new Map(bench.fields.map((f) => [f.field.name, f.field.title || f.field.name]));
  const proposed = bench.suggestions.map((suggestion) => ({
    asked: titles.get(suggestion.field) ?? suggestion.field,
    proposal: { ...suggestion, place: suggestion.column, reason: suggestion.reasons.join("; ") },
    suggestion,
  }));
  const suggested = new Map(bench.suggestions.map((s) => [s.field, s]));
  return (
    <Box
      sx={{
        width: 336,
        flex: "none",
        display: "flex",
        flexDirection: "column",
        borderRight: 1,
        borderColor: "divider",
        minHeight: 0,
      }}
    >
      <Box sx={{ p: 1, display: "flex", gap: 1, alignItems: "center" }}>
        <TextField
          placeholder={`${filled} of ${usable.length} fields filled`}
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
          slotProps={{ htmlInput: { "aria-label": "Find a field" } }}
          fullWidth
        />
        <AcceptList
          proposed={proposed}
          label="Suggested columns"
          opens={(n) => `Look at ${n}`}
          says={({ asked, proposal }) => `${asked} from '${proposal.place}'`}
          onAccept={(chosen) => onAccept(chosen.map((p) => p.suggestion))}
        />
      </Box>
      {proposed.length > 0 && (
        <Typography variant="caption" color="textSecondary" sx={{ px: 1.25, pb: 0.75 }}>
          Dashed rows are suggestions, not filled yet. Choose one to see why.
        </Typography>
      )}
      <Box
        sx={{ overflowY: "auto", flex: 1, borderTop: 1, borderColor: "divider" }}
        role="listbox"
        aria-label="Store fields"
      >
        {shown.map((state) => (
          <FieldRow
            key={state.field.name}
            state={state}
            rows={bench.sample_rows}
            suggestion={suggested.get(state.field.name)}
            chosen={chosen === state.field.name}
            value={handValue(state.field.name)}
            onChoose={onChoose}
          />
        ))}
      </Box>
      <PolicyLine
        policy={{ ...PLAIN, ...bench.crosswalk.policy }}
        hasStock={bench.fields.some((f) => f.field.role === "stock")}
        onChange={onPolicy}
      />
    </Box>
  );
}

interface FieldRowProps {
  state: FieldState;
  rows: number;
  suggestion: Suggestion | undefined;
  chosen: boolean;
  value: string | null | undefined;
  onChoose: (field: string) => void;
}

function FieldRow({ state, rows, suggestion, chosen, value, onChoose }: FieldRowProps) {
  const { field } = state;
  const share = rows ? state.filled / rows : 0;
  return (
    <button
      type="button"
      role="option"
      aria-selected={chosen}
      className={`ledger-row${chosen ? " chosen" : ""}`}
      onClick={() => onChoose(field.name)}
      title={
        state.source
          ? `${[state.source, ...state.steps].join(" · ")}\n${Math.round(share * 100)} % of products`
          : undefined
      }
    >
      <Gauge share={state.source ? share : null} />
      <span className="clip" style={{ width: 116, flex: "none", fontWeight: chosen ? 600 : 400 }}>
        {field.title || field.name}
        {field.required && <span style={{ color: "var(--mui-palette-primary-main)" }}> *</span>}
      </span>
      {state.source || !suggestion ? (
        <span className="clip quiet" style={{ flex: 1 }}>
          {state.source || "—"}
        </span>
      ) : (
        <span className="clip suggested" title={suggestion.reasons.join("; ")}>
          {suggestion.column}?
        </span>
      )}
      <FieldMark state={state} />
      <span className="clip mono" style={{ maxWidth: 84, textAlign: "right" }}>
        {state.source ? (value ?? "") : ""}
      </span>
    </button>
  );
}

/** How many products get a value, as the height of a small column. */
function Gauge({ share }: { share: number | null }) {
  return (
    <span
      aria-hidden
      style={{
        width: 5,
        height: 18,
        flex: "none",
        display: "flex",
        alignItems: "flex-end",
        background: share === null ? "transparent" : "var(--mui-palette-paper2-line)",
        outline: share === null ? "1px dashed var(--mui-palette-divider)" : "none",
      }}
    >
      <span
        style={{
          width: "100%",
          height: `${Math.round((share ?? 0) * 100)}%`,
          background: "var(--mui-palette-primary-main)",
        }}
      />
    </span>
  );
}

function FieldMark({ state }: { state: FieldState }) {
  const marks: [ValueState, number][] = [
    ["question", state.questions],
    ["refused", state.refused],
  ];
  return (
    <>
      {state.accepted && <Mark state="accepted" />}
      {marks
        .filter(([, n]) => n > 0)
        .map(([kind, n]) => (
          <span key={kind} style={{ flex: "none", fontSize: 11 }}>
            <Mark state={kind} says={kind === "question" ? `${n} wait for an answer` : `${n} refused`} />
            {n}
          </span>
        ))}
    </>
  );
}
