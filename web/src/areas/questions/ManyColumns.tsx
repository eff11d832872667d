/** Many columns decided together, after a look at which they are. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { BenchState, Question, Suggestion } from "../../api/hooks";
import { Ticks } from "../../components/Ticks";
import { count } from "../../components/words";
import { useEdits } from "../bench/useEdits";

/** Fewer are as quickly answered one by one. */
const MANY = 3;

const keyOf = (s: Suggestion) => `${s.column} → ${s.field}`;

interface TogetherProps {
  questions: Question[];
  bench: BenchState;
}

/** Above the single questions: columns with a suggestion, and those without one. */
export function Together({ questions, bench }: TogetherProps) {
  const columns = questions.filter((q) => q.kind === "column");
  const others = columns.filter((q) => !q.suggestion).map((q) => q.subject);
  // A required field and the column that may fill it are two questions with one suggestion.
  const suggested = [
    ...new Map(
      questions.flatMap((q) => (q.suggestion ? [[keyOf(q.suggestion), q.suggestion] as const] : [])),
    ).values(),
  ];
  return (
    <>
      {suggested.length >= MANY && <Suggested suggestions={suggested} bench={bench} />}
      {others.length >= MANY && (
        <Box sx={{ my: 1, pb: 1, borderBottom: 1, borderColor: "divider" }}>
          <Typography>{others.length} columns feed nothing and nothing is suggested.</Typography>
          <Unused columns={others} bench={bench} label="Columns that feed nothing" />
        </Box>
      )}
    </>
  );
}

interface UnusedProps {
  columns: string[];
  bench: BenchState;
  label: string;
}

/** Columns not to be used, or to be parked, together. */
export function Unused({ columns, bench, label }: UnusedProps) {
  const edits = useEdits(bench);
  const [looked, setLooked] = useState(false);
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set(columns));
  const chosen = columns.filter((column) => picked.has(column));
  const act = (what: (columns: string[]) => Promise<void>) => {
    setLooked(false);
    void what(chosen);
  };
  if (!looked)
    return (
      <Button data-does="answer" variant="outlined" color="inherit" onClick={() => setLooked(true)}>
        Decide together
      </Button>
    );
  return (
    <Box sx={{ width: "100%" }}>
      <Ticks names={columns} picked={picked} label={label} onPick={setPicked} />
      <Button variant="contained" disabled={!chosen.length} onClick={() => act(edits.leaveOutAll)}>
        Do not use {count(chosen.length, "column", "columns")}
      </Button>{" "}
      <Button variant="outlined" color="inherit" disabled={!chosen.length} onClick={() => act(edits.parkAll)}>
        Park {chosen.length === 1 ? "it" : "them"}
      </Button>{" "}
      <Button color="inherit" onClick={() => setLooked(false)}>
        Not now
      </Button>
    </Box>
  );
}

/** Suggestions taken together: each is shown with its reason, and may be unticked. */
function Suggested({ suggestions, bench }: { suggestions: Suggestion[]; bench: BenchState }) {
  const edits = useEdits(bench);
  const [looked, setLooked] = useState(false);
  const titles = new Map(bench.fields.map((f) => [f.field.name, f.field.title || f.field.name]));
  const says = (s: Suggestion) => `${s.column} → ${titles.get(s.field) ?? s.field}`;
  // What shortens, prefixes or prices by itself is taken by nobody who has not said so.
  const [kept, setKept] = useState<ReadonlySet<string>>(
    new Set(suggestions.filter((s) => !s.shapes).map(says)),
  );
  const chosen = suggestions.filter((s) => kept.has(says(s)));
  const why = new Map(
    suggestions.map((s) => [
      says(s),
      [s.shapes && "makes other values", ...s.reasons].filter(Boolean).join("; "),
    ]),
  );
  return (
    <Box sx={{ my: 1, pb: 1, borderBottom: 1, borderColor: "divider" }}>
      <Typography>{count(suggestions.length, "field has", "fields have")} a suggestion.</Typography>
      {!looked ? (
        <Button variant="outlined" color="inherit" onClick={() => setLooked(true)}>
          Look at them together
        </Button>
      ) : (
        <>
          <Ticks names={suggestions.map(says)} picked={kept} label="Suggestions" why={why} onPick={setKept} />
          <Button
            variant="contained"
            disabled={!chosen.length}
            onClick={() => {
              setLooked(false);
              void edits.fillAll(chosen);
            }}
          >
            Accept {count(chosen.length, "suggestion", "suggestions")}
          </Button>{" "}
          <Button color="inherit" onClick={() => setLooked(false)}>
            Not now
          </Button>
        </>
      )}
    </Box>
  );
}
