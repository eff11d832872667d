/** Suggestions that were taken together: those nobody has looked at are shown, and said to be right. */
import Button from "@mui/material/Button";
import { putSeen } from "../api/decisions";
import { useFeedEdit } from "../api/hooks";
import { useUndo } from "../shell/undo";
import { count } from "./words";

interface ToLookAtProps {
  feed: number;
  /** The answer of each, by its subject. */
  marked: Record<string, string>;
  /** Whether the list shows these alone. */
  only: boolean;
  onOnly: (only: boolean) => void;
}

export function ToLookAt({ feed, marked, only, onOnly }: ToLookAtProps) {
  const look = useLookAt(feed);
  const n = Object.keys(marked).length;
  if (!n && !only) return null;
  return (
    <>
      <Button color="inherit" onClick={() => onOnly(!only)} aria-pressed={only}>
        {only ? "Show all" : `Show ${n.toLocaleString("en")} to look at`}
      </Button>
      {only && n > 0 && <Button onClick={() => look(marked)}>All looked at</Button>}
    </>
  );
}

/** Says that a person has looked at answers, by their subjects. */
export function useLookAt(feed: number) {
  const undo = useUndo();
  const edit = useFeedEdit(feed, ({ seen, back }: { seen: Record<string, string>; back?: boolean }) =>
    putSeen(feed, seen, back),
  );
  return (seen: Record<string, string>) =>
    edit.mutate(
      { seen },
      {
        onSuccess: () => {
          const said = `Looked at ${count(Object.keys(seen).length, "suggestion", "suggestions")}`;
          undo.did(said, () => edit.mutateAsync({ seen, back: true }));
        },
        onError: undo.failed,
      },
    );
}
