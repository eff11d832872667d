/** All notes of a store: what is still to be done first. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Typography from "@mui/material/Typography";
import { useSearchParams } from "react-router";
import { NoteRow, useNotes } from "../../components/Notes";
import { Pager } from "../../components/Pager";
import { Failure, Nothing, Waiting } from "../../components/states";
import { useStoreId } from "../../shell/Shell";

const PAGE = 100;

/** The list, with or without what is done. */
export function NotesPlace() {
  const store = useStoreId();
  const [params, setParams] = useSearchParams();
  const all = params.get("all") === "1";
  const page = Number(params.get("page") ?? 0);
  const notes = useNotes(store, { only_open: !all, offset: page * PAGE });
  const set = (change: Record<string, string>) =>
    setParams((old) => ({ ...Object.fromEntries(old), ...change }), { replace: true });
  return (
    <Box sx={{ overflow: "auto", p: 2.5, maxWidth: 900, width: "100%", mx: "auto" }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1 }}>
        <Typography variant="h1">Notes</Typography>
        <Typography color="textSecondary">{notes.data && `${notes.data.open} to be done`}</Typography>
        <Box sx={{ flex: 1 }} />
        <FormControlLabel
          control={<Checkbox size="small" checked={all} />}
          onChange={(_, on) => set({ all: on ? "1" : "", page: "0" })}
          label="with what is done"
        />
        {notes.data && (
          <Pager
            size={PAGE}
            total={notes.data.total}
            page={page}
            onPage={(to) => set({ page: String(to) })}
          />
        )}
      </Box>
      {notes.isPending && <Waiting what="notes" />}
      {notes.isError && <Failure error={notes.error} retry={() => void notes.refetch()} />}
      {notes.isSuccess && !notes.data.notes.length && (
        <Nothing title="No notes">
          Write one on the page of a product, or beside its line in a review.
        </Nothing>
      )}
      {notes.data?.notes.map((note) => (
        <NoteRow key={note.id} store={store} note={note} named />
      ))}
    </Box>
  );
}
