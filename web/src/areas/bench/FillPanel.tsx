/** One store field opened: where its value comes from, what each step does, what goes wrong. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useEffect } from "react";
import type { Schemas } from "../../api/client";
import { putSeen } from "../../api/decisions";
import {
  putVerdict,
  useFeedEdit,
  useField,
  type BenchState,
  type Fill,
  type StoreField,
  type Suggestion,
} from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Failure } from "../../components/states";
import { count } from "../../components/words";
import { CountRow, Panel, Part } from "../../components/Panel";
import { useUndo } from "../../shell/undo";
import { AssumptionRow } from "./Assumptions";
import { FillRules, heldFrom } from "./FillRules";
import { SourceEditor } from "./SourceEditor";
import { StepList } from "./StepList";
import { StepsMenu } from "./StepsMenu";
import { TraceSection } from "./TraceSection";
import type { Edits } from "./useEdits";

interface FillPanelProps {
  bench: BenchState;
  delivery: number;
  name: string;
  row: number;
  edits: Edits;
  onClose: () => void;
}

/** A fill that was taken together with others is looked at when its panel is open. */
function useSeen(bench: BenchState, name: string) {
  const { mutate } = useFeedEdit(bench.feed_id, (seen: Record<string, string>) =>
    putSeen(bench.feed_id, seen),
  );
  const state = bench.fields.find((f) => f.field.name === name);
  const column = state?.accepted ? state.columns[0] : undefined;
  useEffect(() => {
    if (column !== undefined) mutate({ [`field:${name}`]: column });
  }, [column, name, mutate]);
}

const EMPTY: Fill = { parts: [], steps: [], when_empty: "leave", on_problem: "reject", writes: "always" };

/** The fill of one field, with what each step does to the row in hand. */
export function FillPanel({ bench, delivery, name, row, edits, onClose }: FillPanelProps) {
  const undo = useUndo();
  const verdict = useFeedEdit(bench.feed_id, (body: Schemas["Verdicts"]) => putVerdict(bench.feed_id, body));
  const detail = useField(bench.feed_id, name, row, delivery);
  useSeen(bench, name);
  const field = bench.fields.find((f) => f.field.name === name)?.field;
  if (!field) return null;
  const label = field.title || field.name;
  const fill = bench.crosswalk.fills?.[name] ?? null;
  const columns = bench.columns.map((c) => c.name);
  const fields = bench.fields.filter((f) => f.source && f.field.name !== name).map((f) => f.field.name);
  const error = bench.fields.find((f) => f.field.name === name)?.error;
  const fresh = detail.data?.field.name === name ? detail.data : undefined;
  const refuse = (column: string) => {
    const body = { verdict: "refused" as const, subject: `field:${name}`, proposal: column };
    verdict.mutate(
      { ...body, back: false },
      {
        onSuccess: () =>
          undo.did(`'${column}' is not for ${label}`, () => verdict.mutateAsync({ ...body, back: true })),
        onError: undo.failed,
      },
    );
  };
  const set = (next: Fill | null, said: string) => void edits.setFill(name, next, `${label}: ${said}`);
  return (
    <Panel title={label} subtitle={describe(field)} label={`Fill of ${label}`} onClose={onClose}>
      {detail.isError && <Failure error={detail.error} />}
      {error && (
        <Alert severity="error" variant="outlined" sx={{ mb: 1.5, py: 0 }}>
          {error}
        </Alert>
      )}
      {!fill && (
        <Suggestions
          found={fresh?.suggestions ?? []}
          onTake={(s) => set(s.fill, `filled from '${s.column}'`)}
          onRefuse={(s) => refuse(s.column)}
        />
      )}
      <Part title="Comes from">
        <SourceEditor
          columns={columns}
          fields={fields}
          parts={fill?.parts ?? []}
          onChange={(parts, said) => set(parts.length ? { ...(fill ?? EMPTY), parts } : null, said)}
          onColumn={(column) => void edits.fillFrom(name, column, `${label}: filled from '${column}'`)}
        />
      </Part>
      {(fill?.assumptions?.length ?? 0) > 0 && (
        <Part title="Taken for granted">
          {fill?.assumptions?.map((a) => (
            <AssumptionRow
              key={a.about + a.state + a.choice}
              assumption={a}
              choices={fresh?.choices[a.about] ?? []}
              onState={(choice) => void edits.state([name], a.about, choice)}
            />
          ))}
        </Part>
      )}
      {!fill && (
        <Button
          onClick={() => set({ ...EMPTY, steps: [{ do: "formula", formula: "" }] }, "filled by a formula")}
          sx={{ mb: 1 }}
        >
          Or fill it by a formula
        </Button>
      )}
      {fill && (
        <Part title={`Steps, on row ${row}`}>
          <StepList
            steps={fill.steps ?? []}
            stages={fresh?.stages ?? []}
            supplier={bench.supplier}
            fieldLabel={label}
            place={{ feed: bench.feed_id, delivery, row, value: null, columns, fields }}
            onChange={(steps, said) => set({ ...fill, steps }, said)}
          />
          <StepsMenu bench={bench} name={name} fill={fill} edits={edits} />
        </Part>
      )}
      {fresh && fresh.problems.length > 0 && (
        <Part title="Problems">
          {fresh.problems.map((p) => (
            <Box key={p.kind + p.seen} sx={{ display: "flex", gap: 0.75, py: 0.25 }}>
              <Mark state={p.severity === "question" ? "question" : "refused"} />
              <Typography variant="body2" sx={{ flex: 1 }}>
                {p.message}
              </Typography>
              <Typography variant="caption" color="textSecondary">
                {p.count}
              </Typography>
            </Box>
          ))}
        </Part>
      )}
      {fresh && fresh.results.length > 0 && (
        <Part title={`Results: ${count(fresh.distinct, "value", "different values")}`}>
          {fresh.results.slice(0, 12).map((r) => (
            <CountRow key={r.value} text={r.value} count={r.count} most={fresh.results[0]?.count ?? 1} />
          ))}
        </Part>
      )}
      {fill && (
        <FillRules
          fill={fill}
          storeWrites={field.writes ?? "always"}
          columns={columns}
          onChange={set}
          onSince={(column) => void edits.since(name, column, `${label}: ${heldFrom(column)}`)}
        />
      )}
      {fill && fresh && <TraceSection path={{ feed: bench.feed_id, delivery, field: name, row }} />}
      {fill && (
        <Button color="error" onClick={() => set(null, "no longer filled")}>
          Fill with nothing
        </Button>
      )}
    </Panel>
  );
}

