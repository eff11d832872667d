/** Open questions: what still needs a person, most products first, answered in place. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, type ReactNode } from "react";
import { useBench, useQuestions, type BenchState, type Question } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Panel } from "../../components/Panel";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { AssumptionAnswer, FieldAnswer, Later, PlaceAnswer, ReadingAnswer } from "./answers";
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
          not sold · P park · O leave out
        </Typography>
      )}
      {bench.data && <Together questions={found} bench={bench.data} />}
      {bench.data && (
        <ByKeyboard questions={found.length}>
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
        </ByKeyboard>
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

/** Answers with the keyboard alone: the focus begins on the first question, goes up and down, and
 *  stays in its place when a question is answered and goes away. */
function ByKeyboard({ questions, children }: { questions: number; children: ReactNode }) {
  const box = useRef<HTMLDivElement>(null);
  const at = useRef<number | null>(null);
  useEffect(() => {
    const free = document.activeElement === document.body || document.activeElement === null;
    if (!free && at.current !== null) return;
    at.current ??= 0;
    articlesIn(box.current)[Math.min(at.current, questions - 1)]?.focus();
  }, [questions]);
  const onKeyDown = (event: React.KeyboardEvent) => {
    const article = (event.target as HTMLElement).closest("article");
    if (!article) return;
    const all = articlesIn(box.current);
    at.current = all.indexOf(article);
    if (event.target !== article) {
      if (event.key === "Escape") article.focus();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const mark = KEYS[event.key];
    if (step) all[at.current + step]?.focus();
    else if (mark === "type") article.querySelector<HTMLElement>("input")?.focus();
    else if (mark) article.querySelector<HTMLButtonElement>(`[data-does="${mark}"]:not(:disabled)`)?.click();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div ref={box} onKeyDown={onKeyDown} {...(questions ? { role: "feed", "aria-label": "Questions" } : {})}>
      {children}
    </div>
  );
}

const articlesIn = (box: HTMLElement | null) => [...(box?.querySelectorAll<HTMLElement>("article") ?? [])];

interface AskedProps {
  question: Question;
  bench: BenchState;
  feed: number;
}

function Asked({ question, bench, feed }: AskedProps) {
  return (
    <Box
      component="article"
      tabIndex={0}
      aria-label={question.text}
      sx={{
        borderBottom: 1,
        borderColor: "divider",
        py: 1,
        px: 0.75,
        mx: -0.75,
        "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -1 },
      }}
    >
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
        ) : question.kind === "assumption" ? (
          <AssumptionAnswer question={question} bench={bench} />
        ) : (
          <FieldAnswer question={question} bench={bench} />
        )}
        {question.kind !== "reading" && <Later question={question} feed={feed} />}
      </Box>
    </Box>
  );
}
