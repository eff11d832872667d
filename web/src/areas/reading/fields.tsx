/** The small controls of the reading: each with the reason for what it stands on. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type ReactNode } from "react";

interface ChoiceProps {
  label: string;
  why?: string | undefined;
  value: string;
  options: [string, string][];
  onChange: (value: string) => void;
}

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

interface TypedProps {
  label: string;
  why?: string | undefined;
  value: string;
  width?: number | string;
  onChange: (value: string) => void;
}

/** A text that counts once it is left or Enter is pressed. */
export function Typed({ label, why, value, width = "100%", onChange }: TypedProps) {
  const [text, setText] = useState(value);
  const done = () => {
    if (text !== value) onChange(text);
  };
  return (
    <Reason text={why}>
      <TextField
        label={label}
        value={text}
        sx={{ width }}
        onChange={(e) => setText(e.target.value)}
        onBlur={done}
        onKeyDown={(e) => e.key === "Enter" && done()}
        slotProps={{ inputLabel: { shrink: true } }}
      />
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
    <Typed
      label={label}
      why={why}
      value={String(value)}
      onChange={(text) => {
        const n = Number(text);
        if (Number.isInteger(n) && n >= 0) onChange(n);
      }}
    />
  );
}

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
