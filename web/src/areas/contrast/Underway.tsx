/** How far it is with what two crosswalks make of a delivery, or why it is not known. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { isOpen, useStopContrast, type ContrastView } from "../../api/contrasts";
import { Progress } from "../../components/Progress";
import { useUndo } from "../../shell/undo";

/** Nothing once it is ready. */
export function Underway({ of }: { of: ContrastView }) {
  const undo = useUndo();
  const stop = useStopContrast(of.id);
  if (of.status === "ready") return null;
  if (!isOpen(of))
    return (
      <Typography role="status" color={of.status === "failed" ? "error" : "textSecondary"}>
        {of.error}
      </Typography>
    );
  return (
    <Box sx={{ maxWidth: 520 }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 0.5 }}>
        <Typography role="status" color="textSecondary" sx={{ flex: 1 }}>
          {of.stage}
        </Typography>
        <Button
          color="inherit"
          disabled={stop.isPending}
          onClick={() => stop.mutate(undefined, { onError: undo.failed })}
        >
          Stop
        </Button>
      </Box>
      <Progress of={`${of.before} beside ${of.after}`} share={of.progress / 100} />
    </Box>
  );
}
