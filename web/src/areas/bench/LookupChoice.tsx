/** A saved look-up by name. Tables may be new, and begin empty; a ladder is made at once. */
import Autocomplete from "@mui/material/Autocomplete";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useLookups } from "../../api/hooks";
import { useStoreId } from "../../shell/Shell";
import { NewLadder } from "../prices/NewLadder";

interface LookupChoiceProps {
  kind: "value_table" | "category_table" | "ladder" | "chain";
  label: string;
  value: string;
  onChange: (name: string) => void;
}

/** Chooses a look-up of one kind. */
export function LookupChoice({ kind, label, value, onChange }: LookupChoiceProps) {
  const lookups = useLookups(useStoreId());
  const [making, setMaking] = useState(false);
  const names = (lookups.data?.lookups ?? []).filter((l) => l.kind === kind).map((l) => l.name);
  const given = kind !== "ladder";
  return (
    <>
      <Autocomplete
        freeSolo={given}
        options={names}
        value={given ? value : names.includes(value) ? value : null}
        onChange={(_, name) => name?.trim() && onChange(name.trim())}
        onBlur={(e) => {
          const typed = (e.target as HTMLInputElement).value.trim();
          if (given && typed && typed !== value) onChange(typed);
        }}
        noOptionsText="No ladder yet"
        renderInput={(params) => <TextField {...params} label={label} />}
        sx={{ width: 230 }}
      />
      {kind === "ladder" && (
        <Button color="inherit" onClick={() => setMaking(true)}>
          New ladder
        </Button>
      )}
      {making && (
        <NewLadder
          names={names}
          onClose={() => setMaking(false)}
          onMade={(ladder) => {
            setMaking(false);
            onChange(ladder.name);
          }}
        />
      )}
    </>
  );
}
