/** Notes on a product: who says what to whom, done or not. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api/client";
import { useUndo } from "../shell/undo";
import { Failure } from "./states";
import { ago } from "./words";

export type Note = Schemas["NoteLine"];

/** The notes of a store, or on one product. */
export function useNotes(store: number, query: { key?: string; only_open?: boolean; offset?: number }) {
  return useQuery({
    queryKey: ["notes", store, query],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/notes", { params: { path: { store_id: store }, query } })),
  });
}

interface NotesProps {
  store: number;
  product: string;
  /** The run whose line is looked at. */
  run?: number;
}

/** What is said of a product, and room for more. */
export function Notes({ store, product, run }: NotesProps) {
  const notes = useNotes(store, { key: product });
  const [writing, setWriting] = useState(false);
  return (
    <Box component="section" aria-label="Notes" sx={{ mt: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center" }}>
        <Typography variant="h3" sx={{ flex: 1 }}>
          Notes
        </Typography>
        {!writing && (
          <Button color="inherit" size="small" onClick={() => setWriting(true)}>
            Write a note
          </Button>
        )}
      </Box>
      {notes.isError && <Failure error={notes.error} retry={() => void notes.refetch()} />}
      {writing && (
        <Writing
          store={store}
          product={product}
          {...(run !== undefined && { run })}
          onDone={() => setWriting(false)}
        />
      )}
      {notes.data?.notes.map((note) => (
        <NoteRow key={note.id} store={store} note={note} />
      ))}
    </Box>
  );
}

function Writing({ store, product, run, onDone }: NotesProps & { onDone: () => void }) {
  const [text, setText] = useState("");
  const [whom, setWhom] = useState("");
  const queries = useQueryClient();
  const write = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/stores/{store_id}/notes", {
          params: { path: { store_id: store } },
          body: { key: product, text, whom, run_id: run ?? null },
        }),
      ),
    onSuccess: () => {
      onDone();
      return queries.invalidateQueries({ queryKey: ["notes", store] });
    },
  });
  return (
    <Box
      component="form"
      aria-label="A new note"
      sx={{ display: "grid", gap: 1, py: 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        write.mutate();
      }}
    >
      <TextField
        autoFocus
        multiline
        maxRows={6}
        label="What is to be known or done"
        value={text}
        onChange={(event) => setText(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 2_000 } }}
      />
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <TextField
          label="For (optional)"
          value={whom}
          onChange={(event) => setWhom(event.target.value)}
          slotProps={{ htmlInput: { maxLength: 60 } }}
          sx={{ flex: 1 }}
        />
        <Button color="inherit" onClick={onDone}>
          Cancel
        </Button>
        <Button type="submit" variant="contained" disabled={!text.trim() || write.isPending}>
          Keep it
        </Button>
      </Box>
      {write.isError && <Failure error={write.error} />}
    </Box>
  );
}

interface NoteRowProps {
  store: number;
  note: Note;
  /** With the product that it is about. */
  named?: boolean;
}

/** A note: ticked when it is done; removed, and put back. */
export function NoteRow({ store, note, named = false }: NoteRowProps) {
  const queries = useQueryClient();
  const undo = useUndo();
  const fresh = () => queries.invalidateQueries({ queryKey: ["notes", store] });
  const params = { path: { store_id: store, note_id: note.id } };
  const settle = useMutation({
    mutationFn: (done: boolean) =>
      take(api.PUT("/api/v1/stores/{store_id}/notes/{note_id}", { params, body: { done } })),
    onSuccess: (_, done) => {
      undo.did(done ? "The note is done" : "The note is open again", () => settle.mutateAsync(!done));
    },
    onError: undo.failed,
    onSettled: fresh,
  });
  const again = useMutation({
    mutationFn: (body: Schemas["NoteAsked"]) =>
      take(api.POST("/api/v1/stores/{store_id}/notes", { params: { path: { store_id: store } }, body })),
    onSettled: fresh,
  });
  const drop = useMutation({
    mutationFn: () => take(api.DELETE("/api/v1/stores/{store_id}/notes/{note_id}", { params })),
    onSuccess: (was) => undo.did("The note is removed", () => again.mutateAsync(was)),
    onError: undo.failed,
    onSettled: fresh,
  });
  const done = note.done_at !== null;
  return (
    <Box
      sx={{ display: "flex", alignItems: "flex-start", borderBottom: 1, borderColor: "paper2.line", py: 0.5 }}
    >
      <Checkbox
        size="small"
        checked={settle.isPending ? settle.variables : done}
        disabled={settle.isPending}
        onChange={(_, on) => settle.mutate(on)}
        slotProps={{ input: { "aria-label": `Done: ${note.text}` } }}
        sx={{ p: 0.25, mr: 0.75 }}
      />
      <Box sx={{ flex: 1, minWidth: 0, ...(done && { opacity: 0.6 }) }}>
        {named && (
          <Typography noWrap>
            <Link to={`/s/${store}/catalog/${encodeURIComponent(note.key)}`} className="mono">
              {note.key}
            </Link>{" "}
            {note.title}
          </Typography>
        )}
        <Typography sx={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>{note.text}</Typography>
        <Typography variant="caption" color="textSecondary">
          {note.author || "somebody"}
          {note.whom && ` to ${note.whom}`}, {ago(note.at)}
          {note.run_id !== null && (
            <>
              , of{" "}
              <Link to={`/s/${store}/runs/${note.run_id}?product=${encodeURIComponent(note.key)}`}>
                run {note.run_id}
              </Link>
            </>
          )}
          {note.done_at && `; done${note.done_by && ` by ${note.done_by}`} ${ago(note.done_at)}`}
        </Typography>
      </Box>
      <Button
        color="inherit"
        size="small"
        disabled={drop.isPending}
        aria-label={`Remove the note: ${note.text}`}
        onClick={() => drop.mutate()}
      >
        Remove
      </Button>
    </Box>
  );
}
