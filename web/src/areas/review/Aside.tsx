/** What a run amounts to, beside its lines: why rows wait, what moves, what is new. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/client";
import type { RunView } from "../../api/hooks";
import { count } from "../../components/words";
import { Counted } from "../../components/Counted";
import { GroupBy } from "./GroupBy";
import { Spread } from "./Spread";
import type { Shown } from "./shown";

interface AsideProps {
  run: RunView;
  summary: Schemas["ReviewSummary"] | undefined;
  shown: Shown;
  onSet: (change: Record<string, string>) => void;
  /** Shows only these, whatever was shown. */
  onOnly: (filter: Record<string, string>) => void;
}

/** Why, for rows that wait or are refused; what changes, for the others. */
export function Aside({ run, summary, shown, onSet, onOnly }: AsideProps) {
  if (!summary) return null;
  const { status } = shown;
  const faults = status === "held" || status === "rejected";
  const groups = <GroupBy run={run} groupings={summary.groupings} shown={shown} onSet={onSet} />;
  return (
    <Box
      component="aside"
      sx={{
        width: 320,
        flex: "none",
        borderLeft: 1,
        borderColor: "divider",
        p: 1.5,
        overflowY: "auto",
        bgcolor: "background.paper",
      }}
    >
      {faults ? (
        <>
          <Why summary={summary} shown={shown} onSet={onSet} />
          {groups}
        </>
      ) : (
        <>
          <Typography variant="h3" gutterBottom>
            Numbers that move
          </Typography>
          <Spread
            spreads={summary.spreads}
            chosen={shown}
            onChoose={(bounds) => onOnly({ status: "changed", ...bounds })}
          />
          <NewWords summary={summary} onOnly={onOnly} />
          {groups}
          <Typography variant="h3" sx={{ mt: 2 }} gutterBottom>
            Fields that change
          </Typography>
          {summary.fields.map((f) => (
            <Counted
              key={f.field}
              label={f.label}
              n={f.count}
              on={shown.field === f.field && status === "changed"}
              onChoose={() => onOnly({ status: "changed", field: f.field })}
            />
          ))}
        </>
      )}
    </Box>
  );
}

interface WhyProps {
  summary: Schemas["ReviewSummary"];
  shown: Shown;
  onSet: AsideProps["onSet"];
}

function Why({ summary, shown, onSet }: WhyProps) {
  const weight = shown.status === "held" ? "question" : "refuse";
  return (
    <>
      <Typography variant="h3" gutterBottom>
        Why
      </Typography>
      {summary.reasons
        .filter((r) => r.severity === weight)
        .map((r) => (
          <Box
            key={r.kind}
            component="button"
            type="button"
            className="plain-button"
            aria-pressed={shown.reason === r.kind}
            onClick={() => onSet({ reason: shown.reason === r.kind ? "" : r.kind })}
            sx={{
              display: "block",
              width: "100%",
              textAlign: "left",
              py: 0.75,
              borderBottom: 1,
              borderColor: "divider",
              ...(shown.reason === r.kind && { bgcolor: "action.selected" }),
            }}
          >
            <Typography sx={{ fontWeight: 550 }}>
              {r.count.toLocaleString("en")} × {r.kind.replaceAll("_", " ")}
            </Typography>
            <Typography variant="caption" color="textSecondary">
              {r.example}
            </Typography>
          </Box>
        ))}
    </>
  );
}

interface NewWordsProps {
  summary: Schemas["ReviewSummary"];
  onOnly: AsideProps["onOnly"];
}

/** New products and variants, makers, categories and other words, each counted apart. */
function NewWords({ summary, onOnly }: NewWordsProps) {
  const { made, strange } = summary;
  if (!made && !strange.length) return null;
  return (
    <>
      <Typography variant="h3" sx={{ mt: 2 }} gutterBottom>
        New to the store
      </Typography>
      {made && (
        <Typography gutterBottom>
          {count(made.products, "product", "products")}, among them some with{" "}
          {count(made.variants, "variant", "variants")} together
        </Typography>
      )}
      {strange.map((one) => (
        <Box key={one.field} sx={{ mb: 0.75 }}>
          <Typography>
            {one.label}: {count(one.count, "new word", "new words")}
          </Typography>
          {one.some.map((word) => (
            <Box
              key={word}
              component="button"
              type="button"
              className="plain-button"
              title={`Show the lines with ${one.label} “${word}”`}
              onClick={() => onOnly({ status: "", by: one.field, word })}
              sx={{ display: "block", pl: 1, textAlign: "left", textDecoration: "underline dotted" }}
            >
              {word}
            </Box>
          ))}
          {one.count > one.some.length && (
            <Typography variant="caption" color="textSecondary" sx={{ pl: 1 }}>
              and {(one.count - one.some.length).toLocaleString("en")} more
            </Typography>
          )}
        </Box>
      ))}
    </>
  );
}
