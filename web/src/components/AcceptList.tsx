/** Suggested words or places accepted together, after a look at what they are. */
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
interface Proposed {
  asked: string;
  proposal: Schemas["Proposal"];
}

interface AcceptListProps {
  proposed: Proposed[];
  /** What the list holds. */
  label: string;
  onAccept: (answers: Record<string, string>) => void;
}

const says = ({ asked, proposal }: Proposed) => `${asked} → ${proposal.place}`;

const reasonOf = ({ sure, score, reason }: Schemas["Proposal"]) =>
  [sure ? "sure" : `right ${score} times in 100`, reason].filter(Boolean).join("; ");

/** A button that opens the list of suggestions: the sure ones ticked, the others to be ticked. */
export function AcceptList({ proposed, label, onAccept }: AcceptListProps) {
  const [picked, setPicked] = useState<ReadonlySet<string>>();
  if (!proposed.length) return null;
  const sure = proposed.filter((p) => p.proposal.sure);
  const chosen = proposed.filter((p) => picked?.has(says(p)));
  const ordered = [...sure, ...proposed.filter((p) => !p.proposal.sure)];
  const why = new Map(ordered.map((p) => [says(p), reasonOf(p.proposal)]));
  const close = () => setPicked(undefined);
  return (
    <>
      <Button variant="contained" onClick={() => setPicked(new Set(sure.map(says)))}>
        Look at {count(proposed.length, "suggestion", "suggestions")}
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
              onAccept(Object.fromEntries(chosen.map((p) => [p.asked, p.proposal.place])));
            }}
          >
            Accept {chosen.length}
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
