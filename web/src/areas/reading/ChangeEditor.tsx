/** One change of shape being said, with the table it would give. */
import Alert from "@mui/material/Alert";
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { usePreview, type Change, type Reading } from "../../api/hooks";
import { Waiting } from "../../components/states";
import { isWhole, KINDS, TESTS } from "./changes";
import { Columns, Pick, Row } from "./pickers";
import { PreviewTable } from "./PreviewTable";

interface ChangeEditorProps {
  delivery: number;
  before: Reading;
  start: Change;
  title: string;
  onKeep: (change: Change) => void;
  onClose: () => void;
}

/** One change of shape, seen over the head of the file before it is kept. */
export function ChangeEditor({ delivery, before, start, title, onKeep, onClose }: ChangeEditorProps) {
  const [change, setChange] = useState(start);
  const now = usePreview(delivery, before);
  const whole = isWhole(change);
  const after = usePreview(
    delivery,
    whole ? ({ ...before, reshape: [...(before.reshape ?? []), change] } as Reading) : null,
  );
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md">
      <DialogTitle sx={{ pb: 0 }}>{title}</DialogTitle>
      <DialogContent sx={{ display: "flex", flexDirection: "column", gap: 1.5 }}>
        <Typography color="textSecondary">{KINDS.find((k) => k.do === change.do)?.says}.</Typography>
        {now.isPending ? (
          <Waiting what="the columns" />
        ) : (
          <Form change={change} columns={now.data?.columns ?? []} onChange={setChange} />
        )}
        {after.isError && <Alert severity="warning">{after.error.message}</Alert>}
        {whole && after.data && !after.isError && (
          <>
            <Typography variant="caption" color="textSecondary">
              {after.data.problems
                .filter((p) => ["reshaped", "not_kept", "differing_values", "uneven_lists"].includes(p.kind))
                .slice(-3)
                .map((p) => [p.message, p.examples?.length ? `(${p.examples.join(", ")})` : ""].join(" "))
                .join(" ")}{" "}
              (counted over the head of the file)
            </Typography>
            <PreviewTable preview={after.data} height={230} />
          </>
        )}
      </DialogContent>
      <DialogActions>
        <Button color="inherit" onClick={onClose}>
          Cancel
        </Button>
        <Button variant="contained" disabled={!whole || after.isError} onClick={() => onKeep(change)}>
          Keep it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

interface FormProps<C extends Change = Change> {
  change: C;
  columns: string[];
  onChange: (change: Change) => void;
}

type Of<K extends Change["do"]> = Extract<Change, { do: K }>;

function Form({ change, columns, onChange }: FormProps) {
  switch (change.do) {
    case "unfold":
      return <UnfoldForm change={change} columns={columns} onChange={onChange} />;
    case "gather":
      return <GatherForm change={change} columns={columns} onChange={onChange} />;
    case "bundle":
      return (
        <Row>
          <Columns
            label="Columns, in their order"
            value={change.columns}
            columns={columns}
            onChange={(v) => onChange({ ...change, columns: v })}
          />
          <TextField
            label="Name of the list"
            value={change.into}
            onChange={(e) => onChange({ ...change, into: e.target.value })}
          />
        </Row>
      );
    case "attributes":
      return <AttributesForm change={change} columns={columns} onChange={onChange} />;
    case "rename":
      return <RenameForm change={change} columns={columns} onChange={onChange} />;
    case "keep":
      return <KeepForm change={change} columns={columns} onChange={onChange} />;
    case "carry":
      return <CarryForm change={change} columns={columns} onChange={onChange} />;
    case "take":
      return (
        <Row>
          <TextField
            label="From row"
            type="number"
            value={change.first ?? 1}
            onChange={(e) => onChange({ ...change, first: Math.max(1, Number(e.target.value)) })}
          />
          <TextField
            label="To row (empty: the end)"
            type="number"
            value={change.last ?? ""}
            onChange={(e) => onChange({ ...change, last: e.target.value ? Number(e.target.value) : null })}
          />
        </Row>
      );
  }
}

/** What stands above several columns: "size" for size.width and size@code. */
function stems(columns: string[]): string[] {
  const found = new Map<string, number>();
  for (const c of columns) {
    const parts = c.split(/[.@](?=[^.@]*$)/);
    if (parts.length > 1 && parts[0]) found.set(parts[0], (found.get(parts[0]) ?? 0) + 1);
  }
  return [...found].filter(([, n]) => n > 1).map(([s]) => s);
}

function UnfoldForm({ change, columns, onChange }: FormProps<Of<"unfold">>) {
  return (
    <Row>
      <Columns
        label="What repeats"
        value={change.columns}
        columns={[...stems(columns), ...columns]}
        onChange={(v) => onChange({ ...change, columns: v })}
      />
      <TextField
        label="Cut cells at (empty: they are lists)"
        value={change.separator ?? ""}
        onChange={(e) => onChange({ ...change, separator: e.target.value })}
      />
      <Pick
        label="Rows of one product share"
        value={change.key ?? ""}
        columns={columns}
        empty="the number of their row"
        onChange={(v) => onChange({ ...change, key: v })}
      />
      <TextField
        label="Kept in the new column"
        value={change.group ?? "group"}
        onChange={(e) => onChange({ ...change, group: e.target.value || "group" })}
      />
    </Row>
  );
}

function RenameForm({ change, columns, onChange }: FormProps<Of<"rename">>) {
  return (
    <Row>
      <Pick
        label="Column as it arrives"
        value={change.column}
        columns={columns}
        empty="choose one"
        onChange={(v) => onChange({ ...change, column: v })}
      />
      <TextField
        label="Is called"
        value={change.into}
        onChange={(e) => onChange({ ...change, into: e.target.value })}
      />
    </Row>
  );
}

function CarryForm({ change, columns, onChange }: FormProps<Of<"carry">>) {
  return (
    <>
      <Row>
        <Pick
          label="Column"
          value={change.column}
          columns={columns}
          empty="choose one"
          onChange={(v) => onChange({ ...change, column: v })}
        />
        <TextField
          select
          label="What is carried"
          value={change.into ? "headings" : "cells"}
          onChange={(e) => onChange({ ...change, into: e.target.value === "headings" ? "Group" : "" })}
        >
          <MenuItem value="headings">headings: rows where nothing else is filled</MenuItem>
          <MenuItem value="cells">values: into the empty cells below them</MenuItem>
        </TextField>
      </Row>
      {change.into && (
        <TextField
          label="Carried into the new column"
          value={change.into}
          onChange={(e) => onChange({ ...change, into: e.target.value || "Group" })}
          sx={{ maxWidth: 300 }}
        />
      )}
    </>
  );
}

const KEEPING: [string, string][] = [
  ["first", "first filled"],
  ["join", "joined"],
  ["collect", "a list of the filled"],
  ["align", "a list, row by row"],
];

function GatherForm({ change, columns, onChange }: FormProps<Of<"gather">>) {
  const kept = change.columns ?? {};
  const others = columns.filter((c) => !change.by.includes(c));
  return (
    <>
      <Row>
        <Columns
          label="One row for each"
          value={change.by}
          columns={columns}
          onChange={(v) => onChange({ ...change, by: v })}
        />
        <TextField
          label="Joined with"
          value={change.joiner ?? " "}
          onChange={(e) => onChange({ ...change, joiner: e.target.value })}
        />
      </Row>
      <Box
        tabIndex={0}
        sx={{
          display: "grid",
          gridTemplateColumns: "repeat(3, 1fr)",
          columnGap: 2,
          rowGap: 0.5,
          maxHeight: 180,
          overflowY: "auto",
        }}
      >
        {others.map((name) => (
          <Box key={name} sx={{ display: "flex", alignItems: "center", gap: 1 }}>
            <Typography noWrap title={name} sx={{ flex: 1 }}>
              {name}
            </Typography>
            <TextField
              select
              size="small"
              slotProps={{ htmlInput: { "aria-label": `${name} is kept as` } }}
              value={kept[name] ?? change.others ?? "first"}
              onChange={(e) =>
                onChange({ ...change, columns: { ...kept, [name]: e.target.value as "first" } })
              }
              sx={{ width: 130 }}
            >
              {KEEPING.map(([k, text]) => (
                <MenuItem key={k} value={k}>
                  {text}
                </MenuItem>
              ))}
            </TextField>
          </Box>
        ))}
      </Box>
    </>
  );
}

function AttributesForm({ change, columns, onChange }: FormProps<Of<"attributes">>) {
  const put = (at: number, more: Partial<{ name: string; value: string }>) =>
    onChange({ ...change, pairs: change.pairs.map((p, i) => (i === at ? { ...p, ...more } : p)) });
  return (
    <>
      {change.pairs.map((pair, i) => (
        <Row key={i}>
          <Pick
            label="Column of names"
            value={pair.name}
            columns={columns}
            empty="choose"
            onChange={(v) => put(i, { name: v })}
          />
          <Pick
            label="Column of values"
            value={pair.value}
            columns={columns}
            empty="choose"
            onChange={(v) => put(i, { value: v })}
          />
        </Row>
      ))}
      <Row>
        <Button
          color="inherit"
          onClick={() =>
            onChange({
              ...change,
              pairs: [...change.pairs, { name: change.pairs[0]?.name ?? "", value: "" }],
            })
          }
        >
          One more pair
        </Button>
        <TextField
          label="New columns start with"
          value={change.prefix ?? ""}
          onChange={(e) => onChange({ ...change, prefix: e.target.value })}
        />
      </Row>
    </>
  );
}

function KeepForm({ change, columns, onChange }: FormProps<Of<"keep">>) {
  const needs = !["filled", "empty"].includes(change.test ?? "is");
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "1fr 160px 1fr", gap: 1.5, pt: 1 }}>
      <Pick
        label="Column"
        value={change.column}
        columns={columns}
        empty="choose"
        onChange={(v) => onChange({ ...change, column: v })}
      />
      <TextField
        select
        label="Test"
        value={change.test ?? "is"}
        onChange={(e) => onChange({ ...change, test: e.target.value as "is" })}
      >
        {TESTS.map(([k, text]) => (
          <MenuItem key={k} value={k}>
            {text}
          </MenuItem>
        ))}
      </TextField>
      {needs && (
        <Autocomplete
          multiple
          freeSolo
          autoSelect
          size="small"
          options={[]}
          value={[...(change.values ?? [])]}
          onChange={(_, values) => onChange({ ...change, values: values as string[] })}
          renderInput={(params) => <TextField {...params} label="Values (Enter after each)" />}
        />
      )}
    </Box>
  );
}
