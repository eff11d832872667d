import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useDebouncedCallback } from "use-debounce";

interface SearchFieldProps {
  label: string;
  placeholder: string;
  value: string;
  width: number;
  onSearch: (text: string) => void;
}

/** A search that follows the typing once it rests; a search set from elsewhere is shown. */
export function SearchField({ label, placeholder, value, width, onSearch }: SearchFieldProps) {
  const [typed, setTyped] = useState(value);
  const [shown, setShown] = useState(value);
  const search = useDebouncedCallback(onSearch, 250);
  if (shown !== value) {
    setShown(value);
    setTyped(value);
  }
  return (
    <TextField
      placeholder={placeholder}
      value={typed}
      onChange={(e) => {
        setTyped(e.target.value);
        search(e.target.value);
      }}
      slotProps={{ htmlInput: { "aria-label": label, type: "search" } }}
      sx={{ width }}
    />
  );
}
