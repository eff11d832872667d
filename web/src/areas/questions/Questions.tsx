/** Open questions: what still needs a person, most products first, answered in place. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { useNavigate } from "react-router";
import { putPlaces, putVerdict, putWords, useBench, useFeedEdit, useQuestions, type BenchState, type Question } from "../../api/hooks";
import { api, take, type Schemas } from "../../api/client";
import { Mark } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { suggestedFirst } from "../../components/suggested";
import { count } from "../../components/words";
import { useFeed } from "../../shell/FeedPlace";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { Panel } from "../../components/Panel";
import { useEdits } from "../bench/useEdits";

export function Questions({ onClose }: { onClose: () => void }) {
  const { feed, delivery } = useFeed();
  const questions = useQuestions(feed, delivery);
  const bench = useBench(feed, delivery);
  const found = questions.data?.questions ?? [];
  return (
    <Panel
      title="Open questions"
      subtitle={found.length ? "Most products first. An answer is remembered for the next delivery." : undefined}
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
          ↑ ↓ between questions · Enter takes what is suggested · E to type · L later · N not sold · P park · O leave out
        </Typography>
      )}
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
const KEYS: Record<string, string> = { Enter: "answer", e: "type", l: "later", n: "not-sold", p: "park", o: "leave-out" };

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
    <div ref={box} onKeyDown={onKeyDown} role="feed" aria-label="Questions">
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
      sx={{ borderBottom: 1, borderColor: "divider", py: 1, px: 0.75, mx: -0.75, "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -1 } }}
    >
      <Box sx={{ display: "flex", gap: 0.75, mb: 0.5 }}>
        <Mark state="question" />
        <Typography sx={{ flex: 1 }}>{question.text}</Typography>
        <Typography variant="caption" color="textSecondary" noWrap>
          {count(question.touches, "product", "products")}
        </Typography>
      </Box>
      <Box sx={{ display: "flex", gap: 0.5, flexWrap: "wrap", pl: 2.25, "& .MuiButton-text": { px: 0.75, minWidth: 0 } }}>
        {question.kind === "reading" ? (
          <ReadingAnswer bench={bench} />
        ) : question.kind === "value" || question.kind === "category" ? (
          <PlaceAnswer question={question} feed={feed} />
        ) : (
          <FieldAnswer question={question} bench={bench} />
        )}
        {question.kind !== "reading" && <Later question={question} feed={feed} />}
      </Box>
    </Box>
  );
}

/** Puts a question off; its products stay held. */
function Later({ question, feed }: { question: Question; feed: number }) {
  const undo = useUndo();
  const subject = `${question.kind}:${question.subject}`;
  const edit = useFeedEdit(feed, (back: boolean) => putVerdict(feed, { verdict: "later", subject, proposal: "", back }));
  return (
    <Button
      data-does="later"
      color="inherit"
      disabled={edit.isPending}
      onClick={() =>
        edit.mutate(Boolean(question.later), {
          onSuccess: () => undo.did(question.later ? "Asked again" : "Put off", () => edit.mutateAsync(!question.later)),
          onError: undo.failed,
        })
      }
    >
      {question.later ? "Ask again" : "Later"}
    </Button>
  );
}

