/** By how much a number moves, as bars; those that are chosen filter the list. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type KeyboardEvent } from "react";
import type { Schemas } from "../../api/client";
import { count } from "../../components/words";

type Spreads = Schemas["FieldSpread"][];
type Bar = Schemas["SpreadBar"];

/** Bounds in percent, "" for none. */
export interface Bounds {
  field: string;
  least: string;
  most: string;
}

interface SpreadProps {
  spreads: Spreads;
  chosen: Bounds;
  onChoose: (bounds: Bounds) => void;
}

const TALL = 96;
const bound = (value: Bar["least"]) => (value === null || value === undefined ? "" : String(value));
const signed = (value: string) => (Number(value) > 0 ? `+${value}` : value.replace("-", "−"));

/** What a bar, or several side by side, is about. */
export function inPercent(least: string, most: string): string {
  if (!least && !most) return "";
  if (!least) return `falls by over ${Math.abs(Number(most))} %`;
  if (!most) return `rises by ${least} % or more`;
  return `moves by ${signed(least)} to ${signed(most)} %`;
}

/** The bars of one field; a drag, or Shift, takes several of them. */
export function Spread({ spreads, chosen, onChoose }: SpreadProps) {
  const [asked, setAsked] = useState("");
  const [from, setFrom] = useState<number | null>(null);
  const spread =
    spreads.find((s) => s.field === (asked || chosen.field)) ??
    spreads.find((s) => s.bars.some(counts)) ??
    spreads[0];
  if (!spread) return <Typography color="textSecondary">No number in the catalog would change.</Typography>;
  const { bars, field } = spread;
  const most = Math.max(1, ...bars.map((bar) => bar.count));
  const take = (one: number, other: number) => {
    const first = bars[Math.min(one, other)];
    const last = bars[Math.max(one, other)];
    if (first && last) onChoose({ field, least: bound(first.least), most: bound(last.most) });
  };
  const isIn = (bar: Bar) =>
    chosen.field === field &&
    (chosen.least || chosen.most) !== "" &&
    (!chosen.least || (bound(bar.least) !== "" && Number(bar.least) >= Number(chosen.least))) &&
    (!chosen.most || (bound(bar.most) !== "" && Number(bar.most) <= Number(chosen.most)));
  const up = sum(bars.filter((bar) => bound(bar.least) !== "" && Number(bar.least) >= 0));
  const down = sum(bars) - up;
  return (
    <>
      <TextField
        select
        fullWidth
        value={field}
        onChange={(event) => setAsked(event.target.value)}
        slotProps={{ htmlInput: { "aria-label": "Number that moves" } }}
      >
        {spreads.map((s) => (
          <MenuItem key={s.field} value={s.field}>
            {s.label}
          </MenuItem>
        ))}
      </TextField>
      <Box
        role="group"
        aria-label={`How ${spread.label} moves`}
        onMouseLeave={() => setFrom(null)}
        sx={{
          display: "flex",
          alignItems: "flex-end",
          height: TALL + 4,
          mt: 1,
          gap: "2px",
          userSelect: "none",
        }}
      >
        {bars.map((bar, n) => {
          const many = count(bar.count, "product", "products");
          const said = `${many}: ${inPercent(bound(bar.least), bound(bar.most))}`;
          return (
            <button
              key={bound(bar.least)}
              type="button"
              className="plain-button"
              aria-label={said}
              aria-pressed={isIn(bar)}
              title={said}
              onMouseDown={() => setFrom(n)}
              onMouseUp={() => {
                if (from !== null) take(from, n);
                setFrom(null);
              }}
              onKeyDown={(event: KeyboardEvent) => {
                if (event.key !== "Enter" && event.key !== " ") return;
                event.preventDefault();
                const there = bars.findIndex(isIn);
                take(event.shiftKey && there >= 0 ? there : n, n);
              }}
              style={{ flex: 1, height: "100%", display: "flex", alignItems: "flex-end" }}
            >
              <span
                style={{
                  display: "block",
                  width: "100%",
                  height: bar.count ? Math.max(3, (TALL * Math.sqrt(bar.count)) / Math.sqrt(most)) : 1,
                  background: isIn(bar)
                    ? "var(--mui-palette-primary-main)"
                    : bar.count
                      ? "var(--mui-palette-state-changed)"
                      : "var(--mui-palette-divider)",
                }}
              />
            </button>
          );
        })}
      </Box>
      <Box aria-hidden sx={{ display: "flex", fontSize: 10, color: "text.secondary" }}>
        {bars.map((bar) => (
          <span key={bound(bar.least)} style={{ flex: 1, textAlign: "left", whiteSpace: "nowrap" }}>
            {MARKED.includes(bound(bar.least)) ? signed(bound(bar.least)) : ""}
          </span>
        ))}
      </Box>
      <Typography variant="caption" color="textSecondary" component="p">
        {up.toLocaleString("en")} up, {down.toLocaleString("en")} down, in percent of what it was. Choose bars
        to see those alone.
      </Typography>
    </>
  );
}

const MARKED = ["-75", "-30", "-10", "0", "10", "30", "100"];
const counts = (bar: Bar) => bar.count > 0;
const sum = (bars: readonly Bar[]) => bars.reduce((n, bar) => n + bar.count, 0);