function describe(field: StoreField): string {
  const parts = [(field.kind ?? "text").replace("_", " ")];
  if (field.currency) parts[0] += ` in ${field.currency}`;
  if (field.unit) parts[0] += ` in ${field.unit}`;
  if (field.required) parts.push("required");
  if (field.max_length) parts.push(`at most ${field.max_length} characters`);
  if (field.allowed?.length) parts.push(`one of: ${field.allowed.join(", ")}`);
  return parts.join(" · ");
}

interface SuggestionsProps {
  found: Suggestion[];
  onTake: (s: Suggestion) => void;
  onRefuse: (s: Suggestion) => void;
}

function Suggestions({ found, onTake, onRefuse }: SuggestionsProps) {
  if (!found.length)
    return (
      <Alert severity="info" variant="outlined" sx={{ mb: 1.5, py: 0 }}>
        No column looks like this field. Choose one below, or write a constant.
      </Alert>
    );
  return (
    <Part title="Suggested">
      {found.map((s) => (
        <Box key={s.column} sx={{ display: "flex", alignItems: "center", gap: 1, py: 0.5 }}>
          <Box sx={{ flex: 1, minWidth: 0 }}>
            <Typography sx={{ fontWeight: 550 }}>{s.column}</Typography>
            <Typography variant="caption" color="textSecondary" component="div">
              {s.reasons.join("; ")}
            </Typography>
          </Box>
          <Typography variant="caption" color="textSecondary">
            {s.score} %
          </Typography>
          <Button variant="outlined" onClick={() => onTake(s)} aria-label={`Fill from ${s.column}`}>
            Use
          </Button>
          <Button color="inherit" onClick={() => onRefuse(s)} aria-label={`Refuse ${s.column}`}>
            Refuse
          </Button>
        </Box>
      ))}
    </Part>
  );
}
