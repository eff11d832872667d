/** What can be done with the lines that are chosen together. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { Verdict } from "../../api/deciding";
import { count } from "../../components/words";
import { MOST } from "./useSelection";

interface SelectedProps {
  keys: string[];
  tooMany: boolean;
  /** Some of them may be held by guards. */
  guarded: boolean;
  busy: boolean;
  onDecide: (verdict: Verdict["verdict"]) => void;
  onClear: () => void;
}

/** A bar above the list while there are some. */
export function Selected({ keys, tooMany, guarded, busy, onDecide, onClear }: SelectedProps) {
  if (!keys.length && !tooMany) return null;
  const does = (verdict: Verdict["verdict"], said: string) => (
    <Button color="inherit" disabled={busy || !keys.length} onClick={() => onDecide(verdict)}>
      {said}
    </Button>
  );
  return (
    <Box
      role="toolbar"
      aria-label="Chosen lines"
      sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.5, py: 0.5, bgcolor: "action.selected" }}
    >
      <Typography sx={{ flex: 1 }}>
        {tooMany
          ? `At most ${MOST.toLocaleString("en")} lines are chosen together; a filter takes any number.`
          : `${count(keys.length, "line", "lines")} chosen`}
      </Typography>
      {does("decline", "Decline them")}
      {does("accept", "Accept them")}
      {guarded && does("release", "Let them through")}
      <Button color="inherit" onClick={onClear}>
        Choose none
      </Button>
    </Box>
  );
}
