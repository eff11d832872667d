import TextField from "@mui/material/TextField";
import { useState } from "react";

interface TypedProps {
  label: string;
  /** What the input is called where no label is drawn. */
  says?: string;
  value: string;
  width?: number | string;
  /** Keeps it; false says that it is none, and stays on screen as what is not kept. */
  onDone: (text: string) => unknown;
}

/**
 * A text that counts once it is left or Enter is pressed. A value that comes from elsewhere replaces
 * what was typed; the controls beside it stay, so that a click under way is not lost.
 */
export function Typed({ label, says, value, width = "100%", onDone }: TypedProps) {
  const [text, setText] = useState(value);
  const [shown, setShown] = useState(value);
  if (shown !== value) {
    setShown(value);
    setText(value);
  }
  const [refused, setRefused] = useState(false);
  const done = (now: string) => setRefused(now !== value && onDone(now) === false);
  return (
    <TextField
      label={label}
      value={text}
      sx={{ width }}
      error={refused}
      helperText={refused ? `not kept; ${value || "nothing"} stays` : undefined}
      onChange={(e) => setText(e.target.value)}
      onBlur={(e) => done(e.target.value)}
      onKeyDown={(e) => e.key === "Enter" && done((e.target as HTMLInputElement).value)}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { "aria-label": says } }}
    />
  );
}
