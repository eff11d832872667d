/** The settings of one step. Text is sent when the field is left or Enter is pressed. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import type { Step } from "../../api/hooks";
import { FormulaEditor, type FormulaPlace } from "./FormulaEditor";
import { LookupChoice } from "./LookupChoice";
import { OptionRows, type Option } from "./OptionRows";
import { UNITS, type InputKind, type StepInput } from "./inputs";
import { Typed } from "../../components/Typed";
import { formOf, setting, withSetting } from "./steps";

interface StepSettingsProps {
  step: Step;
  /** Where a formula stands: its feed, the row in hand, and the value that enters the step. */
  place: FormulaPlace;
  onChange: (step: Step) => void;
}

/** What can be set of one step. */
export function StepSettings({ step, place, onChange }: StepSettingsProps) {
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, pt: 0.75 }}>
      {formOf(step).inputs.map((input) => (
        <Setting
          key={input.key}
          input={input}
          place={place}
          value={setting(step, input.key)}
          onChange={(value) => onChange(withSetting(step, input.key, value))}
        />
      ))}
    </Box>
  );
}

interface SettingProps {
  input: StepInput;
  place: FormulaPlace;
  value: unknown;
  onChange: (value: unknown) => void;
}

const MAY_NOT_BE_EMPTY = new Set(["find", "at"]);
const WIDTHS: Partial<Record<InputKind, number>> = { number: 120, decimal: 104, words: 150 };

/** What typed text means for a kind of setting; undefined where it is none. */
function meaning(kind: InputKind, key: string, text: string): unknown {
  if (kind === "number" && key === "pivot" && !text.trim()) return null;
  if (kind === "number") return /^-?\d+$/.test(text.trim()) ? Number(text) : undefined;
  if (kind === "decimal") {
    if (!text.trim()) return ["least", "most"].includes(key) ? null : undefined;
    return /^-?\d+([.,]\d+)?$/.test(text.trim()) ? text.trim().replace(",", ".") : undefined;
  }
  if (kind === "words")
    return text
      .split(",")
      .map((w) => w.trim())
      .filter(Boolean);
  return text === "" && MAY_NOT_BE_EMPTY.has(key) ? undefined : text;
}

function Setting({ input, place, value, onChange }: SettingProps) {
  if (input.kind === "formula")
    return <FormulaEditor place={place} label={input.label} value={String(value ?? "")} onDone={onChange} />;
  if (input.kind === "options")
    return <OptionRows options={value as Option[]} columns={place.columns} onChange={onChange} />;
  if (input.kind === "switch")
    return (
      <FormControlLabel
        control={
          <Switch size="small" checked={Boolean(value)} onChange={(e) => onChange(e.target.checked)} />
        }
        label={input.label}
        slotProps={{ typography: { variant: "caption" } }}
      />
    );
  if (
    input.kind === "value_table" ||
    input.kind === "category_table" ||
    input.kind === "ladder" ||
    input.kind === "chain"
  )
    return (
      <LookupChoice kind={input.kind} label={input.label} value={String(value ?? "")} onChange={onChange} />
    );
  if (input.kind === "column")
    return (
      <Autocomplete
        options={place.columns}
        value={String(value ?? "") || null}
        onChange={(_, column) => onChange(column ?? "")}
        renderInput={(params) => <TextField {...params} label={input.label} />}
        sx={{ width: 190 }}
      />
    );
  if (input.kind === "choice" || input.kind === "unit") {
    const units: [string, string][] = UNITS.map((u) => [u, u]);
    const options =
      input.options ?? (input.key === "stated" ? [["", "none"] as [string, string], ...units] : units);
    return (
      <TextField
        select
        label={input.label}
        value={String(value ?? "")}
        onChange={(e) => onChange(e.target.value)}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
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
  const shown = input.kind === "words" ? (Array.isArray(value) ? value : []).join(", ") : String(value ?? "");
  const done = (text: string) => {
    const meant = meaning(input.kind, input.key, text);
    if (meant !== undefined) onChange(meant);
  };
  return <Typed label={input.label} value={shown} width={WIDTHS[input.kind] ?? 165} onDone={done} />;
}
