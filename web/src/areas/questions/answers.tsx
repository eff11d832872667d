/** How each kind of question is answered in place. */
import Autocomplete, { createFilterOptions } from "@mui/material/Autocomplete";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { putPlaces, putWords } from "../../api/decisions";
import { putVerdict, useFeedEdit, type BenchState, type Question } from "../../api/hooks";
import { suggestedFirst } from "../../components/suggested";
import { WordChoice } from "../../components/WordChoice";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { Stated } from "../bench/Assumptions";
import { useEdits } from "../bench/useEdits";
import { addWord, useStoreEdit } from "../../api/storeEdits";

/** A longer tree is narrowed by typing. */
const find = createFilterOptions<string>({ limit: 200 });

/** Puts a question off; its products stay held. */
export function Later({ question, feed }: { question: Question; feed: number }) {
  const undo = useUndo();
  const subject = `${question.kind}:${question.subject}`;
  const edit = useFeedEdit(feed, (back: boolean) =>
    putVerdict(feed, { verdict: "later", subject, proposal: "", back }),
  );
  return (
    <Button
      data-does="later"
      color="inherit"
      disabled={edit.isPending}
      onClick={() =>
        edit.mutate(Boolean(question.later), {
          onSuccess: () =>
            undo.did(question.later ? "Asked again" : "Put off", () => edit.mutateAsync(!question.later)),
          onError: undo.failed,
        })
      }
    >
      {question.later ? "Ask again" : "Later"}
    </Button>
  );
}

/** Rows find their products in a place of their own. */
export function MatchingAnswer({ feed }: { feed: number }) {
  const store = useStoreId();
  const navigate = useNavigate();
  return (
    <Button data-does="answer" onClick={() => void navigate(`/s/${store}/feeds/${feed}/matching`)}>
      Decide in Matching
    </Button>
  );
}

/** A word or a path gets the store's, proposed or chosen. */
export function PlaceAnswer({ question, feed }: { question: Question; feed: number }) {
  const undo = useUndo();
  const proposals = question.proposals ?? [];
  const first = proposals[0];
  const store = useStoreId();
  const [chosen, setChosen] = useState(first ? { word: first.place, isNew: false } : null);
  // What was chosen last. What is typed is none of the options yet: it may still become one.
  const [picked, setPicked] = useState(first?.place ?? null);
  const widen = useStoreEdit((word: string) => addWord(store, question.field ?? "", word));
  const refuse = useFeedEdit(feed, (verdict: Schemas["Verdicts"]) => putVerdict(feed, verdict));
  const edit = useFeedEdit(feed, ({ to, unmake = [] }: { to: string | null; unmake?: string[] }) => {
    const [table, words] = [question.table ?? "", { [question.subject]: to }];
    return question.kind === "value"
      ? putWords(feed, table, words).then(() => [] as string[])
      : putPlaces(feed, table, { places: words, unmake }).then((done) => done.made);
  });
  const answer = (place: string, isNew = false) => {
    const put = () =>
      edit.mutate(
        { to: place },
        {
          onSuccess: (made) =>
            undo.did(`'${question.subject}' is ${place || "not sold"}`, () =>
              edit.mutateAsync({ to: null, unmake: made }),
            ),
          onError: undo.failed,
        },
      );
    if (!isNew) return put();
    widen.mutate(place, {
      onSuccess: (forget) => {
        undo.did(`Added '${place}' to the store's words`, forget);
        put();
      },
      onError: undo.failed,
    });
  };
  return (
    <>
      {question.kind === "value" ? (
        <WordChoice
          allowed={question.options ?? []}
          value={picked}
          proposals={proposals}
          label={`Store word for ${question.subject}`}
          width="100%"
          onTyped={(word, isNew) => setChosen(word ? { word, isNew } : null)}
          onChoose={(word, isNew) => {
            setPicked(word);
            setChosen({ word, isNew });
            answer(word, isNew);
          }}
        />
      ) : (
        <Autocomplete
          {...suggestedFirst(proposals, question.options ?? [])}
          value={chosen?.word ?? null}
          freeSolo
          filterOptions={find}
          onChange={(_, word, reason) => {
            setChosen(word ? { word, isNew: false } : null);
            // One of the tree answers at once; a new one, typed, waits for a second look.
            if (word && reason === "selectOption") answer(word);
          }}
          onInputChange={(_, word) => setChosen(word ? { word, isNew: false } : null)}
          renderInput={(params) => (
            <TextField
              {...params}
              placeholder="store category"
              slotProps={{
                ...params.slotProps,
                htmlInput: {
                  ...params.slotProps.htmlInput,
                  "aria-label": `Store category for ${question.subject}`,
                },
              }}
            />
          )}
          sx={{ flex: "1 0 250px" }}
        />
      )}
      <Button
        data-does="answer"
        variant="contained"
        disabled={!chosen || edit.isPending}
        onClick={() => chosen && answer(chosen.word, chosen.isNew)}
      >
        {chosen?.isNew ? "Add it and answer" : "Answer"}
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
            const verdict = {
              verdict: "refused" as const,
              subject: `${question.kind}:${question.table}:${question.subject}`,
              proposal: first.place,
            };
            refuse.mutate(
              { ...verdict, back: false },
              {
                onSuccess: () =>
                  undo.did("Suggestion refused", () => refuse.mutateAsync({ ...verdict, back: true })),
                onError: undo.failed,
              },
            );
          }}
        >
          Refuse it
        </Button>
      )}
      {first && (
        <Typography variant="caption" color="textSecondary" sx={{ width: "100%", order: 1 }}>
          Suggested: {first.reason}
          {proposals.length > 1 && ". Or, with one key:"}
          {proposals.slice(1).map((p, at) => (
            <Button
              key={p.place}
              data-does={`answer-${at + 2}`}
              color="inherit"
              disabled={edit.isPending}
              title={p.reason}
              onClick={() => answer(p.place)}
              sx={{ display: "block", textAlign: "left", py: 0, fontWeight: 400 }}
            >
              {at + 2} {p.place}
            </Button>
          ))}
        </Typography>
      )}
    </>
  );
}

