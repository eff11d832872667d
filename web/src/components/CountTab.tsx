/** One of several tabs that count, each with the sign of what it counts. */
import Button from "@mui/material/Button";
import { Mark, type ValueState } from "./Mark";

interface CountTabProps {
  state: ValueState;
  said: string;
  n: number;
  chosen: boolean;
  onChoose: () => void;
}

/** A tab; one that counts nothing is not chosen. */
export function CountTab({ state, said, n, chosen, onChoose }: CountTabProps) {
  return (
    <Button
      role="tab"
      aria-selected={chosen}
      color="inherit"
      disabled={!n && !chosen}
      onClick={onChoose}
      sx={{
        flex: "none",
        borderRadius: 0,
        height: 40,
        borderBottom: "2px solid",
        borderColor: chosen ? "primary.main" : "transparent",
        fontWeight: chosen ? 650 : 450,
        gap: 0.5,
      }}
    >
      <Mark state={state} says={said} />
      {n.toLocaleString("en")} {said}
    </Button>
  );
}
