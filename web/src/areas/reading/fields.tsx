/** The small controls of the reading: each with the reason for what it stands on. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Typed } from "../../components/Typed";

interface ChoiceProps {
  label: string;
  why?: string | undefined;
  value: string;
  options: [string, string][];
  onChange: (value: string) => void;
}

/** One of a few, with the reason for what it stands on. */
export function Choice({ label, why, value, options, onChange }: ChoiceProps) {
  const known = options.some(([key]) => key === value);
  return (
    <Reason text={why}>
      <TextField
        select
        label={label}
        value={value}
        fullWidth
        onChange={(e) => onChange(e.target.value)}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      >
        {!known && <MenuItem value={value}>{value}</MenuItem>}
        {options.map(([key, text]) => (
          <MenuItem key={key} value={key}>
            {text}
          </MenuItem>
        ))}
      </TextField>
    </Reason>
  );
}

interface CountProps {
  label: string;
  why?: string | undefined;
  value: number;
  onChange: (value: number) => void;
}

/** A whole number; anything else is not taken over. */
export function Count({ label, why, value, onChange }: CountProps) {
  return (
    <Reason text={why}>
      <Typed
        label={label}
        value={String(value)}
        onDone={(text) => {
          const n = Number(text);
          if (Number.isInteger(n) && n >= 0) onChange(n);
        }}
      />
    </Reason>
  );
}

/** A control with the reason for what it stands on. */
export function Reason({ text, children }: { text?: string | undefined; children: ReactNode }) {
  return (
    <Box sx={{ mt: 1.5 }}>
      {children}
      {text && (
        <Typography variant="caption" color="textSecondary" component="div" sx={{ mt: 0.25 }}>
          {text}
        </Typography>
      )}
    </Box>
  );
}
