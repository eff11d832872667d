/** The box in a cell that is being written. Enter takes it and goes down, Tab goes on, Escape leaves. */
import { useId, useRef, useState, type KeyboardEvent } from "react";
import type { StoreField } from "../../api/hooks";
import { STATES } from "../../components/words";

interface CellEditorProps {
  field: StoreField | undefined;
  column: string;
  typed: string;
  categories: readonly string[];
  /** The value, null to leave it as it was; and the rows and columns to go on, null to go nowhere. */
  onDone: (value: string | null, then: [number, number] | null) => void;
}

/** A text box with the words that fit. */
export function CellEditor({ field, column, typed, categories, onDone }: CellEditorProps) {
  const [text, setText] = useState(typed);
  const done = useRef(false);
  const list = useId();
  const words =
    column === "$state" ? STATES : field?.kind === "category" ? categories : (field?.allowed ?? []);
  const finish = (value: string | null, then: [number, number] | null) => {
    if (done.current) return;
    done.current = true;
    onDone(value, then);
  };
  const byKey = (event: KeyboardEvent) => {
    event.stopPropagation();
    if (event.key === "Enter") finish(text, [1, 0]);
    else if (event.key === "Tab") finish(text, [0, event.shiftKey ? -1 : 1]);
    else if (event.key === "Escape") finish(null, [0, 0]);
    else return;
    event.preventDefault();
  };
  return (
    <>
      <input
        autoFocus
        aria-label={field ? field.title || field.name : "State"}
        list={words.length ? list : undefined}
        value={text}
        maxLength={200_000}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={byKey}
        onBlur={() => finish(text, null)}
        onFocus={(event) => event.target.setSelectionRange(text.length, text.length)}
      />
      {words.length > 0 && (
        <datalist id={list}>
          {words.map((word) => (
            <option key={word} value={word} />
          ))}
        </datalist>
      )}
    </>
  );
}
