/** Arriving words by frequency, and the store's word for each. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { useWordsEdit, type Words } from "../../api/decisions";
import { useFeedEdit, useValues } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Answered } from "../../components/Answered";
import { AcceptList, answersOf } from "../../components/AcceptList";
import { PickAll } from "../../components/PickAll";
import { Rows } from "../../components/Rows";
import { SearchField } from "../../components/SearchField";
import { ToLookAt, useLookAt } from "../../components/ToLookAt";
import { Failure, Nothing, Waiting } from "../../components/states";
import { WordChoice } from "../../components/WordChoice";
import { count } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { addWord, useStoreEdit } from "../../api/storeEdits";
import { TableSettings } from "./TableSettings";

type Table = Schemas["ValueTableView"];
type Word = Schemas["WordRow"];

/** The value tables in use, and the words of one. */
export function Values() {
  const { feed, delivery } = useFeed();
  const [params, setParams] = useSearchParams();
  const values = useValues(feed, delivery);
  if (values.isPending) return <Waiting what="values" />;
  if (values.isError) return <Failure error={values.error} retry={() => void values.refetch()} />;
  const tables = values.data.tables;
  const table = tables.find((t) => t.field === params.get("field")) ?? tables[0];
  if (!table)
    return (
      <Nothing title="No value table is in use">
        On the bench, add the step “Look up in a value table” to a field whose words differ from the store's.
      </Nothing>
    );
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Box
        sx={{ width: 260, flex: "none", borderRight: 1, borderColor: "divider", overflowY: "auto" }}
        role="listbox"
        aria-label="Value tables"
      >
        {tables.map((t) => {
          const open = t.words.filter((w) => w.word === null).length;
          return (
            <button
              key={t.field}
              type="button"
              role="option"
              aria-selected={t.field === table.field}
              className={`ledger-row${t.field === table.field ? " chosen" : ""}`}
              style={{ height: 44 }}
              onClick={() => setParams((old) => ({ ...Object.fromEntries(old), field: t.field }))}
            >
              <span style={{ flex: 1, minWidth: 0 }}>
                <span className="clip" style={{ display: "block" }}>
                  {t.field_label}
                </span>
                <span className="quiet clip" style={{ fontSize: 11 }}>
                  {t.table}
                </span>
              </span>
              {open > 0 && t.otherwise === "ask" && (
                <span>
                  <Mark state="question" />
                  {open}
                </span>
              )}
            </button>
          );
        })}
      </Box>
      <TableOfWords key={table.field} feed={feed} table={table} />
    </Box>
  );
}

function TableOfWords({ feed, table }: { feed: number; table: Table }) {
  const undo = useUndo();
  const [picked, setPicked] = useState<Set<string>>(new Set());
  const [search, setSearch] = useState("");
  const [what, show] = useState<"all" | "open" | "unseen">("all");
  const openOnly = what === "open";
  const unseenOnly = what === "unseen";
  const lookAt = useLookAt(feed);
  const store = useStoreId();
  const edit = useWordsEdit(feed, table.table);
  const widen = useStoreEdit((word: string) => addWord(store, table.field, word));
  const known = new Map(table.words.map((w) => [w.arriving, w.word]));
  const set = (words: Words, label: string, accepted = false) => {
    const before = Object.fromEntries(Object.keys(words).map((w) => [w, known.get(w) ?? null]));
    edit.mutate(
      { words, accepted },
      {
        onSuccess: () => {
          setPicked((now) => new Set([...now].filter((w) => !(w in words))));
          undo.did(label, () => edit.mutateAsync({ words: before }));
        },
        onError: undo.failed,
      },
    );
  };
  /** A word that is new joins the store's list first; taking it back takes it out again. */
  const answer = (words: string[], word: string, isNew: boolean, label: string) => {
    const to = Object.fromEntries(words.map((w) => [w, word]));
    if (!isNew) return set(to, label);
    widen.mutate(word, {
      onSuccess: (forget) => {
        undo.did(`Added '${word}' to the store's words`, forget);
        set(to, label);
      },
      onError: undo.failed,
    });
  };
  const wanted = search.toLowerCase();
  const shown = table.words.filter(
    (w) =>
      (!openOnly || w.word === null) &&
      (!unseenOnly || w.accepted) &&
      `${w.arriving}\n${w.word ?? ""}`.toLowerCase().includes(wanted),
  );
  const subject = (w: Word) => `value:${table.table}:${w.arriving}`;
  const marked = Object.fromEntries(
    table.words.flatMap((w) => (w.accepted && w.word !== null ? [[subject(w), w.word]] : [])),
  );
  const proposed = table.words.flatMap((w) =>
    !w.word && w.proposals[0] ? [{ asked: w.arriving, proposal: w.proposals[0] }] : [],
  );
  const most = table.words[0]?.count ?? 1;
  return (
    <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, p: 1.25 }}>
        <Typography variant="h2">{table.field_label}</Typography>
        <Typography color="textSecondary">
          {count(table.words.length, "different word arrives", "different words arrive")}
        </Typography>
        <Box sx={{ flex: 1 }} />
        <Otherwise feed={feed} table={table} />
        <TableSettings feed={feed} table={table} />
        <AcceptList
          proposed={proposed}
          label="Suggested words"
          onAccept={(chosen) =>
            set(answersOf(chosen), `Took ${count(chosen.length, "suggestion", "suggestions")}`, true)
          }
        />
      </Box>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, px: 1.25, pb: 1 }}>
        <PickAll shown={shown.map((w) => w.arriving)} picked={picked} onPick={setPicked} />
        <SearchField
          label="Find a word"
          placeholder="Find a word"
          value={search}
          width={150}
          onSearch={setSearch}
        />
        <Button color="inherit" onClick={() => show(openOnly ? "all" : "open")} aria-pressed={openOnly}>
          {openOnly ? "Show all" : "Show open ones"}
        </Button>
        <ToLookAt
          feed={feed}
          marked={marked}
          only={unseenOnly}
          onOnly={(only) => show(only ? "unseen" : "all")}
        />
        {picked.size > 0 && (
          <>
            <Typography noWrap>{count(picked.size, "word", "words")} picked become</Typography>
            <WordChoice
              allowed={table.allowed}
              value={null}
              label="Word for all picked"
              onChoose={(word, isNew) =>
                answer([...picked], word, isNew, `${picked.size} words become ${word}`)
              }
            />
          </>
        )}
      </Box>
      <Rows items={shown} row={33} label="Arriving words" of={(w) => w.arriving} says={(w) => w.arriving}>
        {(word) => (
          <WordLine
            table={table.table}
            word={word}
            most={most}
            allowed={table.allowed}
            picked={picked.has(word.arriving)}
            onPick={(on) => {
              const next = new Set(picked);
              if (on) next.add(word.arriving);
              else next.delete(word.arriving);
              setPicked(next);
            }}
            onAnswer={(to, isNew = false) =>
              to
                ? answer([word.arriving], to, isNew, `'${word.arriving}' becomes ${to}`)
                : set({ [word.arriving]: null }, `'${word.arriving}' is open again`)
            }
            onLookedAt={() => lookAt({ [subject(word)]: word.word ?? "" })}
          />
        )}
      </Rows>
    </Box>
  );
}

