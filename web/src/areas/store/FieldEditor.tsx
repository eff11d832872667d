/** One field of the schema: changed, added or retired, with the products that it touches. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useDebounce } from "use-debounce";
import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { useSchema, type StoreField } from "../../api/hooks";
import { Confirm } from "../../components/Confirm";
import { Mark } from "../../components/Mark";
import { Panel, Part } from "../../components/Panel";
import { Failure, Waiting } from "../../components/states";
import { ago, count } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { WRITES } from "../../components/words";
import { asField, asTyped, isNewName, kindsOf, type Typed } from "./field";
import { postField, useFieldTouch, useStoreEdit, type FieldEdit } from "../../api/storeEdits";

interface FieldEditorProps {
  store: number;
  /** The field as it is; undefined for one that is not there yet. */
  field: StoreField | undefined;
  isKey: boolean;
  onClose: () => void;
  onKept: (name: string | null) => void;
}

/** The form of a field. What it would touch is said before it is kept. */
export function FieldEditor({ store, field, isKey, onClose, onKept }: FieldEditorProps) {
  const undo = useUndo();
  const [typed, setTyped] = useState(() => asTyped(field));
  const [retiring, setRetiring] = useState(false);
  const edit = useStoreEdit((change: FieldEdit) => postField(store, change));
  const next = asField(typed, field);
  const change: FieldEdit = { was: field ?? null, field: next, before: "" };
  const changed = JSON.stringify(asTyped(next)) !== JSON.stringify(asTyped(field));
  const ready = changed && (Boolean(field) || isNewName(typed.name));
  const set = (part: Partial<Typed>) => setTyped((old) => ({ ...old, ...part }));
  const keep = (made: FieldEdit, label: string) =>
    edit.mutate(made, {
      onSuccess: () => {
        const back = { was: made.field ?? null, field: made.was ?? null, before: "" };
        undo.did(label, () => edit.mutateAsync(back));
        onKept(made.field?.name ?? null);
      },
    });
  return (
    <Panel
      title={field ? field.title || field.name : "A new field"}
      {...(field ? { subtitle: `${field.name} in files` } : {})}
      label={field ? `Field ${field.name}` : "New field"}
      onClose={onClose}
    >
      <Box
        component="form"
        sx={{ display: "grid", gap: 1.25, pt: 1 }}
        onSubmit={(e) => {
          e.preventDefault();
          if (ready) keep(change, field ? `Changed the field ${next.title}` : `Added ${next.title}`);
        }}
      >
        <Words typed={typed} set={set} fresh={!field} />
        <Demands typed={typed} set={set} />
        {!isKey && (
          <TextField
            select
            label="Feeds write it"
            value={typed.writes}
            onChange={(e) => set({ writes: e.target.value })}
            helperText="For all feeds, on top of what their fills say. A person may always write it."
          >
            {WRITES.map(([rule, said]) => (
              <MenuItem key={rule} value={rule}>
                {said}
              </MenuItem>
            ))}
          </TextField>
        )}
        {kindsOf(typed.kind).timed && <Timed store={store} typed={typed} set={set} />}
        {ready && <Touch store={store} change={change} />}
        {edit.isError && <Failure error={edit.error} />}
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button variant="contained" type="submit" disabled={!ready || edit.isPending}>
            {field ? "Keep the change" : "Add it"}
          </Button>
          <Box sx={{ flex: 1 }} />
          {field && !isKey && (
            <Button color="inherit" onClick={() => setRetiring(true)}>
              Retire the field
            </Button>
          )}
        </Box>
      </Box>
      {field && <History store={store} name={field.name} />}
      {retiring && field && (
        <Confirm
          title={`Retire the field ${field.title || field.name}?`}
          action="Retire it"
          busy={edit.isPending}
          error={edit.error}
          onClose={() => setRetiring(false)}
          onYes={() => keep({ was: field, field: null, before: "" }, `Retired ${field.title || field.name}`)}
        >
          <Touch store={store} change={{ was: field, field: null, before: "" }} />
        </Confirm>
      )}
    </Panel>
  );
}

/** Who changed the field, and when. */
function History({ store, name }: { store: number; name: string }) {
  const history = useQuery({
    queryKey: ["schema", store, "history", name],
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/lookups/history", {
          params: { path: { store_id: store }, query: { kind: "field", name } },
        }),
      ),
  });
  const changes = history.data?.changes ?? [];
  if (!changes.length) return null;
  return (
    <Part title="Changed before">
      {changes.slice(0, 8).map((c) => (
        <Typography key={c.at} variant="body2" sx={{ overflowWrap: "anywhere" }}>
          {c.said} · {c.author || "somebody"}, {ago(c.at)}
        </Typography>
      ))}
    </Part>
  );
}

interface PartProps {
  typed: Typed;
  set: (part: Partial<Typed>) => void;
}

