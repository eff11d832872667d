/** The parts a value is put together from: arriving columns, other fields, facts and own text, in
 *  order. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Part } from "../../api/hooks";

interface SourceEditorProps {
  columns: string[];
  fields?: string[];
  parts: Part[];
  onChange: (parts: Part[], said: string) => void;
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

export function SourceEditor({ columns, fields = [], parts, onChange }: SourceEditorProps) {
  const [typed, setTyped] = useState("");
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
          onChange={(_, choice) => choice && onChange([...parts, choice.part], `added '${choice.label}'`)}
          renderInput={(params) => (
            <TextField {...params} placeholder={parts.length ? "and a column" : "a column"} />
          )}
          slotProps={{ popper: { sx: { minWidth: 240 } } }}
          sx={{ flex: 1 }}
          aria-label="Add a column"
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
    </Box>
  );
}
