/** A list to tick and untick, each with what there is to say for it. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import { PickAll } from "./PickAll";

interface TicksProps {
  names: string[];
  picked: ReadonlySet<string>;
  label: string;
  /** What there is to say for each. */
  why?: ReadonlyMap<string, string>;
  /** How high the list grows before it scrolls, in pixels. */
  height?: number;
  onPick: (picked: Set<string>) => void;
}

/** Names with a box to tick before each, and one for all of them. */
export function Ticks({ names, picked, label, why, height = 220, onPick }: TicksProps) {
  const toggle = (name: string) =>
    onPick(new Set(picked.has(name) ? [...picked].filter((n) => n !== name) : [...picked, name]));
  return (
    <>
      <PickAll shown={names} picked={picked} onPick={onPick} />
      <Box
        role="group"
        aria-label={label}
        tabIndex={0}
        sx={{ maxHeight: height, overflowY: "auto", my: 0.5, pl: 1.5 }}
      >
        {names.map((name) => (
          <Box key={name}>
            <FormControlLabel
              sx={{ display: "flex", m: 0, "& .MuiTypography-root": { overflowWrap: "anywhere" } }}
              control={<Checkbox size="small" checked={picked.has(name)} onChange={() => toggle(name)} />}
              label={name}
            />
            {why && (
              <Typography variant="caption" color="textSecondary" component="div" sx={{ pl: 3.75, mt: -0.5 }}>
                {why.get(name)}
              </Typography>
            )}
          </Box>
        ))}
      </Box>
    </>
  );
}
