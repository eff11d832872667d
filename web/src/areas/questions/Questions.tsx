/** Open questions: what still needs a person, most products first, answered in place. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useBench, useQuestions, type BenchState, type Question } from "../../api/hooks";
import { Keyed, KeyedArticle } from "../../components/Keyed";
import { Mark } from "../../components/Mark";
import { Panel } from "../../components/Panel";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { AssumptionAnswer, FieldAnswer, Later, MatchingAnswer, PlaceAnswer, ReadingAnswer } from "./answers";
import { Together, Unused } from "./ManyColumns";

/** The panel of everything that is open in the delivery at hand. */
export function Questions({ onClose }: { onClose: () => void }) {
  const { feed, delivery } = useFeed();
  const questions = useQuestions(feed, delivery);
  const bench = useBench(feed, delivery);
  const found = questions.data?.questions ?? [];
  return (
    <Panel
      title="Open questions"
      subtitle={
        found.length ? "Most products first. An answer is remembered for the next delivery." : undefined
      }
      label="Open questions"
      width={400}
      onClose={onClose}
    >
      {questions.isPending && <Waiting what="questions" />}
      {questions.isError && <Failure error={questions.error} />}
      {questions.isSuccess && !found.length && (
        <Nothing title="Nothing is open">Every column, word and category has an answer.</Nothing>
      )}
      {found.length > 0 && (
        <Typography variant="caption" color="textSecondary" component="p" sx={{ mb: 0.5 }}>
          ↑ ↓ between questions · Enter takes what is suggested, 2 and 3 the next · E to type · L later · N
          not sold · P park · O do not use
        </Typography>
      )}
      {bench.data && <Together questions={found} bench={bench.data} />}
      {bench.data && (
        <Keyed items={found.length} label="Questions" keys={KEYS}>
          {found.map((q, i) => (
            <Box key={q.kind + q.subject}>
              {q.later && !found[i - 1]?.later && (
                <Typography variant="h3" color="textSecondary" sx={{ mt: 2 }}>
                  Put off; their products are held
                </Typography>
              )}
              <Asked question={q} bench={bench.data} feed={feed} />
            </Box>
          ))}
        </Keyed>
      )}
    </Panel>
  );
}

/** What a key does to the question that has the focus: the button, or the input, of that mark. */
const KEYS: Record<string, string> = {
  Enter: "answer",
  2: "answer-2",
  3: "answer-3",
  e: "type",
  l: "later",
  n: "not-sold",
  p: "park",
  o: "leave-out",
};

interface AskedProps {
  question: Question;
  bench: BenchState;
  feed: number;
}

function Asked({ question, bench, feed }: AskedProps) {
  return (
    <KeyedArticle label={question.text}>
      <Box sx={{ display: "flex", gap: 0.75, mb: 0.5 }}>
        <Mark state="question" />
        <Typography sx={{ flex: 1 }}>{question.text}</Typography>
        <Typography variant="caption" color="textSecondary" noWrap>
          {count(question.touches, "product", "products")}
        </Typography>
      </Box>
      <Box
        sx={{
          display: "flex",
          gap: 0.5,
          flexWrap: "wrap",
          alignItems: "center",
          pl: 2.25,
          "& .MuiButton-text": { px: 0.75, minWidth: 0 },
        }}
      >
        {question.kind === "reading" ? (
          <ReadingAnswer bench={bench} />
        ) : question.kind === "value" || question.kind === "category" ? (
          <PlaceAnswer question={question} feed={feed} />
        ) : question.kind === "table" ? (
          <Unused
            columns={question.options ?? []}
            bench={bench}
            label={`Columns of ${question.subject} that feed nothing`}
          />
        ) : question.kind === "matching" ? (
          <MatchingAnswer feed={feed} />
        ) : question.kind === "assumption" ? (
          <AssumptionAnswer question={question} bench={bench} />
        ) : (
          <FieldAnswer question={question} bench={bench} />
        )}
        {question.kind !== "reading" && <Later question={question} feed={feed} />}
      </Box>
    </KeyedArticle>
  );
}
