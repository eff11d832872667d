/** Arriving words by frequency, and the store's word for each. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { putWords, useFeedEdit, useValues } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { suggestedFirst } from "../../components/suggested";
import { count } from "../../components/words";
import { useFeed } from "../../shell/FeedPlace";
import { useUndo } from "../../shell/undo";
import { TableSettings } from "./TableSettings";

type Table = Schemas["ValueTableView"];
type Word = Schemas["WordRow"];

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
        On the bench, add the step “Look up in a value table” to a field whose words differ from the
        store's.
      </Nothing>
    );
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Box sx={{ width: 260, flex: "none", borderRight: 1, borderColor: "divider", overflowY: "auto" }} role="listbox" aria-label="Value tables">
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
                <span className="clip" style={{ display: "block" }}>{t.field_label}</span>
                <span className="quiet clip" style={{ fontSize: 11 }}>{t.table}</span>
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

/** Proposals from this mark on are taken by "accept". */
const SURE = 70;

function TableOfWords({ feed, table }: { feed: number; table: Table }) {
  const undo = useUndo();
  const [picked, setPicked] = useState<Set<string>>(new Set());
  const edit = useFeedEdit(feed, (words: Record<string, string | null>) =>
    putWords(feed, table.table, words),
  );
  const known = new Map(table.words.map((w) => [w.arriving, w.word]));
  const set = (words: Record<string, string | null>, label: string) => {
    const before = Object.fromEntries(Object.keys(words).map((w) => [w, known.get(w) ?? null]));
    edit.mutate(words, {
      onSuccess: () => {
        setPicked((now) => new Set([...now].filter((w) => !(w in words))));
        undo.did(label, () => edit.mutateAsync(before));
      },
      onError: undo.failed,
    });
  };
  const proposed = table.words.filter((w) => !w.word && (w.proposals[0]?.score ?? 0) >= SURE);
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
        {proposed.length > 0 && (
          <Button
            variant="contained"
            onClick={() =>
              set(
                Object.fromEntries(proposed.map((w) => [w.arriving, w.proposals[0]?.place ?? null])),
                `Took ${count(proposed.length, "suggestion", "suggestions")}`,
              )
            }
          >
            Accept {proposed.length}
          </Button>
        )}
      </Box>
      {picked.size > 0 && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.25, pb: 1 }}>
          <Typography>{count(picked.size, "word", "words")} picked become</Typography>
          <Answer
            allowed={table.allowed}
            value={null}
            label="Word for all picked"
            onAnswer={(word) =>
              set(Object.fromEntries([...picked].map((w) => [w, word])), `${picked.size} words become ${word}`)
            }
          />
        </Box>
      )}
      <Box sx={{ overflowY: "auto", flex: 1, borderTop: 1, borderColor: "divider" }} role="list" aria-label="Arriving words">
        {table.words.map((word) => (
          <WordLine
            key={`${word.arriving} ${word.word}`}
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
            onAnswer={(to) =>
              set({ [word.arriving]: to }, to ? `'${word.arriving}' becomes ${to}` : `'${word.arriving}' is open again`)
            }
          />
        ))}
      </Box>
    </Box>
  );
}

interface WordLineProps {
  word: Word;
  most: number;
  allowed: string[];
  picked: boolean;
  onPick: (on: boolean) => void;
  onAnswer: (word: string | null) => void;
}

function WordLine({ word, most, allowed, picked, onPick, onAnswer }: WordLineProps) {
  const first = word.proposals[0];
  return (
    <Box
      role="listitem"
      aria-label={word.arriving}
      sx={{ display: "flex", alignItems: "center", gap: 1, px: 1, minHeight: 32, borderBottom: 1, borderColor: "paper2.line", bgcolor: picked ? "paper2.hand" : undefined }}
    >
      <Checkbox size="small" sx={{ p: 0.25 }} checked={picked} onChange={(e) => onPick(e.target.checked)} slotProps={{ input: { "aria-label": `Pick ${word.arriving}` } }} />
      <Typography className="mono" noWrap sx={{ width: 180, flex: "none" }} title={word.arriving}>
        {word.arriving}
      </Typography>
      <Box sx={{ width: 120, flex: "none", position: "relative", height: 14, bgcolor: "paper2.line" }} aria-hidden>
        <Box sx={{ position: "absolute", inset: 0, width: `${(100 * word.count) / most}%`, bgcolor: "primary.main", opacity: 0.55 }} />
      </Box>
      <Typography color="textSecondary" sx={{ width: 56, textAlign: "right", flex: "none" }}>
        {word.count.toLocaleString("en")}
      </Typography>
      <Box sx={{ width: 20, flex: "none" }}>
        <Mark state={word.word === null ? "question" : "computed"} says={word.word === null ? "no store word yet" : "decided"} />
      </Box>
      <Answer allowed={allowed} value={word.word ?? null} proposals={word.proposals} label={`Store word for ${word.arriving}`} onAnswer={onAnswer} />
      <Box sx={{ width: 180, flex: "none" }}>
        {word.word === null && first && (
          <Button onClick={() => onAnswer(first.place)} title={first.reason}>
            Accept {first.place}
          </Button>
        )}
        {word.word !== null && (
          <Button color="inherit" onClick={() => onAnswer(null)}>
            Take back
          </Button>
        )}
      </Box>
    </Box>
  );
}

interface AnswerProps {
  allowed: string[];
  value: string | null;
  proposals?: Schemas["Proposal"][];
  label: string;
  onAnswer: (word: string) => void;
}

function Answer({ allowed, value, proposals = [], label, onAnswer }: AnswerProps) {
  const first = proposals[0]?.place;
  return (
    <Autocomplete
      {...suggestedFirst(proposals, allowed)}
      value={value}
      freeSolo={!allowed.length}
      autoHighlight
      onChange={(_, word) => word && onAnswer(word)}
      renderInput={(params) => <TextField {...params} placeholder={first ? `${first} ?` : "store word"} />}
      aria-label={label}
      sx={{ width: 220, "& .MuiOutlinedInput-root": { py: "1px !important" } }}
    />
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
