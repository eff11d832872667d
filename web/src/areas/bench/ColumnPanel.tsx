/** One arriving column opened: what it holds, and what becomes of it. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { BenchState, Suggestion } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Panel, Part } from "../../components/Panel";
import { looks, ProfileParts } from "../reading/ColumnProfile";
import type { Edits } from "./useEdits";

interface ColumnPanelProps {
  bench: BenchState;
  name: string;
  edits: Edits;
  onField: (name: string) => void;
  onClose: () => void;
}

/** What a column holds, what it feeds, and what may become of it. */
export function ColumnPanel({ bench, name, edits, onField, onClose }: ColumnPanelProps) {
  const profile = bench.columns.find((c) => c.name === name);
  if (!profile) return null;
  const feeds = bench.fields.filter((f) => f.columns.includes(name) && !f.field.spare);
  const parked = bench.crosswalk.parked?.[name];
  const out = bench.crosswalk.left_out?.includes(name) ?? false;
  const suggested = bench.suggestions.filter((s) => s.column === name);
  const open = bench.fields.filter((f) => !f.source && !f.field.spare).map((f) => f.field);
  const send = (s: Suggestion) =>
    void edits
      .setFill(s.field, s.fill, `'${name}' fills ${labelOf(bench, s.field)}`)
      .then(() => onField(s.field));
  return (
    <Panel title={name} subtitle={looks(profile)} label={`Arriving column ${name}`} onClose={onClose}>
      <Part title="Feeds">
        {feeds.map((f) => (
          <Button key={f.field.name} onClick={() => onField(f.field.name)}>
            {f.field.title || f.field.name}
          </Button>
        ))}
        {parked && <Typography variant="body2">Parked in {labelOf(bench, parked)}.</Typography>}
        {out && <Typography variant="body2">Not used, on purpose.</Typography>}
        {!feeds.length && !parked && !out && (
          <Typography variant="body2">
            <Mark state="question" /> Nothing yet. Send it to a field, park it, or do not use it.
          </Typography>
        )}
      </Part>
      <Part title="Send to a field">
        {suggested.map((s) => (
          <Box key={s.field} sx={{ display: "flex", alignItems: "center", gap: 1, py: 0.25 }}>
            <Box sx={{ flex: 1 }}>
              <Typography>{labelOf(bench, s.field)}</Typography>
              <Typography variant="caption" color="textSecondary">
                {s.reasons.join("; ")}
              </Typography>
            </Box>
            <Button variant="outlined" onClick={() => send(s)}>
              Use
            </Button>
          </Box>
        ))}
        <Autocomplete
          options={open}
          value={null}
          getOptionLabel={(f) => f.title || f.name}
          onChange={(_, f) =>
            f &&
            void edits
              .fillFrom(f.name, name, `'${name}' fills ${f.title || f.name}`)
              .then(() => onField(f.name))
          }
          renderInput={(params) => <TextField {...params} placeholder="any open field" />}
        />
      </Part>
      {!feeds.length && (
        <Box sx={{ display: "flex", gap: 1, mb: 1.5 }}>
          {!parked && (
            <Button
              variant="outlined"
              color="inherit"
              onClick={() => void edits.park(name, `Parked '${name}'`)}
            >
              Park it
            </Button>
          )}
          <Button variant="outlined" color="inherit" onClick={() => void edits.leaveOut(name, !out)}>
            {out ? "Take it back" : "Do not use it"}
          </Button>
        </Box>
      )}
      <ProfileParts profile={profile} />
    </Panel>
  );
}

function labelOf(bench: BenchState, field: string): string {
  const found = bench.fields.find((f) => f.field.name === field)?.field;
  return found?.title || field;
}
