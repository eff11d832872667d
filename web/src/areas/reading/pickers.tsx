/** Choosing columns of a delivery, one or several. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";

/** Two entries side by side. */
export function Row({ children }: { children: React.ReactNode }) {
  return <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1.5, pt: 1 }}>{children}</Box>;
}

interface ColumnsProps {
  label: string;
  value: readonly string[];
  columns: string[];
  onChange: (names: string[]) => void;
}

/** Several columns, in their order. */
export function Columns({ label, value, columns, onChange }: ColumnsProps) {
  return (
    <Autocomplete
      multiple
      size="small"
      options={columns}
      value={[...value]}
      disableCloseOnSelect
      onChange={(_, names) => onChange(names)}
      renderInput={(params) => <TextField {...params} label={label} />}
    />
  );
}

/** One column. */
export function Pick({
  label,
  value,
  columns,
  empty,
  onChange,
}: {
  label: string;
  value: string;
  columns: string[];
  empty: string;
  onChange: (name: string) => void;
}) {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
    >
      <MenuItem value="">{empty}</MenuItem>
      {columns.map((c) => (
        <MenuItem key={c} value={c}>
          {c}
        </MenuItem>
      ))}
    </TextField>
  );
}
