/** One change of a field for all products that are shown: a run, looked at before it is applied. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { Look } from "../../api/catalog";
import { api, take, type Schemas } from "../../api/client";
import type { StoreField } from "../../api/hooks";
import { Confirm } from "../../components/Confirm";
import { count } from "../../components/words";

type Change = Schemas["BulkChange"];

interface ChangeAllProps {
  store: number;
  total: number;
  look: Look;
  fields: readonly StoreField[];
  categories: readonly string[];
}

/** A button that opens the change. */
export function ChangeAll(props: ChangeAllProps) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button color="inherit" disabled={!props.total} onClick={() => setOpen(true)}>
        Change all …
      </Button>
      {open && <Asking {...props} onClose={() => setOpen(false)} />}
    </>
  );
}

const HELP =
  "Fields in brackets, by the names above their columns. " +
  "A result that is nothing leaves the product as it is.";

const WAYS: [Change["do"], string][] = [
  ["set", "Set"],
  ["replace", "Find and replace"],
  ["formula", "Formula"],
];

function Asking({
  store,
  total,
  look,
  fields,
  categories,
  onClose,
}: ChangeAllProps & { onClose: () => void }) {
  const own = fields.filter((f) => f.role !== "key");
  const [change, setChange] = useState({
    field: own.find((f) => f.role === "price")?.name ?? own[0]?.name ?? "",
    do: "set" as Change["do"],
    value: "",
    find: "",
    formula: "",
  });
  const queries = useQueryClient();
  const navigate = useNavigate();
  const field = own.find((f) => f.name === change.field);
  const words = field?.kind === "category" ? categories : (field?.allowed ?? []);
  const begin = useMutation({
    mutationFn: () => {
      const { category, search, state, where } = look;
      return take(
        api.POST("/api/v1/stores/{store_id}/changes", {
          params: { path: { store_id: store } },
          body: { category, search, state, where, change },
        }),
      );
    },
    onSuccess: async ({ id }) => {
      await queries.invalidateQueries({ queryKey: ["runs"] });
      await navigate(`/s/${store}/runs/${id}`);
    },
  });
  const set = (more: Partial<typeof change>) => setChange({ ...change, ...more });
  const ready =
    change.do === "set" || (change.do === "replace" ? change.find !== "" : change.formula.trim() !== "");
  return (
    <Confirm
      title={`Change ${count(total, "product", "products")}`}
      action="Look at it"
      ready={ready}
      busy={begin.isPending}
      error={begin.error}
      onYes={() => begin.mutate()}
      onClose={onClose}
    >
      <Box sx={{ display: "flex", gap: 1 }}>
        <TextField
          select
          value={change.field}
          onChange={(event) => set({ field: event.target.value, value: "" })}
          slotProps={{ htmlInput: { "aria-label": "Field" } }}
          sx={{ flex: 1 }}
        >
          {own.map((f) => (
            <MenuItem key={f.name} value={f.name}>
              {f.title || f.name}
            </MenuItem>
          ))}
        </TextField>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={change.do}
          aria-label="How"
          onChange={(_, way: Change["do"] | null) => way && set({ do: way, value: "" })}
        >
          {WAYS.map(([way, said]) => (
            <ToggleButton key={way} value={way}>
              {said}
            </ToggleButton>
          ))}
        </ToggleButtonGroup>
      </Box>
      {change.do === "replace" && (
        <TextField
          autoFocus
          label="Find"
          value={change.find}
          onChange={(event) => set({ find: event.target.value })}
        />
      )}
      {change.do === "formula" ? (
        <TextField
          autoFocus
          multiline
          label="Formula"
          placeholder={`ROUND([${field?.title || field?.name}] * 1.05; 2)`}
          value={change.formula}
          onChange={(event) => set({ formula: event.target.value })}
          helperText={HELP}
          slotProps={{ htmlInput: { className: "mono" } }}
        />
      ) : (
        <TextField
          select={words.length > 0 && change.do === "set"}
          label={change.do === "set" ? "Value" : "By"}
          value={change.value}
          onChange={(event) => set({ value: event.target.value })}
          helperText={
            change.do === "set" ? "Nothing here empties the field." : "Capital and small letters differ."
          }
          slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        >
          {words.length > 0 && change.do === "set" && <MenuItem value="">nothing</MenuItem>}
          {words.map((word) => (
            <MenuItem key={word} value={word}>
              {word}
            </MenuItem>
          ))}
        </TextField>
      )}
      <Typography color="textSecondary">
        Nothing is written yet: a run shows what each product would get, and is undone like any other.
      </Typography>
    </Confirm>
  );
}
