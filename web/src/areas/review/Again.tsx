/** That a run was prepared again since a person looked at it, and which of its lines are others. */
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import type { RunView } from "../../api/hooks";
import { capital, count } from "../../components/words";

interface AgainProps {
  run: RunView;
  only: boolean;
  onOnly: (only: boolean) => void;
}

/** Says so, and leads to those lines. */
export function Again({ run, only, onOnly }: AgainProps) {
  if (!run.since || run.status !== "prepared") return null;
  return (
    <Alert
      severity="info"
      variant="outlined"
      sx={{
        mx: 1.5,
        mt: 1,
        py: 0,
        alignItems: "center",
        color: "text.primary",
        borderColor: "divider",
        "& .MuiAlert-icon": { color: "text.secondary" },
      }}
      action={
        run.again > 0 && (
          <Button color="inherit" onClick={() => onOnly(!only)} aria-pressed={only}>
            {only ? "Show all lines" : "Show only these"}
          </Button>
        )
      }
    >
      {capital(run.since)}. It was prepared again;{" "}
      {run.again
        ? `${count(run.again, "line is", "lines are")} other than you saw ${run.again === 1 ? "it" : "them"}.`
        : "its lines are as you saw them."}
    </Alert>
  );
}
