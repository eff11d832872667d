/** Some of the fields that a feed fills, under names: what a time of its own may be of. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useFetchNow, useScopes, useSetScopes, type FeedScopes, type Scope } from "../../api/sources";
import { Failure, Waiting } from "../../components/states";
import { useUndo } from "../../shell/undo";

interface ScopesProps {
  feed: number;
  /** Whether there is anything to fetch from. */
  fetched: boolean;
}

export function Scopes({ feed, fetched }: ScopesProps) {
  const scopes = useScopes(feed);
  if (scopes.isError) return <Failure error={scopes.error} retry={() => void scopes.refetch()} />;
  if (!scopes.data) return <Waiting what="the scopes" />;
  return <Known feed={feed} fetched={fetched} known={scopes.data} />;
}

function Known({ feed, fetched, known }: ScopesProps & { known: FeedScopes }) {
  const [editing, setEditing] = useState<"new" | string | null>(null);
  const set = useSetScopes(feed);
  const undo = useUndo();
  const keep = (scopes: Scope[], said: string) =>
    set.mutateAsync(scopes).then(
      () => {
        setEditing(null);
        undo.did(said, () => set.mutateAsync(known.scopes));
      },
      () => undefined,
    );
  if (!known.fields.length && !known.scopes.length)
    return <Typography color="textSecondary">It fills no fields yet; map it first.</Typography>;
  return (
    <Box>
      {!known.scopes.length && editing === null && (
        <Typography color="textSecondary">
          Everything it fills is taken together. Some of its fields under a name can be taken at times of
          their own: stock by the hour, prices at night.
        </Typography>
      )}
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {known.scopes.map((one) =>
          editing === one.name ? (
            <li key={one.name}>
              <Editor
                known={known}
                start={one}
                busy={set.isPending}
                error={set.error}
                onKeep={(to) =>
                  void keep(
                    known.scopes.map((s) => (s === one ? to : s)),
                    `${to.name} changed`,
                  )
                }
                onClose={() => setEditing(null)}
              />
            </li>
          ) : (
            <Line
              key={one.name}
              feed={feed}
              one={one}
              fetched={fetched}
              labels={known}
              onChange={() => setEditing(one.name)}
              onRemove={() =>
                void keep(
                  known.scopes.filter((s) => s !== one),
                  `${one.name} removed`,
                )
              }
            />
          ),
        )}
      </Box>
      {editing === "new" ? (
        <Editor
          known={known}
          start={{ name: "", fields: [] }}
          busy={set.isPending}
          error={set.error}
          onKeep={(made) => void keep([...known.scopes, made], `${made.name} made`)}
          onClose={() => setEditing(null)}
        />
      ) : (
        <Button variant="outlined" sx={{ mt: 1 }} onClick={() => setEditing("new")}>
          {known.scopes.length ? "Make another scope" : "Make a scope"}
        </Button>
      )}
      {editing === null && set.isError && <Failure error={set.error} />}
    </Box>
  );
}

interface LineProps {
  feed: number;
  one: Scope;
  fetched: boolean;
  labels: FeedScopes;
  onChange: () => void;
  onRemove: () => void;
}

function Line({ feed, one, fetched, labels, onChange, onRemove }: LineProps) {
  const fetch = useFetchNow(feed);
  return (
    <Box
      component="li"
      sx={{
        display: "grid",
        gridTemplateColumns: "200px minmax(0, 1fr) auto",
        columnGap: 1,
        py: 0.5,
        alignItems: "baseline",
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Typography sx={{ fontWeight: 550 }} noWrap title={one.name}>
        {one.name}
      </Typography>
      <Typography sx={{ overflowWrap: "anywhere" }}>
        {one.fields.map((name) => labelled(labels, name)).join(", ")}
      </Typography>
      <Box sx={{ whiteSpace: "nowrap" }}>
        {fetched && (
          <Button color="inherit" disabled={fetch.isPending} onClick={() => fetch.mutate(one.name)}>
            Fetch now
          </Button>
        )}
        <Button color="inherit" onClick={onChange}>
          Change
        </Button>
        <Button color="inherit" onClick={onRemove}>
          Remove
        </Button>
      </Box>
      {fetch.isError && <Failure error={fetch.error} />}
    </Box>
  );
}

const labelled = ({ fields }: FeedScopes, name: string) =>
  fields.find((f) => f.name === name)?.label ?? `${name} (filled no more)`;

interface EditorProps {
  known: FeedScopes;
  start: Scope;
  busy: boolean;
  error: unknown;
  onKeep: (scope: Scope) => void;
  onClose: () => void;
}

function Editor({ known, start, busy, error, onKeep, onClose }: EditorProps) {
  const [value, setValue] = useState(start);
  const names = [...new Set([...known.fields.map((f) => f.name), ...start.fields])];
  const ready = value.name.trim() !== "" && value.fields.length > 0;
  return (
    <Box
      component="form"
      aria-label="A scope"
      onSubmit={(e) => {
        e.preventDefault();
        if (ready) onKeep({ name: value.name.trim(), fields: value.fields });
      }}
      sx={{ display: "grid", gap: 1.5, my: 1, maxWidth: 720 }}
    >
      <TextField
        label="Name"
        autoFocus
        value={value.name}
        slotProps={{ htmlInput: { maxLength: 40 } }}
        sx={{ maxWidth: 400 }}
        onChange={(e) => setValue({ ...value, name: e.target.value })}
      />
      <Autocomplete
        multiple
        disableCloseOnSelect
        options={names}
        value={value.fields}
        getOptionLabel={(name) => labelled(known, name)}
        onChange={(_, fields) => setValue({ ...value, fields })}
        renderInput={(params) => (
          <TextField
            {...params}
            label="Fields"
            helperText="Runs of it write these alone, make no products and miss none."
          />
        )}
      />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button variant="contained" type="submit" disabled={busy || !ready}>
          Keep it
        </Button>
        <Button color="inherit" onClick={onClose}>
          Leave it
        </Button>
      </Box>
      {error !== null && <Failure error={error} />}
    </Box>
  );
}
