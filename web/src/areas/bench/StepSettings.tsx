/** The settings of one step. Text is sent when the field is left or Enter is pressed. */
import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Step } from "../../api/hooks";
import { formOf, setting, UNITS, withSetting, type StepInput } from "./steps";

interface StepSettingsProps {
  step: Step;
  onChange: (step: Step) => void;
}

export function StepSettings({ step, onChange }: StepSettingsProps) {
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, pt: 0.75 }}>
      {formOf(step).inputs.map((input) => (
        <Setting
          key={input.key}
          input={input}
          value={setting(step, input.key)}
          onChange={(value) => onChange(withSetting(step, input.key, value))}
        />
      ))}
    </Box>
  );
}

interface SettingProps {
  input: StepInput;
  value: unknown;
  onChange: (value: unknown) => void;
}

function Setting({ input, value, onChange }: SettingProps) {
  if (input.kind === "switch")
    return (
      <FormControlLabel
        control={<Switch size="small" checked={Boolean(value)} onChange={(e) => onChange(e.target.checked)} />}
        label={input.label}
        slotProps={{ typography: { variant: "caption" } }}
      />
    );
  if (input.kind === "choice" || input.kind === "unit") {
    const options = input.options ?? UNITS.map((u): [string, string] => [u, u]);
    return (
      <TextField
        select
        label={input.label}
        value={String(value ?? "")}
        onChange={(e) => onChange(e.target.value)}
        sx={{ minWidth: input.kind === "unit" ? 90 : 170 }}
      >
        {options.map(([key, label]) => (
          <MenuItem key={key} value={key}>
            {label}
          </MenuItem>
        ))}
      </TextField>
    );
  }
  if (input.kind === "number")
    return (
      <Typed
        label={input.label}
        value={String(value ?? "")}
        width={120}
        onDone={(text) => /^-?\d+$/.test(text.trim()) && onChange(Number(text))}
      />
    );
  if (input.kind === "words")
    return (
      <Typed
        label={input.label}
        value={(Array.isArray(value) ? value : []).join(", ")}
        width={150}
        onDone={(text) => onChange(text.split(",").map((w) => w.trim()).filter(Boolean))}
      />
    );
  return (
    <Typed label={input.label} value={String(value ?? "")} width={165} onDone={(text) => text !== "" || !["find", "at", "table", "ladder"].includes(input.key) ? onChange(text) : undefined} />
  );
}

interface TypedProps {
  label: string;
  value: string;
  width: number;
  onDone: (text: string) => void;
}

export function Typed({ label, value, width, onDone }: TypedProps) {
  const [text, setText] = useState(value);
  const done = (now: string) => now !== value && onDone(now);
  return (
    <TextField
      label={label}
      value={text}
      sx={{ width }}
      onChange={(e) => setText(e.target.value)}
      onBlur={(e) => done(e.target.value)}
      onKeyDown={(e) => e.key === "Enter" && done((e.target as HTMLInputElement).value)}
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
}
