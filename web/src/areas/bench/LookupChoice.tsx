/** A saved look-up by name, or a new name. */
import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import { useLookups } from "../../api/hooks";
import { useStoreId } from "../../shell/Shell";

interface LookupChoiceProps {
  kind: "value_table" | "category_table" | "ladder" | "chain";
  label: string;
  value: string;
  onChange: (name: string) => void;
}

export function LookupChoice({ kind, label, value, onChange }: LookupChoiceProps) {
  const lookups = useLookups(useStoreId());
  const names = (lookups.data?.lookups ?? []).filter((l) => l.kind === kind).map((l) => l.name);
  return (
    <Autocomplete
      freeSolo
      options={names}
      value={value}
      onChange={(_, name) => name?.trim() && onChange(name.trim())}
      onBlur={(e) => {
        const typed = (e.target as HTMLInputElement).value.trim();
        if (typed && typed !== value) onChange(typed);
      }}
      renderInput={(params) => <TextField {...params} label={label} />}
      sx={{ width: 230 }}
    />
  );
}