/** What the field is called, and for a new one what it holds. */
function Words({ typed, set, fresh }: PartProps & { fresh: boolean }) {
  const kind = kindsOf(typed.kind);
  return (
    <>
      <TextField
        label="Label"
        value={typed.title}
        required
        autoFocus
        onChange={(e) => set({ title: e.target.value })}
      />
      {fresh && (
        <>
          <TextField
            label="Name in files"
            value={typed.name}
            required
            error={typed.name !== "" && !isNewName(typed.name)}
            helperText="Small letters, digits and _; it does not change any more."
            onChange={(e) => set({ name: e.target.value })}
          />
          <TextField select label="Holds" value={typed.kind} onChange={(e) => set({ kind: e.target.value })}>
            {kindsOf.all.map(([key, label]) => (
              <MenuItem key={key} value={key}>
                {label}
              </MenuItem>
            ))}
          </TextField>
          <FormControlLabel
            sx={{ m: 0 }}
            control={
              <Checkbox
                size="small"
                checked={typed.spare}
                onChange={(e) => set({ spare: e.target.checked })}
              />
            }
            label="Spare: parked columns are kept in it"
          />
          {kind.asks && (
            <TextField
              label={kind.asks}
              value={typed.measure}
              required
              onChange={(e) => set({ measure: e.target.value })}
            />
          )}
        </>
      )}
      <TextField
        label="Also called"
        value={typed.synonyms}
        multiline
        maxRows={5}
        helperText="One a line: by these names a supplier's column is recognised."
        onChange={(e) => set({ synonyms: e.target.value })}
      />
      <TextField
        label="What it is for"
        value={typed.description}
        multiline
        maxRows={4}
        onChange={(e) => set({ description: e.target.value })}
      />
      <TextField label="Group" value={typed.group} onChange={(e) => set({ group: e.target.value })} />
    </>
  );
}

/** What a value has to fulfil. */
function Demands({ typed, set }: PartProps) {
  const kind = kindsOf(typed.kind);
  const tick = (key: "required" | "unique", label: string) => (
    <FormControlLabel
      sx={{ m: 0 }}
      control={
        <Checkbox size="small" checked={typed[key]} onChange={(e) => set({ [key]: e.target.checked })} />
      }
      label={label}
    />
  );
  return (
    <>
      <Box>
        {tick("required", "Must be given")}
        {tick("unique", "Unique")}
      </Box>
      {kind.numeric ? (
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
          <TextField
            label="At least"
            value={typed.minimum}
            onChange={(e) => set({ minimum: e.target.value })}
          />
          <TextField
            label="At most"
            value={typed.maximum}
            onChange={(e) => set({ maximum: e.target.value })}
          />
        </Box>
      ) : (
        <Box sx={{ display: "grid", gridTemplateColumns: "110px 1fr", gap: 1 }}>
          <TextField
            label="Most characters"
            value={typed.max_length}
            onChange={(e) => set({ max_length: e.target.value.replace(/\D/g, "") })}
          />
          <TextField
            label="Like (a regular expression)"
            value={typed.pattern}
            className="mono"
            onChange={(e) => set({ pattern: e.target.value })}
          />
        </Box>
      )}
      {kind.listed && (
        <TextField
          label="Words allowed"
          value={typed.allowed}
          multiline
          minRows={3}
          maxRows={10}
          helperText="One a line."
          onChange={(e) => set({ allowed: e.target.value })}
        />
      )}
    </>
  );
}

/** From which day to which a price holds, as a promotion does. */
function Timed({ store, typed, set }: PartProps & { store: number }) {
  const schema = useSchema(store);
  const dates = (schema.data?.product_schema.fields ?? []).filter((f) => f.kind === "date");
  if (!dates.length)
    return (
      <Typography variant="caption" color="textSecondary">
        A price that holds for a time, as a promotion does, names two fields with dates: add those first.
      </Typography>
    );
  const day = (key: "starts" | "ends", label: string) => (
    <TextField
      select
      label={label}
      value={typed[key]}
      onChange={(e) => set({ [key]: e.target.value })}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
    >
      <MenuItem value="">always</MenuItem>
      {dates.map((f) => (
        <MenuItem key={f.name} value={f.name}>
          {f.title || f.name}
        </MenuItem>
      ))}
    </TextField>
  );
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1 }}>
      {day("starts", "Holds from")}
      {day("ends", "Holds to")}
    </Box>
  );
}

/** The products, feeds and answers that an edit touches. */
function Touch({ store, change }: { store: number; change: FieldEdit }) {
  const [asked] = useDebounce(change, 350, { equalityFn: (a, b) => JSON.stringify(a) === JSON.stringify(b) });
  const touch = useFieldTouch(store, asked, true);
  if (touch.isPending) return <Waiting what="what it touches" />;
  if (touch.isError) return <Failure error={touch.error} />;
  return (
    <Box role="status" sx={{ bgcolor: "paper2.arriving", p: 1, borderRadius: 1 }}>
      {lines(change, touch.data).map((line) => (
        <Typography key={line}>{line}</Typography>
      ))}
      {touch.data.broken > 0 && (
        <Typography>
          <Mark state="refused" /> {count(touch.data.broken, "product has", "products have")} a value it would
          not take. They stay as they are until a delivery brings another:
        </Typography>
      )}
      {touch.data.first.map((one) => (
        <Typography key={one.key} variant="body2" sx={{ overflowWrap: "anywhere" }}>
          <span className="mono">{one.key}</span>: “{one.value}” {one.why}
        </Typography>
      ))}
    </Box>
  );
}

function lines(change: FieldEdit, touch: Schemas["FieldTouch"]): string[] {
  const fills = touch.feeds.length ? `${touch.feeds.join("; ")} fill it` : "";
  if (!change.field)
    return [
      `${count(touch.products, "product has", "products have")} a value in it; they keep it, out of sight.`,
      fills && `${fills}; those fills rest.`,
      "Adding a field of the same name brings all of it back.",
    ].filter(Boolean);
  const asks = change.field.required && !change.was?.required;
  return [
    `${count(touch.products, "product has", "products have")} a value in it.`,
    asks && touch.empty ? `${count(touch.empty, "product has", "products have")} none and may stay so.` : "",
    fills && `${fills}.`,
    touch.answers ? `${count(touch.answers, "answer", "answers")} in its value tables give other words.` : "",
  ].filter(Boolean);
}
