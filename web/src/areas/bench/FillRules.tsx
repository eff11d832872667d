/** When a fill writes its field, and from which day on what it writes holds. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { Fill, StoreField } from "../../api/hooks";
import { WRITES } from "../../components/words";

interface FillRulesProps {
  fill: Fill;
  /** When the store lets any feed write the field. */
  storeWrites?: StoreField["writes"];
  columns: string[];
  onChange: (fill: Fill, said: string) => void;
  /** The column that says from which day on a value holds; "" for at once. */
  onSince: (column: string) => void;
}

/** From when on a value holds, in words. */
export const heldFrom = (column: string) => (column ? `holds from the day in '${column}'` : "holds at once");

/** The rules at the foot of a fill. */
export function FillRules({ fill, storeWrites, columns, onChange, onSince }: FillRulesProps) {
  const since = fill.since?.column ?? "";
  const said = storeWrites === "always" ? "" : WRITES.find(([rule]) => rule === storeWrites)?.[1];
  return (
    <Box sx={{ display: "flex", flexWrap: "wrap", gap: 1, rowGap: 1.5, mb: 1.5 }}>
      <TextField
        select
        label="It is written"
        helperText={said ? `The store lets any feed write it ${said}.` : ""}
        value={fill.writes ?? "always"}
        fullWidth
        onChange={(e) =>
          onChange({ ...fill, writes: e.target.value as Fill["writes"] }, "when it is written changed")
        }
      >
        {WRITES.map(([rule, said]) => (
          <MenuItem key={rule} value={rule}>
            {rule === "never" ? "never; other fields may be filled from it" : said}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="It holds"
        value={since}
        fullWidth
        onChange={(e) => onSince(e.target.value)}
        helperText={since ? "Until its day the product keeps what it has; without one it holds at once." : ""}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
      >
        <MenuItem value="">at once</MenuItem>
        {[...new Set([...columns, ...(since ? [since] : [])])].map((column) => (
          <MenuItem key={column} value={column}>
            from the day in &lsquo;{column}&rsquo;
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="An empty result"
        value={fill.when_empty ?? "leave"}
        sx={{ flex: 1 }}
        onChange={(e) =>
          onChange({ ...fill, when_empty: e.target.value as Fill["when_empty"] }, "rule for empty changed")
        }
      >
        <MenuItem value="leave">leaves the store's value</MenuItem>
        <MenuItem value="clear">clears the store's value</MenuItem>
      </TextField>
      <TextField
        select
        label="A faulty value"
        value={fill.on_problem ?? "reject"}
        sx={{ flex: 1 }}
        onChange={(e) =>
          onChange({ ...fill, on_problem: e.target.value as Fill["on_problem"] }, "rule for faults changed")
        }
      >
        <MenuItem value="reject">rejects the product</MenuItem>
        <MenuItem value="skip">skips this field</MenuItem>
      </TextField>
    </Box>
  );
}
