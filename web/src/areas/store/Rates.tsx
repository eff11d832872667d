/** Exchange rates and saved look-ups of the store. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, sendFile, take, type Schemas } from "../../api/client";
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

/** Exchange rates, and the look-ups that feeds share. */
export function Rates({ store }: { store: number }) {
  const lookups = useLookups(store);
  if (lookups.isPending) return null;
  if (lookups.isError) return <Failure error={lookups.error} />;
  return (
    <Box
      component="section"
      aria-label="Rates and look-ups"
      sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", columnGap: 4 }}
    >
      <Typography variant="h1" gutterBottom sx={{ gridColumn: "1 / -1" }}>
        Rates and look-ups
      </Typography>
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
        {!lookups.data.rates.length && (
          <Typography color="textSecondary">
            None yet: type one in, or take them from a bank's list.
          </Typography>
        )}
        <NewRate store={store} />
        <ManyRates store={store} address={lookups.data.rates_address} />
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
                {KINDS[l.kind] ?? l.kind}, {l.entries} ·{" "}
                {l.feeds.length ? count(l.feeds.length, "feed", "feeds") : "not used"}
              </Typography>
            </Box>
          ))}
      </Box>
    </Box>
  );
}

/** Rates from a file, or from an address that is kept for the next time. */
function ManyRates({ store, address }: { store: number; address: string }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const [typed, setTyped] = useState<string | null>(null);
  const from = (typed ?? address).trim();
  const [said, setSaid] = useState("");
  const take_ = useMutation({
    mutationFn: (list: File | string) =>
      typeof list === "string"
        ? take(
            api.POST("/api/v1/stores/{store_id}/rates/fetch", {
              params: { path: { store_id: store } },
              body: { address: list },
            }),
          )
        : sendFile<Schemas["RatesTaken"]>(
            `/api/v1/stores/${store}/rates.csv`,
            { file: list },
            () => undefined,
          ),
    onSuccess: ({ rates }) => {
      setSaid(
        rates.length
          ? `Kept ${rates.map((r) => `${r.source}/${r.target}`).join(", ")}.`
          : "Nothing newer than what is kept.",
      );
      return Promise.all([
        queries.invalidateQueries({ queryKey: ["lookups"] }),
        queries.invalidateQueries({ queryKey: ["feed"] }),
      ]);
    },
    onError: undo.failed,
  });
  return (
    <Box component="section" aria-label="Rates from elsewhere" sx={{ mt: 3 }}>
      <Typography variant="h2">From a bank's list</Typography>
      <Typography variant="caption" color="textSecondary">
        A CSV file with the columns day, source, target, rate.
      </Typography>
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, mt: 1 }}
        onSubmit={(e) => {
          e.preventDefault();
          if (from) take_.mutate(from);
        }}
      >
        <TextField
          value={typed ?? address}
          onChange={(e) => setTyped(e.target.value)}
          placeholder="https://…"
          fullWidth
          slotProps={{ htmlInput: { "aria-label": "Address of the rates" } }}
        />
        <Button
          type="submit"
          variant="outlined"
          disabled={!from || take_.isPending}
          sx={{ whiteSpace: "nowrap", flex: "none" }}
        >
          {take_.isPending ? "Fetching …" : "Fetch now"}
        </Button>
        <Button component="label" color="inherit" sx={{ whiteSpace: "nowrap" }}>
          From a file
          <input
            hidden
            type="file"
            accept=".csv,text/csv"
            aria-label="File of rates"
            onChange={(e) => {
              const file = e.target.files?.[0];
              if (file) take_.mutate(file);
              e.target.value = "";
            }}
          />
        </Button>
      </Box>
      {said && (
        <Typography sx={{ mt: 0.5 }} role="status">
          {said}
        </Typography>
      )}
    </Box>
  );
}

function NewRate({ store }: { store: number }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const [typed, setTyped] = useState({
    source: "USD",
    target: "EUR",
    rate: "",
    day: new Date().toISOString().slice(0, 10),
  });
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
  const right =
    /^[A-Z]{3}$/.test(typed.source) &&
    /^[A-Z]{3}$/.test(typed.target) &&
    /^\d+(\.\d{1,10})?$/.test(rate) &&
    Number(rate) > 0;
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, mt: 1, alignItems: "center" }}
      onSubmit={(e) => {
        e.preventDefault();
        if (right) save.mutate({ ...typed, rate });
      }}
    >
      <Typography>1</Typography>
      <TextField
        value={typed.source}
        onChange={set("source")}
        slotProps={{ htmlInput: { "aria-label": "From", maxLength: 3 } }}
        sx={{ width: 64 }}
      />
      <Typography>=</Typography>
      <TextField
        value={typed.rate}
        onChange={set("rate")}
        placeholder="0.9125"
        slotProps={{ htmlInput: { "aria-label": "Rate" } }}
        sx={{ width: 90 }}
      />
      <TextField
        value={typed.target}
        onChange={set("target")}
        slotProps={{ htmlInput: { "aria-label": "To", maxLength: 3 } }}
        sx={{ width: 64 }}
      />
      <TextField
        type="date"
        value={typed.day}
        onChange={set("day")}
        slotProps={{ htmlInput: { "aria-label": "Day" } }}
        sx={{ width: 140 }}
      />
      <Button type="submit" variant="outlined" disabled={!right || save.isPending}>
        Keep
      </Button>
    </Box>
  );
}
