/** The state of a value, with the same sign everywhere: a shape and a tone, never tone alone. */
import Tooltip from "@mui/material/Tooltip";

export type ValueState = "arrived" | "computed" | "changed" | "accepted" | "question" | "refused" | "left";

const SIGNS: Record<ValueState, { sign: string; says: string }> = {
  arrived: { sign: "◦", says: "as it arrived" },
  computed: { sign: "•", says: "worked out by the crosswalk" },
  changed: { sign: "Δ", says: "differs from the catalog" },
  accepted: { sign: "◇", says: "taken as suggested; nobody has looked at it yet" },
  question: { sign: "?", says: "waits for an answer" },
  refused: { sign: "✕", says: "refused" },
  left: { sign: "–", says: "left out" },
};

/** The sign of a value's state, with its meaning in words. */
export function Mark({ state, says }: { state: ValueState; says?: string }) {
  const { sign, says: usual } = SIGNS[state];
  return (
    <Tooltip title={says ?? usual}>
      <span className={`mark mark-${state}`} role="img" aria-label={says ?? usual}>
        {sign}
      </span>
    </Tooltip>
  );
}

/** The letters of a window's marks as states. */
export function stateOf(letter: string | undefined): ValueState {
  if (letter === "q") return "question";
  if (letter === "r") return "refused";
  if (letter === "l" || letter === "s") return "left";
  return "computed";
}

/** Statuses of changeset rows as states. */
export const STATUS_STATE: Record<string, ValueState> = {
  new: "computed",
  changed: "changed",
  same: "arrived",
  held: "question",
  rejected: "refused",
  "left out": "left",
  gone: "left",
  "taken out": "left",
  "put back": "computed",
  stays: "arrived",
};
