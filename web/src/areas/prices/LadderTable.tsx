/** The ladder as a table: cost from, rule, amount, ending; and how many products stand on it. */
import Add from "@mui/icons-material/Add";
import Close from "@mui/icons-material/Close";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import Select from "@mui/material/Select";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/client";
import type { Ladder, Rung } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Typed } from "../../components/Typed";

type Ending = NonNullable<Ladder["ending"]>;

const ENDINGS: [Ending, string][] = [
  ["none", "to the cent"],
  ["99", "ends in .99"],
  ["95", "ends in .95"],
  ["whole", "whole"],
  ["five", "steps of 0.05"],
];
const KINDS: [NonNullable<Rung["kind"]>, string][] = [
  ["markup", "markup % of cost"],
  ["margin", "margin % of price"],
  ["fixed", "cost plus amount"],
  ["multiple", "cost times"],
];

interface LadderTableProps {
  ladder: Ladder;
  rungs: Schemas["RungUse"][];
  onChange: (ladder: Ladder) => void;
}

/** Whether a text is an amount, with a point or a comma. */
export const isNumber = (text: string) => /^\d+([.,]\d+)?$/.test(text.trim());
/** The amount with a point. */
export const plain = (text: string) => text.trim().replace(",", ".");

/** The rungs in order of their start, so that an edit never leaves them crossed. */
export function inOrder(rungs: Rung[]): Rung[] {
  return [...rungs].sort((a, b) => Number(a.start) - Number(b.start));
}

interface RungTableProps {
  rungs: Rung[];
  /** What the rungs go by: the cost, or a field. */
  by?: string;
  uses?: Schemas["RungUse"][];
  onChange: (rungs: Rung[]) => void;
}

/** The rungs themselves; `uses` says how many products stand on each. */
export function RungTable({ rungs, by = "Cost", uses = [], onChange }: RungTableProps) {
  const set = (index: number, change: Partial<Rung>) =>
    onChange(inOrder(rungs.map((r, i) => (i === index ? { ...r, ...change } : r))));
  const add = () => {
    const last = rungs.at(-1);
    if (!last) return;
    const start = String(Number(last.start) ? Number(last.start) * 2 : 10);
    onChange([...rungs, { ...last, start }]);
  };
  return (
    <>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: "76px 150px 72px 122px 1fr 28px",
          rowGap: 0.75,
          columnGap: 0.75,
          alignItems: "center",
        }}
      >
        {[`${by} from`, "Rule", "Amount", "Ending", "Products", ""].map((h) => (
          <Typography key={h} variant="caption" color="textSecondary">
            {h}
          </Typography>
        ))}
        {rungs.map((rung, index) => (
          <RungRow
            key={index}
            rung={rung}
            first={index === 0}
            use={uses[index]}
            onChange={(change) => set(index, change)}
            onRemove={() => onChange(rungs.filter((_, i) => i !== index))}
          />
        ))}
      </Box>
      <Button startIcon={<Add />} onClick={add} sx={{ mt: 0.5 }}>
        Add a rung
      </Button>
    </>
  );
}

/** The rungs, the floor and the ending of a ladder. */
export function LadderTable({ ladder, rungs, onChange }: LadderTableProps) {
  return (
    <Box>
      <RungTable
        rungs={ladder.rungs}
        by={ladder.by_field || undefined}
        uses={rungs}
        onChange={(made) => onChange({ ...ladder, rungs: made })}
      />
      {rungs.map(
        (use, index) =>
          use.below && (
            <Typography key={index} variant="body2" sx={{ mt: 0.75 }}>
              <Mark state="question" says="worth a look" /> At a cost of {ladder.rungs[index]?.start} the
              price falls from {use.below} to {use.here}.
            </Typography>
          ),
      )}
      <Box sx={{ display: "flex", gap: 1, mt: 1.5, alignItems: "center" }}>
        <Typography variant="body2">Never below cost +</Typography>
        <Typed
          label="floor"
          value={String(ladder.floor ?? "0")}
          width={80}
          onDone={(t) => isNumber(t) && onChange({ ...ladder, floor: plain(t) })}
        />
        <Select
          value={ladder.floor_by ?? "amount"}
          onChange={(e) => onChange({ ...ladder, floor_by: e.target.value as Ladder["floor_by"] })}
          inputProps={{ "aria-label": "Floor is" }}
          sx={{ width: 82 }}
        >
          <MenuItem value="amount">{ladder.currency ?? "EUR"}</MenuItem>
          <MenuItem value="percent">%</MenuItem>
        </Select>
      </Box>
      <Box sx={{ display: "flex", gap: 1, mt: 1.5, alignItems: "center" }}>
        <Typography variant="body2">Prices end</Typography>
        <Select
          value={ladder.ending ?? "none"}
          onChange={(e) => onChange({ ...ladder, ending: e.target.value as Ending })}
          inputProps={{ "aria-label": "Ending" }}
          sx={{ width: 128 }}
        >
          {ENDINGS.map(([key, label]) => (
            <MenuItem key={key} value={key}>
              {label}
            </MenuItem>
          ))}
        </Select>
        <Select
          value={ladder.toward ?? "nearest"}
          onChange={(e) => onChange({ ...ladder, toward: e.target.value as Ladder["toward"] })}
          inputProps={{ "aria-label": "Which ending" }}
          sx={{ width: 150 }}
        >
          <MenuItem value="nearest">the nearest one</MenuItem>
          <MenuItem value="up">the next dearer</MenuItem>
          <MenuItem value="down">the next cheaper</MenuItem>
        </Select>
      </Box>
    </Box>
  );
}

interface RungRowProps {
  rung: Rung;
  first: boolean;
  use: Schemas["RungUse"] | undefined;
  onChange: (change: Partial<Rung>) => void;
  onRemove: () => void;
}

function RungRow({ rung, first, use, onChange, onRemove }: RungRowProps) {
  return (
    <>
      {first ? (
        <Typography sx={{ pl: 1 }}>0</Typography>
      ) : (
        <Typed
          label=""
          says="From"
          value={String(rung.start)}
          width={76}
          onDone={(t) => isNumber(t) && onChange({ start: plain(t) })}
        />
      )}
      <Select
        value={rung.kind ?? "markup"}
        onChange={(e) => onChange({ kind: e.target.value as Rung["kind"] })}
        inputProps={{ "aria-label": "Rule" }}
      >
        {KINDS.map(([key, label]) => (
          <MenuItem key={key} value={key}>
            {label}
          </MenuItem>
        ))}
      </Select>
      <Typed
        label=""
        says="Amount"
        value={String(rung.amount)}
        width={72}
        onDone={(t) => isNumber(t) && onChange({ amount: plain(t) })}
      />
      <Select
        value={rung.ending ?? ""}
        displayEmpty
        onChange={(e) => onChange({ ending: (e.target.value || null) as Rung["ending"] })}
        inputProps={{ "aria-label": "Ending of this rung" }}
      >
        <MenuItem value="">as all else</MenuItem>
        {ENDINGS.map(([key, label]) => (
          <MenuItem key={key} value={key}>
            {label}
          </MenuItem>
        ))}
      </Select>
      <Typography variant="caption" color="textSecondary" noWrap>
        {use ? `${use.count}${use.margin_least ? ` · ${use.margin_least}–${use.margin_most} %` : ""}` : ""}
      </Typography>
      {first ? (
        <span />
      ) : (
        <IconButton size="small" aria-label="Remove rung" onClick={onRemove}>
          <Close fontSize="inherit" />
        </IconButton>
      )}
    </>
  );
}
