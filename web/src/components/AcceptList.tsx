/** Suggested columns, words or places accepted together, after a look at what they are. */
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../api/client";
import { Ticks } from "./Ticks";
import { count } from "./words";

/** What is asked about, and its likeliest answer. */
export interface Proposed {
  asked: string;
  proposal: Schemas["Proposal"];
}

interface AcceptListProps<T extends Proposed> {
  proposed: T[];
  /** What the list holds. */
  label: string;
  /** How the button that opens it says how many there are. */
  opens?: (count: number) => string;
  /** How a line says what is proposed. */
  says?: (one: T) => string;
  onAccept: (chosen: T[]) => void;
}

const goesTo = ({ asked, proposal }: Proposed) => `${asked} → ${proposal.place}`;
const lookAt = (n: number) => `Look at ${count(n, "suggestion", "suggestions")}`;

/** Answers by what was asked. */
export const answersOf = (chosen: Proposed[]): Record<string, string> =>
  Object.fromEntries(chosen.map((p) => [p.asked, p.proposal.place]));

const reasonOf = ({ sure, score, reason }: Schemas["Proposal"]) =>
  [sure ? "sure" : `right ${score} times in 100`, reason].filter(Boolean).join("; ");

/** A button that opens the list of suggestions: the sure ones ticked, the others to be ticked. */
export function AcceptList<T extends Proposed>({
  proposed,
  label,
  opens = lookAt,
  says = goesTo,
  onAccept,
}: AcceptListProps<T>) {
  const [picked, setPicked] = useState<ReadonlySet<string>>();
  if (!proposed.length) return null;
  const sure = proposed.filter((p) => p.proposal.sure);
  const chosen = proposed.filter((p) => picked?.has(says(p)));
  const ordered = [...sure, ...proposed.filter((p) => !p.proposal.sure)];
  const why = new Map(ordered.map((p) => [says(p), reasonOf(p.proposal)]));
  const close = () => setPicked(undefined);
  return (
    <>
      <Button
        variant="contained"
        sx={{ whiteSpace: "nowrap" }}
        onClick={() => setPicked(new Set(sure.map(says)))}
      >
        {opens(proposed.length)}
      </Button>
      <Dialog open={picked !== undefined} onClose={close} fullWidth maxWidth="sm" aria-label={label}>
        <DialogTitle>{label}</DialogTitle>
        <DialogContent>
          <Typography color="textSecondary" sx={{ mb: 1 }}>
            {count(sure.length, "is sure and ticked", "are sure and ticked")}. Untick what is wrong, tick what
            is right.
          </Typography>
          <Ticks
            names={ordered.map(says)}
            picked={picked ?? new Set()}
            label={label}
            why={why}
            height={420}
            onPick={setPicked}
          />
        </DialogContent>
        <DialogActions>
          <Button color="inherit" onClick={close}>
            Not now
          </Button>
          <Button
            variant="contained"
            disabled={!chosen.length}
            onClick={() => {
              close();
              onAccept(chosen);
            }}
          >
            Accept {count(chosen.length, "suggestion", "suggestions")}
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