/** A word or a path gets the store's, proposed or chosen. */
function PlaceAnswer({ question, feed }: { question: Question; feed: number }) {
  const undo = useUndo();
  const proposals = question.proposals ?? [];
  const first = proposals[0];
  const [chosen, setChosen] = useState<string | null>(first?.place ?? null);
  const refuse = useFeedEdit(feed, (verdict: Schemas["Verdicts"]) => putVerdict(feed, verdict));
  const put = question.kind === "value" ? putWords : putPlaces;
  const edit = useFeedEdit(feed, (place: string | null) =>
    put(feed, question.table ?? "", { [question.subject]: place }),
  );
  const answer = (place: string) =>
    edit.mutate(place, {
      onSuccess: () =>
        undo.did(`'${question.subject}' is ${place || "not sold"}`, () => edit.mutateAsync(null)),
      onError: undo.failed,
    });
  return (
    <>
      <Autocomplete
        {...suggestedFirst(proposals, question.options ?? [])}
        value={chosen}
        freeSolo={question.kind === "category" || !question.options?.length}
        onChange={(_, value) => setChosen(value)}
        onInputChange={(_, value) => setChosen(value || null)}
        renderInput={(params) => (
          <TextField {...params} placeholder={question.kind === "value" ? "store value" : "store category"} />
        )}
        sx={{ flex: "1 0 250px" }}
      />
      <Button data-does="answer" variant="contained" disabled={!chosen || edit.isPending} onClick={() => chosen && answer(chosen)}>
        Answer
      </Button>
      {question.kind === "category" && (
        <Button data-does="not-sold" color="inherit" disabled={edit.isPending} onClick={() => answer("")}>
          Not sold
        </Button>
      )}
      {first && (
        <Button
          color="inherit"
          onClick={() => {
            const verdict = { verdict: "refused" as const, subject: `${question.kind}:${question.table}:${question.subject}`, proposal: first.place };
            refuse.mutate(
              { ...verdict, back: false },
              { onSuccess: () => undo.did("Suggestion refused", () => refuse.mutateAsync({ ...verdict, back: true })), onError: undo.failed },
            );
          }}
        >
          Refuse it
        </Button>
      )}
      {first && (
        <Typography variant="caption" color="textSecondary" sx={{ width: "100%", order: 1 }}>
          Suggested: {first.reason}
          {proposals.length > 1 && `. Then: ${proposals.slice(1).map((p) => p.place).join("; ")}`}
        </Typography>
      )}
    </>
  );
}

/** A file that broke off is used as it is, or looked at. */
function ReadingAnswer({ bench }: { bench: BenchState }) {
  const undo = useUndo();
  const store = useStoreId();
  const navigate = useNavigate();
  const use = useFeedEdit(bench.feed_id, () =>
    take(api.POST("/api/v1/deliveries/{delivery_id}/accept", { params: { path: { delivery_id: bench.delivery_id } } })),
  );
  return (
    <>
      <Button data-does="answer" variant="contained" disabled={use.isPending} onClick={() => use.mutate(undefined, { onError: undo.failed })}>
        Use what is here
      </Button>
      <Button color="inherit" onClick={() => void navigate(`/s/${store}/feeds/${bench.feed_id}/reading?delivery=${bench.delivery_id}`)}>
        Look at its reading
      </Button>
    </>
  );
}

function FieldAnswer({ question, bench }: { question: Question; bench: BenchState }) {
  const edits = useEdits(bench);
  const store = useStoreId();
  const navigate = useNavigate();
  const go = (query: string) => void navigate(`/s/${store}/feeds/${bench.feed_id}/bench?${query}`);
  const suggestion = question.suggestion;
  const fieldLabel = bench.fields.find((f) => f.field.name === suggestion?.field)?.field.title;
  return (
    <>
      {suggestion && (
        <Button
          data-does="answer"
          variant="contained"
          onClick={() =>
            void edits.setFill(suggestion.field, suggestion.fill, `'${suggestion.column}' fills ${fieldLabel}`)
          }
        >
          {question.kind === "field" ? `Fill from '${suggestion.column}'` : `Fill ${fieldLabel}`}
        </Button>
      )}
      {question.kind === "column" ? (
        <>
          <Button data-does="park" variant="outlined" color="inherit" onClick={() => void edits.park(question.subject, `Parked '${question.subject}'`)}>
            Park
          </Button>
          <Button data-does="leave-out" variant="outlined" color="inherit" onClick={() => void edits.leaveOut(question.subject, true)}>
            Leave out
          </Button>
          <Button color="inherit" onClick={() => go(`column=${encodeURIComponent(question.subject)}`)}>
            Look
          </Button>
        </>
      ) : (
        <Button color="inherit" onClick={() => go(`field=${question.field}`)}>
          Open the field
        </Button>
      )}
    </>
  );
}
