/** After how many days without anything new people are told. */
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useSetQuiet } from "../../api/sources";
import { Failure } from "../../components/states";
import { useUndo } from "../../shell/undo";

const CHOICES: [days: number, says: string][] = [
  [0, "never"],
  [1, "after a day"],
  [2, "after two days"],
  [4, "after four days"],
  [8, "after eight days"],
  [15, "after fifteen days"],
  [32, "after thirty-two days"],
];

export function Quiet({ feed, days }: { feed: number; days: number | null }) {
  const set = useSetQuiet(feed);
  const undo = useUndo();
  const known = CHOICES.some(([one]) => one === (days ?? 0));
  const choose = (to: number | null) =>
    void set
      .mutateAsync(to)
      .then(() => undo.did("Changed when its silence is told", () => set.mutateAsync(days)), undo.failed);
  return (
    <>
      <Typography component="label" sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        When nothing new comes, people are told
        <TextField
          select
          value={days ?? 0}
          slotProps={{ htmlInput: { "aria-label": "When silence is told" } }}
          onChange={(e) => choose(Number(e.target.value) || null)}
        >
          {CHOICES.map(([one, says]) => (
            <MenuItem key={one} value={one}>
              {says}
            </MenuItem>
          ))}
          {!known && <MenuItem value={days ?? 0}>after {days} days</MenuItem>}
        </TextField>
      </Typography>
      {set.isError && <Failure error={set.error} />}
    </>
  );
}
