/** The options of a variant, in order: a name, or a column with names, and where the value is. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import type { Schemas } from "../../api/client";

export type Option = Schemas["Option"];

interface OptionRowsProps {
  options: Option[];
  columns: string[];
  onChange: (options: Option[]) => void;
}

/** The options of a variant, in their order. */
export function OptionRows({ options, columns, onChange }: OptionRowsProps) {
  const put = (at: number, change: Partial<Option>) =>
    onChange(options.map((o, i) => (i === at ? { ...o, ...change } : o)));
  return (
    <Box sx={{ display: "grid", gap: 1, width: "100%" }}>
      {options.map((option, at) => (
        <Box key={at} role="group" aria-label={`Option ${at + 1}`} sx={{ display: "flex", gap: 0.75 }}>
          <OptionName option={option} columns={columns} onChange={(change) => put(at, change)} />
          <Autocomplete
            options={columns}
            value={option.column || null}
            onChange={(_, column) => put(at, { column: column ?? "", field: "" })}
            renderInput={(params) => (
              <TextField
                {...params}
                label="value"
                placeholder={option.field ? `as in ${option.field}` : ""}
              />
            )}
            sx={{ flex: 1 }}
          />
          <Button
            color="inherit"
            aria-label={`Remove option ${at + 1}`}
            onClick={() => onChange(options.filter((_, i) => i !== at))}
          >
            ×
          </Button>
        </Box>
      ))}
      <Button
        size="small"
        sx={{ justifySelf: "start" }}
        onClick={() => onChange([...options, { name: `Option ${options.length + 1}`, column: "" }])}
      >
        Add an option
      </Button>
    </Box>
  );
}

interface OptionNameProps {
  option: Option;
  columns: string[];
  onChange: (change: Partial<Option>) => void;
}

/** A name is typed; one of the columns chosen here gives the name of each row. */
function OptionName({ option, columns, onChange }: OptionNameProps) {
  const shown = option.name_column ? `[${option.name_column}]` : (option.name ?? "");
  const done = (typed: string) => {
    const inColumn = /^\[(.+)\]$/.exec(typed)?.[1];
    if (!typed.trim() || typed === shown) return;
    onChange(inColumn ? { name: "", name_column: inColumn } : { name: typed.trim(), name_column: "" });
  };
  return (
    <Autocomplete
      freeSolo
      autoSelect
      options={columns.map((c) => `[${c}]`)}
      value={shown}
      onChange={(_, typed) => done(typed ?? "")}
      renderInput={(params) => <TextField {...params} label="name" />}
      sx={{ flex: 1 }}
    />
  );
}
