import Autocomplete, { createFilterOptions } from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import type { Schemas } from "../api/client";
import { suggestedFirst } from "./suggested";

/** In front of a word that is not in the store's list yet. */
const ADD = "Add to the store's words: ";
/** A longer list is narrowed by typing. */
const find = createFilterOptions<string>({ limit: 200 });

interface WordChoiceProps {
  /** The store's words; empty where any word may be given. */
  allowed: string[];
  value: string | null;
  proposals?: Schemas["Proposal"][];
  label: string;
  width?: number | string;
  onChoose: (word: string, isNew: boolean) => void;
  /** What is typed before it is chosen: it stays as it stands, and a button beside it sends it.
   *  Without one, what was not chosen gives way to what is kept. */
  onTyped?: (word: string, isNew: boolean) => void;
}

/** A word of the store: one of its list, a suggested one, or a new one that joins the list. */
export function WordChoice({
  allowed,
  value,
  proposals = [],
  label,
  width = 220,
  onChoose,
  onTyped,
}: WordChoiceProps) {
  const first = proposals[0]?.place;
  const known = new Set(allowed.map((word) => word.toLowerCase()));
  return (
    <Autocomplete
      {...suggestedFirst(proposals, allowed)}
      value={value}
      freeSolo={!allowed.length}
      autoHighlight={allowed.length > 0}
      clearOnBlur={!onTyped}
      onInputChange={(_, typed, reason) => {
        if (reason !== "input" && reason !== "clear") return;
        const word = typed.trim();
        const listed = allowed.find((one) => one.toLowerCase() === word.toLowerCase());
        onTyped?.(listed ?? word, allowed.length > 0 && listed === undefined);
      }}
      filterOptions={(options, state) => {
        const typed = state.inputValue.trim();
        const found = find(options, state);
        return allowed.length && typed && !known.has(typed.toLowerCase()) ? [...found, ADD + typed] : found;
      }}
      onChange={(_, word) => {
        if (word?.startsWith(ADD)) onChoose(word.slice(ADD.length), true);
        else if (word) onChoose(word, false);
      }}
      renderInput={(params) => (
        <TextField
          {...params}
          placeholder={first ? `${first} ?` : "store word"}
          slotProps={{
            ...params.slotProps,
            htmlInput: { ...params.slotProps.htmlInput, "aria-label": label },
          }}
        />
      )}
      sx={{ width, "& .MuiOutlinedInput-root": { py: "1px !important" } }}
    />
  );
}
