/** What a place shows while it waits, when it fails, and when there is nothing. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Refusal } from "../api/client";
import { Progress } from "./Progress";

/** What is loading; or that there is nothing at the address. */
export function Waiting({ what, missing = false }: { what: string; missing?: boolean }) {
  return (
    <Box sx={{ p: 4, maxWidth: 360 }}>
      <Typography color="textSecondary" gutterBottom>
        {missing ? "There is nothing at this address." : `Loading ${what} …`}
      </Typography>
      {!missing && <Progress of={`Loading ${what}`} />}
    </Box>
  );
}

/** What went wrong, where, and what to do. */
export function Failure({ error, retry }: { error: unknown; retry?: () => void }) {
  const problem = error instanceof Refusal ? error.problem : null;
  return (
    <Alert
      severity="error"
      variant="outlined"
      sx={{ m: 2, alignItems: "center" }}
      action={retry && <Button onClick={retry}>Try again</Button>}
    >
      <strong>{problem?.detail || problem?.title || String(error)}</strong>
      {problem?.where && <div>Where: {problem.where}</div>}
      {problem?.remedy && <div>{problem.remedy}</div>}
    </Alert>
  );
}

/** That there is nothing, and what would change that. */
export function Nothing({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <Box sx={{ p: 4, maxWidth: 560 }}>
      <Typography variant="h2" gutterBottom>
        {title}
      </Typography>
      <Typography color="textSecondary" component="div">
        {children}
      </Typography>
    </Box>
  );
}
