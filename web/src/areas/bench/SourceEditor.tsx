/** The parts a value is put together from: arriving columns, other fields, facts and own text, in
 *  order. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Part } from "../../api/hooks";

interface SourceEditorProps {
  columns: string[];
  fields?: string[];
  parts: Part[];
  onChange: (parts: Part[], said: string) => void;
  /** A column in place of what is there, with the steps that it needs. */
  onColumn: (column: string) => void;
}

interface Choice {
  group: string;
  label: string;
  part: Part;
}

const FACTS: [NonNullable<Part["fact"]>, string][] = [
  ["row", "row number"],
  ["supplier", "supplier's name"],
  ["supplier_code", "supplier's code"],
  ["feed", "feed's name"],
  ["received", "day it was received"],
];

function labelOf(part: Part): string {
  if (part.column) return part.column;
  if (part.field) return `= ${part.field}`;
  if (part.fact) return FACTS.find(([key]) => key === part.fact)?.[1] ?? part.fact;
  return `“${part.text}”`;
}

/** What a fill is written from: columns, own text, other fields, facts. */
export function SourceEditor({ columns, fields = [], parts, onChange, onColumn }: SourceEditorProps) {
  const [typed, setTyped] = useState("");
  const [asked, setAsked] = useState<Choice | null>(null);
  const choose = (choice: Choice) => {
    if (parts.length) setAsked(choice);
    else if (choice.part.column) onColumn(choice.part.column);
    else onChange([choice.part], `filled from ${choice.label}`);
  };
  const behind = (choice: Choice) => {
    setAsked(null);
    onChange([...parts, choice.part], `added '${choice.label}'`);
  };
  const instead = (choice: Choice) => {
    setAsked(null);
    if (choice.part.column) onColumn(choice.part.column);
    else onChange([choice.part], `filled from ${choice.label}`);
  };
  const addText = () => {
    if (!typed) return;
    onChange([...parts, { text: typed }], `added the text '${typed}'`);
    setTyped("");
  };
  const choices: Choice[] = [
    ...columns.map((column) => ({ group: "Arriving columns", label: column, part: { column } })),
    ...fields.map((field) => ({ group: "Fields filled already", label: `= ${field}`, part: { field } })),
    ...FACTS.map(([fact, label]) => ({ group: "Known of the feed", label, part: { fact } })),
  ];
  return (
    <Box>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.5, mb: 0.75 }}>
        {parts.map((part, index) => (
          <Chip
            key={index}
            size="small"
            variant={part.text === null || part.text === undefined ? "filled" : "outlined"}
            label={labelOf(part)}
            onDelete={() =>
              onChange(
                parts.filter((_, i) => i !== index),
                `took out '${part.text ?? labelOf(part)}'`,
              )
            }
          />
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Autocomplete
          options={choices}
          groupBy={(choice) => choice.group}
          value={null}
          blurOnSelect
          clearOnBlur
          key={parts.length}
          onChange={(_, choice) => choice && choose(choice)}
          renderInput={(params) => (
            <TextField {...params} placeholder={parts.length ? "another column" : "a column"} />
          )}
          slotProps={{ popper: { sx: { minWidth: 240 } } }}
          sx={{ flex: 1 }}
          aria-label="Choose a column"
        />
        <TextField
          placeholder={parts.length ? "and own text" : "or own text"}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && addText()}
          onBlur={addText}
          slotProps={{ htmlInput: { "aria-label": "Own text" } }}
          sx={{ flex: 1 }}
        />
      </Box>
      {asked && (
        <Box
          role="group"
          aria-label={`Where ${asked.label} goes`}
          sx={{ display: "flex", gap: 0.5, mt: 0.75, alignItems: "center" }}
        >
          <Typography variant="body2" sx={{ flex: 1 }} noWrap>
            {asked.label}
          </Typography>
          <Button variant="contained" autoFocus onClick={() => instead(asked)}>
            Use instead
          </Button>
          <Button variant="outlined" color="inherit" onClick={() => behind(asked)}>
            Write behind
          </Button>
        </Box>
      )}
    </Box>
  );
}
