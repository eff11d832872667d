/** What is asked of the products that are shown: a chip for each condition, and one more. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import ListSubheader from "@mui/material/ListSubheader";
import MenuItem from "@mui/material/MenuItem";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Condition } from "../../api/catalog";
import type { StoreField } from "../../api/hooks";
import { asks, BESIDE, inWords, placeOf, testsOf } from "./look";

interface FiltersProps {
  where: Condition[];
  fields: readonly StoreField[];
  suppliers: readonly string[];
  onWhere: (where: Condition[]) => void;
}

/** The conditions; all of them hold. */
export function Filters({ where, fields, suppliers, onWhere }: FiltersProps) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  /** The condition that is changed, its place; one beyond the last is new. */
  const [at, setAt] = useState(0);
  const open = (element: HTMLElement, place: number) => {
    setAt(place);
    setAnchor(element);
  };
  return (
    <>
      {where.map((one, place) => (
        <Chip
          key={`${one.field} ${one.test} ${one.value}`}
          size="small"
          label={inWords(one, fields)}
          onClick={(event) => open(event.currentTarget, place)}
          onDelete={() => onWhere(where.filter((_, n) => n !== place))}
          sx={{ maxWidth: 320 }}
        />
      ))}
      <Button color="inherit" onClick={(event) => open(event.currentTarget, where.length)}>
        + Filter
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      >
        <Asking
          first={where[at] ?? { field: "$missing", test: "filled", value: "" }}
          fields={fields}
          suppliers={suppliers}
          onAsk={(one) => {
            onWhere([...where.slice(0, at), one, ...where.slice(at + 1)]);
            setAnchor(null);
          }}
        />
      </Popover>
    </>
  );
}

interface AskingProps {
  first: Condition;
  fields: readonly StoreField[];
  suppliers: readonly string[];
  onAsk: (one: Condition) => void;
}

function Asking({ first, fields, suppliers, onAsk }: AskingProps) {
  const [one, setOne] = useState(first);
  const field = fields.find((f) => f.name === one.field);
  const tests = testsOf(one.field, field);
  const places = ["$row", ...fields.map((f) => f.name)];
  const words =
    one.field === "$supplier" ? suppliers : one.field === "$problem" ? places : (field?.allowed ?? []);
  const listed = one.test === "any of";
  const day = one.field === "$changed" || field?.kind === "date";
  const ready = !asks(one.test) || (one.value ?? "").trim() !== "";
  return (
    <Box
      component="form"
      aria-label="Filter"
      onSubmit={(event) => {
        event.preventDefault();
        if (ready) onAsk({ ...one, value: asks(one.test) || one.field === "$kept" ? (one.value ?? "") : "" });
      }}
      sx={{ display: "grid", gap: 1, p: 1.5, width: 300 }}
    >
      <TextField
        select
        value={one.field}
        onChange={(event) => {
          const name = event.target.value;
          const [test] = testsOf(
            name,
            fields.find((f) => f.name === name),
          )[0] ?? ["filled"];
          setOne({ field: name, test, value: "" });
        }}
        slotProps={{ htmlInput: { "aria-label": "What is asked" } }}
      >
        {Object.entries(BESIDE).map(([name, label]) => (
          <MenuItem key={name} value={name}>
            {label}
          </MenuItem>
        ))}
        <ListSubheader>Fields</ListSubheader>
        {fields.map((f) => (
          <MenuItem key={f.name} value={f.name}>
            {f.title || f.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        value={one.test}
        onChange={(event) => setOne({ ...one, test: event.target.value as Condition["test"] })}
        slotProps={{ htmlInput: { "aria-label": "Test" } }}
      >
        {tests.map(([test, said]) => (
          <MenuItem key={test} value={test}>
            {said}
          </MenuItem>
        ))}
      </TextField>
      {asks(one.test) && (
        <TextField
          autoFocus={!words.length}
          select={words.length > 0 && !listed}
          multiline={listed}
          minRows={listed ? 3 : undefined}
          maxRows={10}
          type={day ? "date" : undefined}
          value={one.value}
          onChange={(event) => setOne({ ...one, value: event.target.value })}
          helperText={listed ? "One a line: paste a column of a spreadsheet." : undefined}
          slotProps={{ htmlInput: { "aria-label": "Value" } }}
        >
          {words.map((word) => (
            <MenuItem key={word} value={word}>
              {one.field === "$problem" ? placeOf(word, fields) : word}
            </MenuItem>
          ))}
        </TextField>
      )}
      <Button type="submit" variant="contained" disabled={!ready}>
        Show these
      </Button>
    </Box>
  );
}
