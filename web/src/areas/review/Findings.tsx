/** What the guards of a feed saw in a run: a sentence each, its lines, and letting it through. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import { isOpen, type Decisions, type Verdict } from "../../api/deciding";
import type { RunView } from "../../api/hooks";
import { Confirm } from "../../components/Confirm";
import { Mark } from "../../components/Mark";
import { count } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import type { useDecide } from "./useDecide";

/** Lines to be let through, and what they are called. */
export interface Through {
  of: Verdict["of"];
  what: string;
}

/** How the findings about a delivery as a whole are called. */
const UNUSUAL = "delivery_unusual:";

interface FindingsProps {
  run: RunView;
  decisions: Decisions | undefined;
  /** The finding whose lines are shown. */
  guard: string;
  onGuard: (guard: string) => void;
  onThrough: (through: Through) => void;
}

/** The findings of a run, those that still hold something first. */
export function Findings({ run, decisions, guard, onGuard, onThrough }: FindingsProps) {
  const store = useStoreId();
  const found = decisions?.findings ?? [];
  if (!found.length) return null;
  const sorted = [...found].sort((a, b) => Number(b.open) - Number(a.open));
  const reasons = (one: string) =>
    decisions?.decisions.filter((d) => d.verdict === "release" && d.guard === one && d.reason) ?? [];
  return (
    <Box
      component="section"
      aria-label="What the guards saw"
      sx={{ px: 1.5, py: 0.75, borderBottom: 1, borderColor: "divider", maxHeight: 164, overflowY: "auto" }}
    >
      {sorted.map((one) => (
        <Box key={one.guard} sx={{ display: "flex", alignItems: "center", gap: 1, minHeight: 30 }}>
          <Mark state={one.open ? "question" : "computed"} says={one.open ? "held" : "let through"} />
          <Typography noWrap title={one.said} sx={{ flex: 1, minWidth: 0 }}>
            <b>{holding(one)}</b> {one.said}
            {!one.open && reasons(one.guard)[0] && (
              <Typography component="span" color="textSecondary">
                {" "}
                · {reasons(one.guard)[0]?.reason}
              </Typography>
            )}
          </Typography>
          {one.lines > 0 && (
            <Button
              color="inherit"
              aria-pressed={guard === one.guard}
              aria-label={`Show the lines: ${one.said}`}
              onClick={() => onGuard(guard === one.guard ? "" : one.guard)}
              sx={{ flex: "none" }}
            >
              {guard === one.guard ? "Show all lines" : count(one.lines, "line", "lines")}
            </Button>
          )}
          {one.guard.startsWith(UNUSUAL) && run.feed_id !== null && (
            <Button
              component={Link}
              to={`/s/${store}/feeds/${run.feed_id}/unusual?delivery=${run.delivery_id}`}
              sx={{ flex: "none" }}
            >
              See what is unusual
            </Button>
          )}
          {isOpen(run) && one.open && (
            <Button
              color="inherit"
              variant="outlined"
              aria-label={`Let through: ${one.said}`}
              onClick={() => onThrough({ of: { guard: one.guard }, what: one.said })}
              sx={{ flex: "none" }}
            >
              Let through
            </Button>
          )}
        </Box>
      ))}
    </Box>
  );
}

function holding(one: Decisions["findings"][number]): string {
  if (!one.open) return "Let through:";
  return one.holds === "run" ? "The run is held:" : `${count(one.held, "line is", "lines are")} held:`;
}

interface LetThroughProps {
  through: Through;
  deciding: ReturnType<typeof useDecide>;
  onClose: () => void;
}

/** Asks for the reason, which is kept. */
export function LetThrough({ through, deciding, onClose }: LetThroughProps) {
  const [reason, setReason] = useState("");
  return (
    <Confirm
      title="Let through what a guard holds"
      action="Let through"
      ready={reason.trim() !== ""}
      onClose={onClose}
      onYes={() => {
        deciding.decide({ verdict: "release", of: through.of, reason: reason.trim() }, "Let through");
        onClose();
      }}
    >
      <Typography>{through.what}</Typography>
      <TextField
        autoFocus
        fullWidth
        label="Why it is right"
        value={reason}
        onChange={(event) => setReason(event.target.value)}
        helperText="It is kept with the run."
        slotProps={{ htmlInput: { maxLength: 500 } }}
      />
    </Confirm>
  );
}
