/** The parts a value is put together from: arriving columns and own text, in order. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Part } from "../../api/hooks";

interface SourceEditorProps {
  columns: string[];
  parts: Part[];
  onChange: (parts: Part[], said: string) => void;
}

export function SourceEditor({ columns, parts, onChange }: SourceEditorProps) {
  const [typed, setTyped] = useState("");
  const addText = () => {
    if (!typed) return;
    onChange([...parts, { text: typed }], `added the text '${typed}'`);
    setTyped("");
  };
  return (
    <Box>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.5, mb: 0.75 }}>
        {parts.map((part, index) => (
          <Chip
            key={index}
            size="small"
            variant={part.column ? "filled" : "outlined"}
            label={part.column ?? `“${part.text}”`}
            onDelete={() =>
              onChange(
                parts.filter((_, i) => i !== index),
                `took out '${part.column ?? part.text}'`,
              )
            }
          />
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1 }}>
        <Autocomplete
          options={columns}
          value={null}
          blurOnSelect
          clearOnBlur
          key={parts.length}
          onChange={(_, column) => column && onChange([...parts, { column }], `added '${column}'`)}
          renderInput={(params) => (
            <TextField {...params} placeholder={parts.length ? "and a column" : "a column"} />
          )}
          slotProps={{ popper: { sx: { minWidth: 220 } } }}
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
