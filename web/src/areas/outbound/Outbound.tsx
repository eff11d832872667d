/** Files for other places: the whole catalog, or just what a run changed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useSchema } from "../../api/hooks";
import { useRuns } from "../../api/runs";
import { Failure, Waiting } from "../../components/states";
import { STATES, titleOf } from "../../components/words";
import { useStoreId } from "../../shell/Shell";

const FORMATS: [string, string][] = [
  ["csv", "CSV (RFC 4180, UTF-8)"],
  ["xlsx", "Workbook (all cells text)"],
  ["jsonl", "JSON Lines"],
  ["parquet", "Parquet"],
];

/** The catalog, or what a run changed, as a file. */
export function Outbound() {
  const store = useStoreId();
  const schema = useSchema(store);
  const runs = useRuns(store, { state: "applied" });
  const [format, setFormat] = useState("csv");
  const [run, setRun] = useState("");
  const [without, setWithout] = useState<string[]>([]);
  if (schema.isPending || runs.isPending) return <Waiting what="outbound files" />;
  if (schema.isError) return <Failure error={schema.error} />;
  if (runs.isError) return <Failure error={runs.error} />;
  const query = new URLSearchParams({
    format,
    ...(run ? { run_id: run } : {}),
    ...(without.length ? { without: without.join(",") } : {}),
  });
  const fields = schema.data.product_schema.fields;
  return (
    <Box sx={{ overflow: "auto", p: 2.5, maxWidth: 820, width: "100%", mx: "auto" }}>
      <Typography variant="h1" gutterBottom>
        Outbound
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        A file in the column order of the store schema. Numbers and codes are written exactly as the catalog
        keeps them, so that our own reader gives back the same products.
      </Typography>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 1.5 }}>
        <Typography>Products that are</Typography>
        {STATES.map((state) => (
          <FormControlLabel
            key={state}
            label={state}
            control={
              <Checkbox
                size="small"
                checked={!without.includes(state)}
                onChange={() =>
                  setWithout((old) =>
                    old.includes(state) ? old.filter((s) => s !== state) : [...old, state],
                  )
                }
              />
            }
          />
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 3 }}>
        <TextField
          select
          label="What"
          value={run}
          onChange={(e) => setRun(e.target.value)}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          sx={{ minWidth: 300 }}
        >
          <MenuItem value="">the whole catalog</MenuItem>
          {runs.data.runs.map((r) => (
            <MenuItem key={r.id} value={String(r.id)}>
              what run {r.id} changed ({titleOf(r)})
            </MenuItem>
          ))}
        </TextField>
        <TextField
          select
          label="Format"
          value={format}
          onChange={(e) => setFormat(e.target.value)}
          sx={{ minWidth: 200 }}
        >
          {FORMATS.map(([key, label]) => (
            <MenuItem key={key} value={key}>
              {label}
            </MenuItem>
          ))}
        </TextField>
        <Button
          component="a"
          variant="contained"
          disabled={without.length === STATES.length}
          href={`/api/v1/stores/${store}/outbound?${query}`}
        >
          Download
        </Button>
      </Box>
      <Typography variant="h2" gutterBottom>
        Columns, in order
      </Typography>
      <Typography className="mono" sx={{ lineHeight: 1.9 }}>
        {fields.map((f) => f.name).join("  ·  ")}
      </Typography>
    </Box>
  );
}
