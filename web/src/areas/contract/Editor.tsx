/** A contract to be changed before it is kept. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Contract } from "../../api/contracts";
import { Failure } from "../../components/states";
import { Columns } from "./Columns";

interface EditorProps {
  start: Contract;
  /** What is said above it. */
  says: string;
  busy: boolean;
  error: unknown;
  onKeep: (contract: Contract) => void;
  onClose: () => void;
}

export function Editor({ start, says, busy, error, onKeep, onClose }: EditorProps) {
  const [value, setValue] = useState(start);
  const rows = value.rows ?? {};
  const size = (typed: string) => (typed === "" ? null : Math.max(0, Math.trunc(Number(typed))));
  return (
    <Box
      component="form"
      aria-label="Contract"
      onSubmit={(e) => {
        e.preventDefault();
        onKeep(value);
      }}
      sx={{ display: "grid", gap: 1.5 }}
    >
      <Typography color="textSecondary">{says}</Typography>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <TextField
          label="Rows at least"
          type="number"
          value={rows.least ?? ""}
          sx={{ width: 140 }}
          onChange={(e) => setValue({ ...value, rows: { ...rows, least: size(e.target.value) } })}
        />
        <TextField
          label="Rows at most"
          type="number"
          value={rows.most ?? ""}
          placeholder="any"
          slotProps={{ inputLabel: { shrink: true } }}
          sx={{ width: 140 }}
          onChange={(e) => setValue({ ...value, rows: { ...rows, most: size(e.target.value) } })}
        />
        <FormControlLabel
          control={
            <Checkbox
              checked={value.others ?? true}
              onChange={(_, others) => setValue({ ...value, others })}
            />
          }
          label="Further columns may follow"
        />
        <FormControlLabel
          control={
            <Checkbox
              checked={Boolean(value.file?.format)}
              disabled={!start.file?.format}
              onChange={(_, told) => setValue({ ...value, file: told ? start.file : {} })}
            />
          }
          label="Its format and encoding stay"
        />
      </Box>
      <TextField
        label="Said to the supplier above all"
        multiline
        maxRows={4}
        value={value.description ?? ""}
        onChange={(e) => setValue({ ...value, description: e.target.value })}
      />
      <Columns columns={value.fields} onChange={(fields) => setValue({ ...value, fields })} />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="contained" type="submit" disabled={busy || !value.fields.length}>
          Keep it
        </Button>
        <Button color="inherit" onClick={onClose}>
          Leave it
        </Button>
      </Box>
      {error !== null && <Failure error={error} />}
    </Box>
  );
}
