/** What narrows the list of a run's lines, and deciding all that it shows. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Chip from "@mui/material/Chip";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { Schemas } from "../../api/client";
import { isOpen } from "../../api/deciding";
import type { RunView } from "../../api/hooks";
import { SearchField } from "../../components/SearchField";
import { DecideShown } from "./Decided";
import type { Through } from "./Findings";
import { useInstead } from "./instead";
import { asked, type Shown } from "./shown";
import { inPercent } from "./Spread";
import type { useDecide } from "./useDecide";

interface FiltersProps {
  run: RunView;
  summary: Schemas["ReviewSummary"] | undefined;
  shown: Shown;
  /** The finding whose lines are shown holds them, not the run. */
  guarded: boolean;
  deciding: ReturnType<typeof useDecide>;
  onSet: (change: Record<string, string>) => void;
  onThrough: (through: Through) => void;
}

const DECIDED = ["new", "changed", "gone", ""];

/** The bar above the list. */
export function Filters({ run, summary, shown, guarded, deciding, onSet, onThrough }: FiltersProps) {
  const of = asked(shown);
  const { status, field, search, later, guard, reason, by, word, least, most, worst } = shown;
  const label = summary?.fields.find((f) => f.field === field)?.label ?? "";
  return (
    <Box sx={{ display: "flex", gap: 1, p: 1, flexWrap: "wrap", alignItems: "center", whiteSpace: "nowrap" }}>
      <SearchField
        label="Find products"
        placeholder="Find a key, name or reason"
        width={210}
        value={search}
        onSearch={(text) => onSet({ search: text })}
      />
      {run.kind === "undo" && run.status === "prepared" && status === "stays" && <AllInstead run={run} />}
      {status === "changed" && summary && (
        <TextField
          select
          value={field}
          onChange={(e) => onSet({ field: e.target.value, least: "", most: "" })}
          slotProps={{ select: { displayEmpty: true }, htmlInput: { "aria-label": "Changed field" } }}
          sx={{ minWidth: 190 }}
        >
          <MenuItem value="">any field changed</MenuItem>
          {summary.fields.map((f) => (
            <MenuItem key={f.field} value={f.field}>
              {f.label} ({f.count})
            </MenuItem>
          ))}
        </TextField>
      )}
      {(least || most) && (
        <Chip
          size="small"
          label={`${label || field} ${inPercent(least, most)}`}
          onDelete={() => onSet({ least: "", most: "" })}
        />
      )}
      {reason && (
        <Chip size="small" label={reason.replaceAll("_", " ")} onDelete={() => onSet({ reason: "" })} />
      )}
      {by && (
        <Chip
          size="small"
          label={`${summary?.groupings.find((one) => one.by === by)?.label ?? by}: ${word || "empty"}`}
          onDelete={() => onSet({ by: "", word: "" })}
        />
      )}
      {field && summary?.spreads.some((s) => s.field === field) && (
        <FormControlLabel
          control={<Checkbox size="small" checked={worst} />}
          onChange={(_, on) => onSet({ worst: on ? "1" : "" })}
          label="worst first"
        />
      )}
      {status === "changed" && run.kind === "delivery" && run.waits > 0 && (
        <FormControlLabel
          control={<Checkbox size="small" checked={later} />}
          onChange={(_, only) => onSet({ later: only ? "1" : "" })}
          label="only what waits for its day"
        />
      )}
      <Box sx={{ flex: 1 }} />
      <Button color="inherit" onClick={() => onSet({ step: "0" })}>
        Step through
      </Button>
      {isOpen(run) && guard && guarded && (
        <Button color="inherit" onClick={() => onThrough({ of, what: "All lines that are shown." })}>
          Let all shown through
        </Button>
      )}
      {isOpen(run) && ["changed", "new", ""].includes(status) && (
        <FormControlLabel
          control={<Checkbox size="small" checked={deciding.remember} />}
          onChange={(_, on) => deciding.setRemember(on)}
          label="decline until it changes"
          title="What is declined stays so in later deliveries, until the supplier sends another value"
          sx={{ mr: 0 }}
        />
      )}
      {isOpen(run) && DECIDED.includes(status) && (
        <DecideShown of={of} label={status === "new" ? "" : label} deciding={deciding} />
      )}
    </Box>
  );
}

function AllInstead({ run }: { run: RunView }) {
  const choose = useInstead(run);
  return (
    <Button
      color="inherit"
      disabled={choose.isPending}
      onClick={() => choose.mutate({ all: !run.instead.all, fields: [] })}
    >
      {run.instead.all ? "Let all later values stay" : "Put all earlier values back"}
    </Button>
  );
}
