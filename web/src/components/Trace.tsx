/** The way of one value: the cells it began as, each step with the value after it, and who decided. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/client";
import { Mark } from "./Mark";
import { ago } from "./words";

type Traced = Schemas["TracedValue"];
type TraceStep = Schemas["TraceStep"];

/** The way of a value from its source cell, step by step. */
export function TraceView({ traced }: { traced: Traced }) {
  const { trace } = traced;
  const author = traced.version_author ? ` by ${traced.version_author}` : "";
  return (
    <Box>
      <Typography variant="caption" color="textSecondary" component="div" sx={{ mb: 0.5 }}>
        {traced.file_name}, row {trace.row} · {traced.supplier}, {ago(traced.received_at)} ·{" "}
        {traced.version ? `crosswalk version ${traced.version}${author}` : "the draft"}
      </Typography>
      {trace.cells.map((cell) => (
        <Line key={cell.column} mark="arrived" label={cell.column} value={cell.value} />
      ))}
      {trace.fields.map((cell) => (
        <Line key={cell.column} mark="computed" label={`= ${cell.column}`} value={cell.value} />
      ))}
      {trace.steps.slice(1).map((step, index) => (
        <StepLine key={index} step={step} decided={traced.decided.find((d) => d.step === index + 1)} />
      ))}
      <Line mark="computed" label="the store keeps" value={trace.value} strong />
    </Box>
  );
}

interface LineProps {
  mark: "arrived" | "computed";
  label: string;
  value: string | null | undefined;
  strong?: boolean;
}

function Line({ mark, label, value, strong }: LineProps) {
  return (
    <Box
      sx={{
        display: "flex",
        gap: 0.75,
        alignItems: "baseline",
        py: 0.25,
        borderTop: strong ? 1 : 0,
        borderColor: "divider",
      }}
    >
      <Mark state={mark} />
      <Typography
        variant="body2"
        color="textSecondary"
        sx={{ flex: 1, minWidth: 0, overflowWrap: "anywhere" }}
      >
        {label}
      </Typography>
      <Typography
        className="mono"
        sx={{ maxWidth: 190, overflowWrap: "anywhere", textAlign: "right", fontWeight: strong ? 700 : 400 }}
      >
        {value ?? "∅"}
      </Typography>
    </Box>
  );
}

function StepLine({ step, decided }: { step: TraceStep; decided: Schemas["Decided"] | undefined }) {
  const numbers = (step.numbers ?? []).filter(
    (n) => n.value !== null && !["rule", "rung"].includes(n.column),
  );
  return (
    <Box>
      <Line mark="computed" label={step.label} value={step.value} />
      <Box sx={{ pl: 2.25 }}>
        {step.rule && (
          <Typography variant="caption" color="textSecondary" component="div">
            {step.rule}
            {decided && `; set ${decided.author ? `by ${decided.author} ` : ""}${ago(decided.at)}`}
          </Typography>
        )}
        {numbers.map((n) => (
          <Box key={n.column} sx={{ display: "flex" }}>
            <Typography variant="caption" color="textSecondary" sx={{ flex: 1 }}>
              {n.column}
            </Typography>
            <Typography variant="caption" className="mono">
              {n.value}
            </Typography>
          </Box>
        ))}
      </Box>
    </Box>
  );
}
