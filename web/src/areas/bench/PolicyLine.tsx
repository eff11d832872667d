/** What the runs of this feed may do to the catalog: a sentence, and behind it the choices. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import InputAdornment from "@mui/material/InputAdornment";
import MenuItem from "@mui/material/MenuItem";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../../api/client";

export type Policy = Required<Schemas["Policy"]>;

const PRODUCTS: Record<Policy["products"], string> = {
  both: "makes and changes products",
  make: "only makes new products",
  picked: "changes products, and makes those picked in its range",
  change: "only completes products in the catalog",
};
const STATES: Record<Policy["state"], string> = { live: "are live at once", hidden: "are hidden" };
const OTHERS: Record<Policy["others"], string> = { refuse: "are refused", change: "are changed, too" };
const MISSING: Record<Policy["missing"], string> = {
  leave: "stay as they are",
  stock_0: "get stock 0",
  hide: "are hidden",
  archive: "are archived",
  take_out: "leave the catalog",
};
export const PLAIN: Policy = {
  products: "both",
  others: "refuse",
  missing: "leave",
  after: 1,
  state: "live",
};

/** A policy in one sentence; what is as usual is not said. */
export function inWords(policy: Policy): string {
  const said = [PRODUCTS[policy.products]];
  if (policy.products !== "change" && policy.state === "hidden") said.push("new ones are hidden");
  if (policy.others === "change") said.push("those of other suppliers are changed, too");
  if (policy.missing !== "leave") {
    const times = policy.after > 1 ? ` after ${policy.after} deliveries` : "";
    said.push(`missing ones ${MISSING[policy.missing]}${times}`);
  }
  return said.join("; ");
}

interface PolicyLineProps {
  policy: Policy;
  hasStock: boolean;
  onChange: (policy: Policy) => void;
}

/** The line under the list of fields. */
export function PolicyLine({ policy, hasStock, onChange }: PolicyLineProps) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", px: 0.5, py: 0.25 }}>
      <Button
        color="inherit"
        size="small"
        title="What this feed may do"
        aria-haspopup="dialog"
        onClick={(e) => setAnchor(e.currentTarget)}
        sx={{ textAlign: "left", justifyContent: "flex-start", textTransform: "none", width: "100%" }}
      >
        <Typography variant="caption" color="textSecondary" component="span">
          This feed <b>{inWords(policy)}</b>
        </Typography>
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "top", horizontal: "left" }}
        transformOrigin={{ vertical: "bottom", horizontal: "left" }}
        slotProps={{ paper: { "aria-label": "What this feed may do", role: "dialog" } }}
      >
        <Choices policy={policy} hasStock={hasStock} onChange={onChange} />
      </Popover>
    </Box>
  );
}

function Choices({ policy, hasStock, onChange }: PolicyLineProps) {
  const missing = Object.entries(MISSING).filter(([name]) => name !== "stock_0" || hasStock);
  return (
    <Box sx={{ p: 2, width: 360, display: "flex", flexDirection: "column", gap: 1.5 }}>
      <Choice
        label="This feed"
        value={policy.products}
        options={Object.entries(PRODUCTS)}
        onChange={(products) => onChange({ ...policy, products: products as Policy["products"] })}
      />
      {policy.products !== "change" && (
        <Choice
          label="New products"
          value={policy.state}
          options={Object.entries(STATES)}
          onChange={(state) => onChange({ ...policy, state: state as Policy["state"] })}
        />
      )}
      <Choice
        label="Rows for products of other suppliers"
        value={policy.others}
        options={Object.entries(OTHERS)}
        onChange={(others) => onChange({ ...policy, others: others as Policy["others"] })}
      />
      {policy.products !== "make" && (
        <Box sx={{ display: "flex", gap: 1 }}>
          <Choice
            label="Products it no longer brings"
            value={policy.missing}
            options={missing}
            onChange={(kind) => onChange({ ...policy, missing: kind as Policy["missing"] })}
          />
          {policy.missing !== "leave" && (
            <TextField
              label="After"
              type="number"
              value={policy.after}
              sx={{ flex: "none", width: 148 }}
              slotProps={{
                htmlInput: { min: 1, max: 20 },
                input: { endAdornment: <InputAdornment position="end">deliveries</InputAdornment> },
              }}
              onChange={(e) => {
                const after = Number(e.target.value);
                if (Number.isInteger(after) && after >= 1 && after <= 20) onChange({ ...policy, after });
              }}
            />
          )}
        </Box>
      )}
      <Typography variant="caption" color="textSecondary">
        Only products that this feed has brought can be missing from it. What a run does to them is shown
        under gone before it is applied, and undone with it; a product that comes back is put back. A value
        kept by hand stays.
      </Typography>
    </Box>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  options: [string, string][];
  onChange: (value: string) => void;
}

function Choice({ label, value, options, onChange }: ChoiceProps) {
  return (
    <TextField select fullWidth label={label} value={value} onChange={(e) => onChange(e.target.value)}>
      {options.map(([name, said]) => (
        <MenuItem key={name} value={name}>
          {said}
        </MenuItem>
      ))}
    </TextField>
  );
}
