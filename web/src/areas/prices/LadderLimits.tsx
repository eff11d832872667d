/** What goods cost once they are here, tax, and the limits of a price. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { Ladder } from "../../api/hooks";
import { isNumber, plain } from "./LadderTable";
import { Typed } from "../../components/Typed";

interface LadderLimitsProps {
  ladder: Ladder;
  fields: Record<string, string>;
  onChange: (ladder: Ladder) => void;
}

/** Landed cost, tax, and the fields that limit a price. */
export function LadderLimits({ ladder, fields, onChange }: LadderLimitsProps) {
  const landed = ladder.landed ?? {};
  const number = (
    label: string,
    value: string | number | undefined,
    width: number,
    set: (text: string) => void,
  ) => (
    <Typed
      label={label}
      value={String(value ?? "0")}
      width={width}
      onDone={(t) => isNumber(t) && set(plain(t))}
    />
  );
  const setLanded = (change: Partial<typeof landed>) =>
    onChange({ ...ladder, landed: { ...landed, ...change } });
  return (
    <Box sx={{ mt: 2 }}>
      <Typography variant="h2">Rungs and landed cost</Typography>
      <Box sx={{ display: "flex", gap: 1, rowGap: 1.5, mt: 1.5, flexWrap: "wrap" }}>
        <FieldChoice
          label="rungs go by"
          none="the landed cost"
          value={ladder.by_field ?? ""}
          fields={fields}
          onChange={(by_field) => onChange({ ...ladder, by_field })}
        />
        {number("duty %", landed.duty, 90, (duty) => setLanded({ duty }))}
        {number("handling a piece", landed.handling, 120, (handling) => setLanded({ handling }))}
        <FieldChoice
          label="weight (kg) from"
          value={landed.weight_field ?? ""}
          fields={fields}
          onChange={(weight_field) =>
            setLanded({ weight_field, ...(weight_field ? {} : { freight_per_kg: "0" }) })
          }
        />
        {landed.weight_field &&
          number("freight per kg", landed.freight_per_kg, 110, (freight_per_kg) =>
            setLanded({ freight_per_kg }),
          )}
      </Box>
      <Typography variant="h2" sx={{ mt: 1.5 }}>
        Tax and limits
      </Typography>
      <Box sx={{ display: "flex", gap: 1, rowGap: 1.5, mt: 1.5, flexWrap: "wrap" }}>
        <TextField
          select
          label="the price is"
          value={ladder.tax ?? "out"}
          sx={{ width: 130 }}
          onChange={(e) => onChange({ ...ladder, tax: e.target.value as Ladder["tax"] })}
        >
          <MenuItem value="out">without tax</MenuItem>
          <MenuItem value="in">with tax</MenuItem>
        </TextField>
        {ladder.tax === "in" &&
          number("tax %", ladder.tax_rate, 80, (tax_rate) => onChange({ ...ladder, tax_rate }))}
        <FieldChoice
          label="never below"
          value={ladder.least_field ?? ""}
          fields={fields}
          onChange={(least_field) => onChange({ ...ladder, least_field })}
        />
        <FieldChoice
          label="never above"
          value={ladder.most_field ?? ""}
          fields={fields}
          onChange={(most_field) => onChange({ ...ladder, most_field })}
        />
        {ladder.most_field && (
          <TextField
            select
            label="where both cross"
            value={ladder.crossed ?? "hold"}
            sx={{ width: 170 }}
            onChange={(e) => onChange({ ...ladder, crossed: e.target.value as Ladder["crossed"] })}
          >
            <MenuItem value="hold">ask me</MenuItem>
            <MenuItem value="floor">never below holds</MenuItem>
            <MenuItem value="ceiling">never above holds</MenuItem>
          </TextField>
        )}
      </Box>
    </Box>
  );
}

interface FieldChoiceProps {
  label: string;
  value: string;
  fields: Record<string, string>;
  none?: string;
  onChange: (field: string) => void;
}

function FieldChoice({ label, value, fields, none = "nothing", onChange }: FieldChoiceProps) {
  return (
    <TextField
      select
      label={label}
      value={value}
      sx={{ width: 150 }}
      onChange={(e) => onChange(e.target.value)}
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
    >
      <MenuItem value="">{none}</MenuItem>
      {Object.entries(fields).map(([name, title]) => (
        <MenuItem key={name} value={name}>
          {title}
        </MenuItem>
      ))}
    </TextField>
  );
}
