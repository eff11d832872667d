/** One value of a product, written by hand: a run of its own, taken back by one key. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api/client";
import type { StoreField } from "../../api/hooks";
import { onDay, tomorrow } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { useTakeBack } from "./useDated";

interface WriteValueProps {
  store: number;
  product: string;
  field: StoreField;
  /** As the product holds it; null for none. */
  value: string | null;
}

/** The box for the value; Enter writes it. */
export function WriteValue({ store, product, field, value }: WriteValueProps) {
  const [text, setText] = useState(value ?? "");
  const [day, setDay] = useState("");
  const queries = useQueryClient();
  const undo = useUndo();
  const label = field.title || field.name;
  const write = useMutation({
    mutationFn: ({ to, saw, from }: { to: string | null; saw: string | null; from?: string }) =>
      take(
        api.PUT("/api/v1/stores/{store_id}/products/{key}", {
          params: { path: { store_id: store, key: product } },
          body: { values: { [field.name]: to }, saw: { [field.name]: saw }, ...(from && { day: from }) },
        }),
      ),
    onSuccess: (made, { saw, from }) => {
      const now = made.product.content[field.name] ?? null;
      const waits = made.dated.findLast((d) => d.field === field.name && d.day === from);
      if (waits) {
        setText(value ?? "");
        setDay("");
        undo.did(`${label} waits for ${onDay(waits.day)}`, () => takeBack.mutateAsync(waits.id));
      } else undo.did(`${label} written`, () => write.mutateAsync({ to: saw, saw: now }));
      return queries.invalidateQueries({ queryKey: ["catalog", store] });
    },
    onError: undo.failed,
  });
  const takeBack = useTakeBack(store);
  const words = field.allowed ?? [];
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, mb: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        write.mutate({ to: text.trim() || null, saw: value, from: day });
      }}
    >
      <TextField
        fullWidth
        select={words.length > 0}
        multiline={field.kind === "rich_text"}
        maxRows={8}
        value={text}
        onChange={(event) => setText(event.target.value)}
        slotProps={{ htmlInput: { "aria-label": `Value of ${label}` } }}
        helperText={field.required && !text.trim() ? "It must not be empty." : undefined}
      >
        {words.length > 0 && <MenuItem value="">none</MenuItem>}
        {words.map((word) => (
          <MenuItem key={word} value={word}>
            {word}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        type="date"
        label="From"
        value={day}
        onChange={(event) => setDay(event.target.value)}
        title="From which day on; empty for at once"
        slotProps={{
          inputLabel: { shrink: true },
          htmlInput: { "aria-label": `Day from which ${label} holds`, min: tomorrow() },
        }}
        sx={{ width: 142, flex: "none", alignSelf: "flex-start" }}
      />
      <Button
        type="submit"
        variant="contained"
        disabled={write.isPending || (text.trim() === (value ?? "") && !day)}
        sx={{ alignSelf: "flex-start", flex: "none" }}
      >
        {day ? "Have it wait" : "Write"}
      </Button>
    </Box>
  );
}
