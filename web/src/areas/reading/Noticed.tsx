/** What was noticed while reading, the gravest first. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { ReadingProblem } from "../../api/hooks";
import { Mark } from "../../components/Mark";

const ORDER = { broken: 0, doubt: 1, note: 2 };
const FIRST = 3;
const SHOWN = 80;

export function Noticed({ problems }: { problems: ReadingProblem[] }) {
  const [all, setAll] = useState(false);
  if (!problems.length) return null;
  const sorted = [...problems].sort((a, b) => ORDER[a.level ?? "doubt"] - ORDER[b.level ?? "doubt"]);
  const shown = sorted.slice(0, all ? SHOWN : FIRST);
  return (
    <Box component="section" aria-label="Noticed while reading" sx={{ mt: 1, mb: 1, pb: 1, borderBottom: 1, borderColor: "divider" }}>
      <Typography variant="h3" color="textSecondary" sx={{ mb: 0.5 }}>
        Noticed while reading
      </Typography>
      {shown.map((p, i) => (
        <Box key={i} sx={{ py: 0.3, display: "grid", gridTemplateColumns: "16px 1fr", gap: 0.5 }}>
          {p.level === "note" ? (
            <Typography color="textSecondary">·</Typography>
          ) : (
            <Mark state={p.level === "broken" ? "refused" : "question"} says={(p.kind ?? "").replaceAll("_", " ")} />
          )}
          <Typography variant="body2" color={p.level === "note" ? "textSecondary" : "textPrimary"} sx={{ overflowWrap: "anywhere" }}>
            {p.message}
            {p.examples && p.examples.length > 0 && p.level !== "note" && (
              <Typography component="span" variant="caption" color="textSecondary">
                {" "}
                {p.examples.slice(0, 5).join(", ")}
              </Typography>
            )}
          </Typography>
        </Box>
      ))}
      {sorted.length > FIRST && (
        <Button size="small" color="inherit" onClick={() => setAll(!all)}>
          {all ? "Show the gravest only" : `Show all ${sorted.length}`}
        </Button>
      )}
      {all && sorted.length > SHOWN && (
        <Typography variant="caption" color="textSecondary">
          and {sorted.length - SHOWN} more
        </Typography>
      )}
    </Box>
  );
}
