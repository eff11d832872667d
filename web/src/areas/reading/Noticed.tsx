/** What was noticed while reading, the gravest first. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { ReadingProblem } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { count } from "../../components/words";

const ORDER = { broken: 0, doubt: 1, note: 2 };
/** Of problems of one kind, so many are said before the rest is counted. */
const ALIKE = 2;
const FIRST = 3;
const SHOWN = 80;

const level = (p: ReadingProblem) => p.level ?? "doubt";

/** Problems of one kind together, the gravest kinds first. */
export function byKind(problems: ReadingProblem[]): ReadingProblem[][] {
  const kinds = new Map<string, ReadingProblem[]>();
  for (const p of problems) {
    const key = `${level(p)} ${p.kind}`;
    kinds.set(key, [...(kinds.get(key) ?? []), p]);
  }
  return [...kinds.values()].sort((a, b) => ORDER[level(a[0]!)] - ORDER[level(b[0]!)]);
}

/** The report of a reading; long lists of alike problems are summed up. */
export function Noticed({ problems }: { problems: ReadingProblem[] }) {
  const [all, setAll] = useState(false);
  if (!problems.length) return null;
  const kinds = byKind(problems);
  const shown = kinds.slice(0, all ? kinds.length : FIRST);
  return (
    <Box
      component="section"
      aria-label="Noticed while reading"
      sx={{ mt: 1, mb: 1, pb: 1, borderBottom: 1, borderColor: "divider" }}
    >
      <Typography variant="h3" color="textSecondary" sx={{ mb: 0.5 }}>
        Noticed while reading
      </Typography>
      {shown.map((alike) => (
        <Kind key={`${level(alike[0]!)} ${alike[0]?.kind}`} alike={alike} />
      ))}
      {kinds.length > FIRST && (
        <Button size="small" color="inherit" onClick={() => setAll(!all)}>
          {all ? "Show the gravest only" : `Show all ${problems.length}`}
        </Button>
      )}
    </Box>
  );
}

function Kind({ alike }: { alike: ReadingProblem[] }) {
  const [open, setOpen] = useState(false);
  const rest = alike.length - ALIKE;
  return (
    <>
      {alike.slice(0, open ? SHOWN : ALIKE).map((p, i) => (
        <Line key={i} problem={p} />
      ))}
      {rest > 0 && (
        <Button size="small" color="inherit" sx={{ ml: 2 }} onClick={() => setOpen(!open)}>
          {open ? "Show fewer" : `${count(rest, "more", "more")} like this`}
        </Button>
      )}
      {open && alike.length > SHOWN && (
        <Typography variant="caption" color="textSecondary">
          and {alike.length - SHOWN} more, as the table below marks them
        </Typography>
      )}
    </>
  );
}

function Line({ problem: p }: { problem: ReadingProblem }) {
  return (
    <Box sx={{ py: 0.3, display: "grid", gridTemplateColumns: "16px 1fr", gap: 0.5 }}>
      {p.level === "note" ? (
        <Typography color="textSecondary">·</Typography>
      ) : (
        <Mark
          state={p.level === "broken" ? "refused" : "question"}
          says={(p.kind ?? "").replaceAll("_", " ")}
        />
      )}
      <Typography
        variant="body2"
        color={p.level === "note" ? "textSecondary" : "textPrimary"}
        sx={{ overflowWrap: "anywhere" }}
      >
        {p.message}
        {p.examples && p.examples.length > 0 && (
          <Typography component="span" variant="caption" color="textSecondary">
            {" "}
            {p.examples.slice(0, 5).join(", ")}
          </Typography>
        )}
      </Typography>
    </Box>
  );
}
