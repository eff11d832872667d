/** Exchange rates and saved look-ups of the store. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../../api/client";
import { useLookups } from "../../api/hooks";
import { Failure } from "../../components/states";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";

type Rate = Schemas["Rate"];

const KINDS: Record<string, string> = {
  value_table: "value table",
  category_table: "category table",
  ladder: "price ladder",
  rate: "rate",
  chain: "saved steps",
};

export function Rates({ store }: { store: number }) {
  const lookups = useLookups(store);
  if (lookups.isPending) return null;
  if (lookups.isError) return <Failure error={lookups.error} />;
  return (
    <Box component="section" aria-label="Rates and look-ups" sx={{ mt: 3, display: "grid", gridTemplateColumns: "1fr 1fr", gap: 4 }}>
      <Box>
        <Typography variant="h2" gutterBottom>
          Exchange rates
        </Typography>
        {lookups.data.rates.map((r) => (
          <Typography key={`${r.source}${r.target}`} sx={{ py: 0.25 }}>
            1 {r.source} = <span className="mono">{r.rate}</span> {r.target}{" "}
            <Typography component="span" variant="caption" color="textSecondary">
              of {r.day}, {r.origin}
            </Typography>
          </Typography>
        ))}
        <NewRate store={store} />
      </Box>
      <Box>
        <Typography variant="h2" gutterBottom>
          Saved look-ups
        </Typography>
        {lookups.data.lookups
          .filter((l) => l.kind !== "rate")
          .map((l) => (
            <Box key={l.kind + l.name} sx={{ display: "flex", gap: 1, py: 0.25 }}>
              <Typography sx={{ flex: 1 }}>{l.name}</Typography>
              <Typography variant="caption" color="textSecondary">
                {KINDS[l.kind] ?? l.kind}, {l.entries} · {l.feeds.length ? count(l.feeds.length, "feed", "feeds") : "not used"}
              </Typography>
            </Box>
          ))}
      </Box>
    </Box>
  );
}

function NewRate({ store }: { store: number }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const [typed, setTyped] = useState({ source: "USD", target: "EUR", rate: "", day: new Date().toISOString().slice(0, 10) });
  const save = useMutation({
    mutationFn: (rate: Rate) =>
      take(api.PUT("/api/v1/stores/{store_id}/rates", { params: { path: { store_id: store } }, body: rate })),
    onSuccess: async () => {
      setTyped((t) => ({ ...t, rate: "" }));
      await Promise.all([
        queries.invalidateQueries({ queryKey: ["lookups"] }),
        queries.invalidateQueries({ queryKey: ["feed"] }),
      ]);
    },
    onError: undo.failed,
  });
  const set = (key: keyof typeof typed) => (e: React.ChangeEvent<HTMLInputElement>) =>
    setTyped((t) => ({ ...t, [key]: e.target.value }));
  const rate = typed.rate.trim().replace(",", ".");
  const right = /^[A-Z]{3}$/.test(typed.source) && /^[A-Z]{3}$/.test(typed.target) && /^\d+(\.\d{1,10})?$/.test(rate) && Number(rate) > 0;
  return (
    <Box component="form" sx={{ display: "flex", gap: 1, mt: 1, alignItems: "center" }} onSubmit={(e) => {
      e.preventDefault();
      if (right) save.mutate({ ...typed, rate });
    }}>
      <Typography>1</Typography>
      <TextField value={typed.source} onChange={set("source")} slotProps={{ htmlInput: { "aria-label": "From", maxLength: 3 } }} sx={{ width: 64 }} />
      <Typography>=</Typography>
      <TextField value={typed.rate} onChange={set("rate")} placeholder="0.9125" slotProps={{ htmlInput: { "aria-label": "Rate" } }} sx={{ width: 90 }} />
      <TextField value={typed.target} onChange={set("target")} slotProps={{ htmlInput: { "aria-label": "To", maxLength: 3 } }} sx={{ width: 64 }} />
      <TextField type="date" value={typed.day} onChange={set("day")} slotProps={{ htmlInput: { "aria-label": "Day" } }} sx={{ width: 140 }} />
      <Button type="submit" variant="outlined" disabled={!right || save.isPending}>
        Keep
      </Button>
    </Box>
  );
}
