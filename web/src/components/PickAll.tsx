import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";

interface PickAllProps {
  /** What is in the list as it is filtered now. */
  shown: string[];
  picked: ReadonlySet<string>;
  onPick: (picked: Set<string>) => void;
}

/** Picks all that a list shows, or none of it. */
export function PickAll({ shown, picked, onPick }: PickAllProps) {
  const chosen = shown.filter((one) => picked.has(one)).length;
  const all = chosen === shown.length && shown.length > 0;
  return (
    <FormControlLabel
      sx={{ m: 0, flex: "none" }}
      control={
        <Checkbox
          size="small"
          sx={{ p: 0.25, mr: 0.5 }}
          checked={all}
          indeterminate={chosen > 0 && !all}
          disabled={!shown.length}
          onChange={() => {
            const rest = [...picked].filter((one) => !shown.includes(one));
            onPick(new Set(all ? rest : [...rest, ...shown]));
          }}
        />
      }
      label={`Pick all ${shown.length.toLocaleString("en")}`}
    />
  );
}
