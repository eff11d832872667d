/** What is decided of a run so far, a chip each, and deciding all that a filter shows. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Typography from "@mui/material/Typography";
import { isOpen, type Decisions, type Verdict } from "../../api/deciding";
import type { RunView } from "../../api/hooks";
import { count } from "../../components/words";
import type { useDecide } from "./useDecide";

type Deciding = ReturnType<typeof useDecide>;

const SAID: Record<string, string> = {
  decline: "not",
  accept: "but",
  release: "let through:",
};

interface DecidedProps {
  run: RunView;
  decisions: Decisions | undefined;
  deciding: Deciding;
}

/** The decisions, the last one first. */
export function Decided({ run, decisions, deciding }: DecidedProps) {
  if (!decisions?.decisions.length) return null;
  return (
    <Box
      component="section"
      aria-label="Decided"
      sx={{ display: "flex", alignItems: "center", gap: 0.75, px: 1, pb: 1, flexWrap: "wrap" }}
    >
      <Typography variant="caption" color="textSecondary">
        {decisions.declined > 0 &&
          `${count(decisions.declined, "line is", "lines are")} declined, in whole or in part:`}
      </Typography>
      {decisions.decisions.map((one) => (
        <Chip
          key={one.id}
          size="small"
          variant="outlined"
          title={[count(one.lines, "line", "lines"), one.author, one.reason].filter(Boolean).join(", ")}
          label={[SAID[one.verdict], one.said].filter(Boolean).join(" ")}
          {...(isOpen(run) && { onDelete: () => deciding.drop(one.id) })}
        />
      ))}
    </Box>
  );
}

interface DecideShownProps {
  of: Verdict["of"];
  /** What the field is called that the filter is about; "" for whole lines. */
  label: string;
  deciding: Deciding;
}

/** Decides all that a filter shows, or one field of it. */
export function DecideShown({ of, label, deciding }: DecideShownProps) {
  const field = label ? (of.field ?? "") : "";
  const what = label ? `${label} of all shown` : "all shown";
  const does = (verdict: Verdict["verdict"], said: string) => (
    <Button
      color="inherit"
      disabled={deciding.busy}
      onClick={() => deciding.decide({ verdict, of, field }, `${said} ${what}`)}
    >
      {verdict === "decline" ? "Decline" : "Accept"} {what}
    </Button>
  );
  return (
    <>
      {does("decline", "Declined")}
      {does("accept", "Accepted")}
    </>
  );
}