/** What no evidence settles: a unit, a currency, an order of dates; asked once for all its fields. */
export function AssumptionAnswer({ question, bench }: { question: Question; bench: BenchState }) {
  const edits = useEdits(bench);
  const store = useStoreId();
  const navigate = useNavigate();
  const about = question.about;
  if (!about) return null;
  return (
    <>
      <Stated
        about={about}
        choice={question.options?.[0] ?? ""}
        choices={question.options ?? []}
        label={`What is meant: ${about}`}
        onState={(choice) => void edits.state(question.fields ?? [], about, choice)}
      />
      <Button
        color="inherit"
        onClick={() => void navigate(`/s/${store}/feeds/${bench.feed_id}/bench?field=${question.field}`)}
      >
        Open the field
      </Button>
    </>
  );
}

/** A file that broke off is used as it is, or looked at. */
export function ReadingAnswer({ bench }: { bench: BenchState }) {
  const undo = useUndo();
  const store = useStoreId();
  const navigate = useNavigate();
  const use = useFeedEdit(bench.feed_id, () =>
    take(
      api.POST("/api/v1/deliveries/{delivery_id}/accept", {
        params: { path: { delivery_id: bench.delivery_id } },
      }),
    ),
  );
  return (
    <>
      <Button
        data-does="answer"
        variant="contained"
        disabled={use.isPending}
        onClick={() => use.mutate(undefined, { onError: undo.failed })}
      >
        Use what is here
      </Button>
      <Button
        color="inherit"
        onClick={() =>
          void navigate(`/s/${store}/feeds/${bench.feed_id}/reading?delivery=${bench.delivery_id}`)
        }
      >
        Look at its reading
      </Button>
    </>
  );
}

/** A field or a column: what is suggested for it, or where to look. */
export function FieldAnswer({ question, bench }: { question: Question; bench: BenchState }) {
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
            void edits.setFill(
              suggestion.field,
              suggestion.fill,
              `'${suggestion.column}' fills ${fieldLabel}`,
            )
          }
        >
          {question.kind === "field" ? `Fill from '${suggestion.column}'` : `Fill ${fieldLabel}`}
        </Button>
      )}
      {question.kind === "column" ? (
        <>
          <Autocomplete
            options={bench.fields.filter((f) => !f.source && !f.field.spare).map((f) => f.field)}
            value={null}
            autoHighlight
            blurOnSelect
            getOptionLabel={(f) => f.title || f.name}
            getOptionKey={(f) => f.name}
            onChange={(_, f) =>
              f &&
              void edits.fillFrom(
                f.name,
                question.subject,
                `'${question.subject}' fills ${f.title || f.name}`,
              )
            }
            renderInput={(params) => (
              <TextField
                {...params}
                placeholder="fills which field?"
                slotProps={{
                  ...params.slotProps,
                  htmlInput: {
                    ...params.slotProps.htmlInput,
                    "aria-label": `Field that ${question.subject} fills`,
                  },
                }}
              />
            )}
            sx={{ flex: "1 0 170px" }}
          />
          <Button
            data-does="park"
            variant="outlined"
            color="inherit"
            onClick={() => void edits.park(question.subject, `Parked '${question.subject}'`)}
          >
            Park
          </Button>
          <Button
            data-does="leave-out"
            variant="outlined"
            color="inherit"
            onClick={() => void edits.leaveOut(question.subject, true)}
          >
            Do not use
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