interface WordLineProps {
  table: string;
  word: Word;
  most: number;
  allowed: string[];
  picked: boolean;
  onPick: (on: boolean) => void;
  onAnswer: (word: string | null, isNew?: boolean) => void;
  onLookedAt: () => void;
}

function WordLine({ table, word, most, allowed, picked, onPick, onAnswer, onLookedAt }: WordLineProps) {
  const first = word.proposals[0];
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 1,
        px: 1,
        height: 33,
        borderBottom: 1,
        borderColor: "paper2.line",
        bgcolor: picked ? "paper2.hand" : undefined,
      }}
    >
      <Checkbox
        size="small"
        sx={{ p: 0.25 }}
        checked={picked}
        onChange={(e) => onPick(e.target.checked)}
        slotProps={{ input: { "aria-label": `Pick ${word.arriving}` } }}
      />
      <Typography className="mono" noWrap sx={{ width: 180, flex: "none" }} title={word.arriving}>
        {word.arriving}
      </Typography>
      <Box
        sx={{ width: 120, flex: "none", position: "relative", height: 14, bgcolor: "paper2.line" }}
        aria-hidden
      >
        <Box
          sx={{
            position: "absolute",
            inset: 0,
            width: `${(100 * word.count) / most}%`,
            bgcolor: "primary.main",
            opacity: 0.55,
          }}
        />
      </Box>
      <Typography color="textSecondary" sx={{ width: 56, textAlign: "right", flex: "none" }}>
        {word.count.toLocaleString("en")}
      </Typography>
      <Box sx={{ width: 20, flex: "none", textAlign: "center" }}>
        {word.word === null ? (
          <Mark state="question" says="no store word yet" />
        ) : (
          <Answered kind="value_table" table={table} arriving={word.arriving} nothing="nothing">
            <Mark
              state={word.accepted ? "accepted" : "computed"}
              says={word.accepted ? undefined : "decided"}
            />
          </Answered>
        )}
      </Box>
      <WordChoice
        allowed={allowed}
        value={word.word ?? null}
        proposals={word.proposals}
        label={`Store word for ${word.arriving}`}
        onChoose={onAnswer}
      />
      <Box sx={{ width: 180, flex: "none" }}>
        {word.word === null && first && (
          <Button onClick={() => onAnswer(first.place)} title={first.reason}>
            Accept {first.place}
          </Button>
        )}
        {word.accepted && <Button onClick={onLookedAt}>Looked at</Button>}
        {word.word !== null && (
          <Button color="inherit" onClick={() => onAnswer(null)}>
            Take back
          </Button>
        )}
      </Box>
    </Box>
  );
}

const RULES: [Table["otherwise"], string][] = [
  ["ask", "ask me"],
  ["as_is", "keep as it is"],
  ["empty", "leave empty"],
];

function Otherwise({ feed, table }: { feed: number; table: Table }) {
  const undo = useUndo();
  const edit = useFeedEdit(feed, (otherwise: Table["otherwise"]) =>
    take(
      api.PUT("/api/v1/feeds/{feed_id}/values/otherwise", {
        params: { path: { feed_id: feed } },
        body: { table: table.table, otherwise, word: "" },
      }),
    ),
  );
  const before = table.otherwise;
  return (
    <TextField
      select
      label="A word not listed"
      value={table.otherwise}
      sx={{ width: 160 }}
      onChange={(e) =>
        edit.mutate(e.target.value as Table["otherwise"], {
          onSuccess: () => undo.did("Rule for other words changed", () => edit.mutateAsync(before)),
          onError: undo.failed,
        })
      }
    >
      {RULES.map(([key, label]) => (
        <MenuItem key={key} value={key}>
          {label}
        </MenuItem>
      ))}
      {table.otherwise === "word" && <MenuItem value="word">use a stated word</MenuItem>}
    </TextField>
  );
}
