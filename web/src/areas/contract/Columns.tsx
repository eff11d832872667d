/** The columns of a contract, a line each, to be changed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { ColumnTerms } from "../../api/contracts";
import { KINDS, filledOf, isOrdered, kindOf, ofKind, withFilled } from "./kinds";

interface ColumnsProps {
  columns: ColumnTerms[];
  onChange: (columns: ColumnTerms[]) => void;
}

const GRID = "minmax(0, 1fr) 170px 110px 100px 90px 150px";

export function Columns({ columns, onChange }: ColumnsProps) {
  const [open, setOpen] = useState<string | null>(null);
  const set = (at: number, to: ColumnTerms) => onChange(columns.map((one, n) => (n === at ? to : one)));
  return (
    <Box role="table" aria-label="Columns">
      <Box role="row" sx={{ display: "grid", gridTemplateColumns: GRID, gap: 1, borderBottom: 1, py: 0.5 }}>
        {["Column", "What stands in it", "Filled, % of rows", "No two alike", "Optional", ""].map((title) => (
          <Typography key={title} role="columnheader" variant="caption" color="textSecondary">
            {title}
          </Typography>
        ))}
      </Box>
      {columns.map((one, at) => (
        <Box key={one.name} sx={{ borderBottom: 1, borderColor: "divider", py: 0.5 }}>
          <Line
            column={one}
            open={open === one.name}
            onChange={(to) => set(at, to)}
            onOpen={() => setOpen(open === one.name ? null : one.name)}
            onDrop={() => onChange(columns.filter((_, n) => n !== at))}
          />
          {open === one.name && <More column={one} onChange={(to) => set(at, to)} />}
        </Box>
      ))}
    </Box>
  );
}

interface LineProps {
  column: ColumnTerms;
  open: boolean;
  onChange: (to: ColumnTerms) => void;
  onOpen: () => void;
  onDrop: () => void;
}

function Line({ column, open, onChange, onOpen, onDrop }: LineProps) {
  const kind = kindOf(column);
  const rules = column.constraints ?? {};
  return (
    <Box role="row" sx={{ display: "grid", gridTemplateColumns: GRID, gap: 1, alignItems: "center" }}>
      <Typography role="rowheader" className="mono" noWrap title={column.name}>
        {column.name}
      </Typography>
      <Box role="cell">
        <TextField
          select
          fullWidth
          size="small"
          value={kind?.id ?? ""}
          slotProps={{
            select: { displayEmpty: true },
            htmlInput: { "aria-label": `What stands in ${column.name}` },
          }}
          onChange={(e) => {
            const to = KINDS.find(({ id }) => id === e.target.value);
            if (to) onChange(ofKind(column, to));
          }}
        >
          {!kind && <MenuItem value="">{`date, ${column.format ?? ""}`}</MenuItem>}
          {KINDS.map(({ id, label }) => (
            <MenuItem key={id} value={id}>
              {label}
            </MenuItem>
          ))}
        </TextField>
      </Box>
      <Box role="cell">
        <TextField
          size="small"
          type="number"
          value={filledOf(column)}
          placeholder="any"
          slotProps={{
            htmlInput: { min: 0, max: 100, step: 0.1, "aria-label": `Filled share of ${column.name}` },
          }}
          onChange={(e) => onChange(withFilled(column, e.target.value))}
        />
      </Box>
      <Box role="cell">
        <Checkbox
          size="small"
          checked={rules.unique ?? false}
          slotProps={{ input: { "aria-label": `No two of ${column.name} alike` } }}
          onChange={(_, unique) => onChange({ ...column, constraints: { ...rules, unique } })}
        />
      </Box>
      <Box role="cell">
        <Checkbox
          size="small"
          checked={column.optional ?? false}
          slotProps={{ input: { "aria-label": `${column.name} may be missing` } }}
          onChange={(_, optional) => onChange({ ...column, optional })}
        />
      </Box>
      <Box role="cell" sx={{ whiteSpace: "nowrap", textAlign: "right" }}>
        <Button color="inherit" aria-expanded={open} aria-label={`More of ${column.name}`} onClick={onOpen}>
          {summary(column)}
        </Button>
        <Button color="inherit" aria-label={`Leave ${column.name} out`} onClick={onDrop}>
          Drop
        </Button>
      </Box>
    </Box>
  );
}

/** How many further rules there are. */
function summary({ constraints = {}, description }: ColumnTerms): string {
  const { pattern, minimum, maximum, minLength, maxLength } = constraints;
  const own = [pattern, constraints.enum, minimum, maximum, minLength, maxLength, description];
  const many = own.filter((one) => one !== undefined && one !== null && one !== "").length;
  return many ? `More (${many})` : "More";
}

function More({ column, onChange }: { column: ColumnTerms; onChange: (to: ColumnTerms) => void }) {
  const rules = column.constraints ?? {};
  const rule = (name: "minimum" | "maximum" | "pattern", value: string) =>
    onChange({ ...column, constraints: { ...rules, [name]: value.trim() || null } });
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.5, py: 1, pl: 2, maxWidth: 900 }}>
      {isOrdered(column) && (
        <>
          <TextField
            label="At least"
            defaultValue={rules.minimum ?? ""}
            helperText={column.type === "date" ? "As 2026-11-30." : "With a point, as 0.50."}
            onBlur={(e) => rule("minimum", e.target.value)}
          />
          <TextField
            label="At most"
            defaultValue={rules.maximum ?? ""}
            onBlur={(e) => rule("maximum", e.target.value)}
          />
        </>
      )}
      <TextField
        label="Of the form"
        className="mono"
        defaultValue={rules.pattern ?? ""}
        helperText="A regular expression for the whole cell, as [0-9]{6}."
        onBlur={(e) => rule("pattern", e.target.value)}
      />
      <TextField
        label="One of these words"
        multiline
        maxRows={5}
        defaultValue={(rules.enum ?? []).join("\n")}
        helperText="One a line; none for any."
        onBlur={(e) => {
          const words = [...new Set(e.target.value.split("\n").filter((word) => word !== ""))];
          onChange({ ...column, constraints: { ...rules, enum: words.length ? words : null } });
        }}
      />
      <TextField
        label="Said to the supplier"
        multiline
        maxRows={4}
        sx={{ gridColumn: "1 / -1" }}
        defaultValue={column.description ?? ""}
        onBlur={(e) => onChange({ ...column, description: e.target.value.trim() })}
      />
    </Box>
  );
}
