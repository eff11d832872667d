/** One way of finding products: its fields, what need not agree, and what each choice would find. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Popover from "@mui/material/Popover";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useTriedWays, type MatchingView, type Way } from "../../api/matching";
import { Failure } from "../../components/states";
import { IGNORED, sameWay } from "./words";

type Ignored = keyof typeof IGNORED;
const EVERY = Object.keys(IGNORED) as Ignored[];
const MOST_FIELDS = 4;

interface WayEditorProps {
  feed: number;
  delivery: number;
  fields: MatchingView["fields"];
  /** The way that is changed; null for a new one. */
  way: Way | null;
  anchor: HTMLElement;
  onDone: (way: Way) => void;
  onClose: () => void;
}

/** A popover with the choices; nothing is kept before it is used. */
export function WayEditor({ feed, delivery, fields, way, anchor, onDone, onClose }: WayEditorProps) {
  const [names, setNames] = useState<string[]>(way?.fields ?? []);
  const [ignore, setIgnore] = useState<Ignored[]>(way?.ignore ?? []);
  const now: Way = { fields: names, ignore };
  const other = (one: Ignored): Way => ({ fields: names, ignore: toggled(ignore, one) });
  const tried = useTriedWays(feed, delivery, names.length ? [now, ...EVERY.map(other)] : []);
  const counted = (one: Way) => tried.data?.ways.find((t) => sameWay(t.way, one));
  const here = counted(now);
  return (
    <Popover
      open
      anchorEl={anchor}
      onClose={onClose}
      anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      slotProps={{ paper: { role: "dialog", "aria-label": "A way of finding products" } }}
    >
      <Box sx={{ p: 2, width: 420 }}>
        <Typography variant="h3" color="textSecondary">
          The same in
        </Typography>
        <Box sx={{ maxHeight: 190, overflowY: "auto", mb: 1 }} role="group" aria-label="Fields" tabIndex={0}>
          {fields.map((field) => (
            <FormControlLabel
              key={field.name}
              sx={{ display: "flex", m: 0 }}
              disabled={!names.includes(field.name) && (!field.filled || names.length >= MOST_FIELDS)}
              control={
                <Checkbox
                  size="small"
                  checked={names.includes(field.name)}
                  onChange={() => setNames(toggled(names, field.name))}
                />
              }
              label={field.filled ? field.label : `${field.label} (nothing fills it)`}
            />
          ))}
        </Box>
        <Typography variant="h3" color="textSecondary">
          Whatever the
        </Typography>
        <Box role="group" aria-label="What need not agree" sx={{ mb: 1 }}>
          {EVERY.map((one) => (
            <FormControlLabel
              key={one}
              sx={{ display: "flex", m: 0 }}
              control={
                <Checkbox
                  size="small"
                  checked={ignore.includes(one)}
                  onChange={() => setIgnore(toggled(ignore, one))}
                />
              }
              label={
                <>
                  {IGNORED[one]}{" "}
                  <Typography component="span" variant="caption" color="textSecondary">
                    {difference(here, counted(other(one)), ignore.includes(one))}
                  </Typography>
                </>
              }
            />
          ))}
        </Box>
        {tried.isError && <Failure error={tried.error} />}
        <Typography role="status" sx={{ mb: 1.5, minHeight: 20 }}>
          {names.length > 0 && here && tried.data && inWords(here, tried.data.rows)}
        </Typography>
        <Box sx={{ display: "flex", justifyContent: "flex-end", gap: 1 }}>
          <Button color="inherit" onClick={onClose}>
            Cancel
          </Button>
          <Button
            variant="contained"
            disabled={!names.length}
            onClick={() => {
              onDone(now);
              onClose();
            }}
          >
            Use this
          </Button>
        </Box>
      </Box>
    </Popover>
  );
}

function toggled<T>(list: T[], one: T): T[] {
  return list.includes(one) ? list.filter((each) => each !== one) : [...list, one];
}

function inWords({ found, several }: { found: number; several: number }, rows: number): string {
  const [all, one, more, none] = [rows, found, several, rows - found - several].map((n) =>
    n.toLocaleString("en"),
  );
  return `Of ${all} rows ${one} find one product, ${more} several, ${none} none.`;
}

type Counted = { found: number; several: number } | undefined;

/** What an option that is off would add, or what one that is on adds. */
function difference(here: Counted, there: Counted, on: boolean): string {
  if (!here || !there) return "";
  const sign = on ? -1 : 1;
  const found = sign * (there.found - here.found);
  const several = sign * (there.several - here.several);
  const signed = (n: number) => `${n > 0 ? "+" : "−"}${Math.abs(n).toLocaleString("en")}`;
  const parts = [];
  if (found) parts.push(`${signed(found)} find one`);
  if (several) parts.push(`${signed(several)} several`);
  return parts.join(", ") || "makes no difference";
}
