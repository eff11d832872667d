/** Says where deliveries come from, and tries it before it is kept. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import {
  useSetSource,
  useTry,
  type FeedSource,
  type SecretName,
  type Source,
  type SourceEdit,
} from "../../api/sources";
import { Failure } from "../../components/states";
import { Progress } from "../../components/Progress";
import { Found } from "./Found";
import { KINDS, cleaned, opened, type Entry, type Values } from "./kinds";

interface SourceEditorProps {
  feed: number;
  known: FeedSource;
  onClose: () => void;
}

export function SourceEditor({ feed, known, onClose }: SourceEditorProps) {
  const [values, setValues] = useState<Values>(known.source ? opened(known.source) : { ...KINDS.web.start });
  const [secrets, setSecrets] = useState<SourceEdit["secrets"]>({});
  const save = useSetSource(feed);
  const attempt = useTry(feed);
  const [stop, setStop] = useState<AbortController | null>(null);
  const kind = KINDS[values.kind];
  const edit: SourceEdit = { source: cleaned(values), secrets };
  const set = (key: string, value: unknown) => setValues((now) => ({ ...now, [key]: value }));
  const tryIt = (given = edit) => {
    const fresh = new AbortController();
    setStop(fresh);
    attempt.mutate({ edit: given, signal: fresh.signal });
  };
  const trust = (key: string) => {
    set("host_key", key);
    tryIt({ ...edit, source: { ...edit.source, host_key: key } as Source });
  };
  return (
    <Box
      component="form"
      aria-label="Where deliveries come from"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutateAsync(edit).then(onClose, () => undefined);
      }}
      sx={{ display: "grid", gridTemplateColumns: "400px minmax(0, 1fr)", gap: 3, my: 1 }}
    >
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "1fr 110px",
          gap: 1.5,
          alignContent: "start",
          "& > *": { gridColumn: "1 / -1" },
        }}
      >
        <TextField
          select
          label="Deliveries come from"
          value={values.kind}
          onChange={(e) => {
            setValues({ ...KINDS[e.target.value as Source["kind"]].start });
            attempt.reset();
          }}
        >
          {Object.entries(KINDS).map(([name, { label }]) => (
            <MenuItem key={name} value={name}>
              {label}
            </MenuItem>
          ))}
        </TextField>
        {kind.entries
          .filter((entry) => entry.when?.(values) ?? true)
          .map((entry) => (
            <EntryField
              key={entry.key}
              entry={entry}
              value={values[entry.key]}
              onChange={(v) => set(entry.key, v)}
            />
          ))}
        {kind.secrets
          .filter((entry) => entry.when?.(values) ?? true)
          .map((entry) => (
            <TextField
              key={entry.label}
              label={entry.label}
              type={entry.long ? "text" : "password"}
              multiline={entry.long ?? false}
              maxRows={4}
              autoComplete="new-password"
              value={secrets?.[entry.key] ?? ""}
              placeholder={known.kept.includes(entry.key) ? "kept" : ""}
              helperText={keptSays(known, entry.key)}
              slotProps={{ inputLabel: { shrink: true } }}
              onChange={(e) => setSecrets((now) => ({ ...now, [entry.key]: e.target.value }))}
            />
          ))}
        <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
          <Button variant="outlined" onClick={() => tryIt()} disabled={attempt.isPending}>
            Try it
          </Button>
          <Button variant="contained" type="submit" disabled={save.isPending}>
            Keep it
          </Button>
          <Button color="inherit" onClick={onClose}>
            Leave it
          </Button>
        </Box>
        {save.isError && <Failure error={save.error} />}
      </Box>
      <Box aria-live="polite" sx={{ minWidth: 0 }}>
        {attempt.isPending ? (
          <>
            <Typography color="textSecondary" gutterBottom>
              Looking what is there …{" "}
              <Button color="inherit" onClick={() => stop?.abort()}>
                Stop
              </Button>
            </Typography>
            <Progress of="Looking what is there" />
          </>
        ) : attempt.isError ? (
          stop?.signal.aborted ? (
            <Typography color="textSecondary">Stopped. Nothing was kept.</Typography>
          ) : (
            <Failure error={attempt.error} />
          )
        ) : attempt.data ? (
          <Found tried={attempt.data} onTrust={trust} />
        ) : (
          <Typography color="textSecondary">
            <strong>Try it</strong> shows what lies there and what the first file looks like. Nothing is kept
            by it.
          </Typography>
        )}
      </Box>
    </Box>
  );
}

function keptSays(known: FeedSource, name: SecretName): string {
  if (known.kept.includes(name)) return "Kept, and never shown. It is forgotten when host or user change.";
  return name === "password" ? "Kept locked, and never shown again." : "";
}

interface EntryFieldProps {
  entry: Entry;
  value: unknown;
  onChange: (value: unknown) => void;
}

function EntryField({ entry, value, onChange }: EntryFieldProps) {
  const lines = entry.kind === "lines";
  return (
    <TextField
      label={entry.label}
      select={entry.kind === "choice"}
      multiline={lines}
      type={entry.kind === "number" ? "number" : "text"}
      value={lines ? (value as string[]).join("\n") : (value ?? "")}
      helperText={entry.help}
      sx={entry.half ? { "&&": { gridColumn: "auto" } } : undefined}
      onChange={(e) => {
        const typed = e.target.value;
        onChange(lines ? typed.split("\n") : entry.kind === "number" ? Number(typed) : typed);
      }}
    >
      {entry.choices?.map(([name, label]) => (
        <MenuItem key={name} value={name}>
          {label}
        </MenuItem>
      ))}
    </TextField>
  );
}
