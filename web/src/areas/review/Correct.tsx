/** Another value than the one a run has prepared, for one product: written with the run. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useSchema, type RunView } from "../../api/hooks";
import { Always } from "./Always";
import type { useDecide } from "./useDecide";

interface CorrectProps {
  run: RunView;
  product: string;
  field: string;
  label: string;
  value: string | null;
  deciding: ReturnType<typeof useDecide>;
  onDone: () => void;
}

/** The box for the value; Enter takes it. */
export function Correct({ run, product, field, label, value, deciding, onDone }: CorrectProps) {
  const [text, setText] = useState(value ?? "");
  const [keep, setKeep] = useState(false);
  const schema = useSchema(run.store_id);
  const own = schema.data?.product_schema.fields.find((one) => one.name === field);
  const words = own?.allowed ?? [];
  return (
    <Box
      component="form"
      aria-label={`Correct ${label}`}
      sx={{ display: "flex", flexWrap: "wrap", gap: 1, py: 0.75, alignItems: "center" }}
      onSubmit={(event) => {
        event.preventDefault();
        const to = text.trim() || null;
        deciding.decide(
          { verdict: "correct", of: { keys: [product] }, field, value: to, keep },
          `${label} of ${product} corrected`,
        );
        onDone();
      }}
    >
      <TextField
        autoFocus
        select={words.length > 0}
        multiline={own?.kind === "rich_text"}
        maxRows={6}
        value={text}
        onChange={(event) => setText(event.target.value)}
        slotProps={{ htmlInput: { "aria-label": `Right value of ${label}` } }}
        sx={{ flex: "1 1 180px" }}
      >
        {words.length > 0 && <MenuItem value="">none</MenuItem>}
        {words.map((word) => (
          <MenuItem key={word} value={word}>
            {word}
          </MenuItem>
        ))}
      </TextField>
      <Button type="submit" variant="contained" disabled={deciding.busy || text.trim() === (value ?? "")}>
        Correct
      </Button>
      <FormControlLabel
        control={<Checkbox size="small" checked={keep} onChange={(_, on) => setKeep(on)} />}
        label="Keep it by hand: no feed changes it any more"
      />
      <Always run={run} product={product} field={field} value={text.trim()} onDone={onDone} />
    </Box>
  );
}
