/** A formula, its mistakes marked where they stand, and what it makes of the row in hand. */
import Box from "@mui/material/Box";
import ListItemButton from "@mui/material/ListItemButton";
import Paper from "@mui/material/Paper";
import Popper from "@mui/material/Popper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useDebounce } from "use-debounce";
import { api, take, type Schemas } from "../../api/client";
import { useFunctions } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { offersAt, type Offer } from "./completion";

export interface FormulaPlace {
  feed: number;
  delivery: number;
  row: number;
  value: string | null;
  /** How the value is written: a number, or text with which decimal mark. */
  written?: Schemas["Stage"]["written"];
  columns: string[];
  fields: string[];
}

interface FormulaEditorProps {
  place: FormulaPlace;
  label: string;
  value: string;
  onDone: (formula: string) => void;
}

/** A formula as it is typed: completed, checked, and tried on the row in hand. */
export function FormulaEditor({ place, label, value, onDone }: FormulaEditorProps) {
  const [text, setText] = useState(value);
  const [caret, setCaret] = useState<number | null>(null);
  const [chosen, setChosen] = useState(0);
  const input = useRef<HTMLTextAreaElement>(null);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const functions = useFunctions();
  const trial = useTrial(place, text);
  const offers =
    caret === null
      ? { start: 0, found: [] }
      : offersAt(text, caret, place.columns, place.fields, functions.data?.functions ?? []);
  const put = (offer: Offer) => {
    const next = text.slice(0, offers.start) + offer.put + text.slice(caret ?? text.length);
    const at = offers.start + offer.put.length;
    setText(next);
    setCaret(null);
    requestAnimationFrame(() => input.current?.setSelectionRange(at, at));
  };
  const done = () => {
    setCaret(null);
    if (text !== value) onDone(text);
  };
  const onKey = (event: React.KeyboardEvent) => {
    const offer = offers.found[Math.min(chosen, offers.found.length - 1)];
    if (offer && (event.key === "Tab" || event.key === "Enter")) put(offer);
    else if (offer && event.key === "ArrowDown") setChosen((n) => (n + 1) % offers.found.length);
    else if (offer && event.key === "ArrowUp")
      setChosen((n) => (n + offers.found.length - 1) % offers.found.length);
    else if (event.key === "Escape" && offer) setCaret(null);
    else if (event.key === "Enter" && !event.shiftKey) done();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <Box sx={{ width: "100%" }} ref={setAnchor}>
      <TextField
        fullWidth
        multiline
        label={label}
        value={text}
        placeholder={'IF([Stock] > 0; "in stock"; "to order")'}
        inputRef={input}
        onChange={(e) => {
          setText(e.target.value);
          setCaret(e.target.selectionStart ?? e.target.value.length);
          setChosen(0);
        }}
        onKeyDown={onKey}
        onBlur={done}
        slotProps={{
          inputLabel: { shrink: true },
          input: { sx: { p: 0.75, "& textarea": { fontFamily: "var(--mono, monospace)", fontSize: 12.5 } } },
          htmlInput: { className: "mono", spellCheck: false, "aria-label": label },
        }}
      />
      <Popper
        open={offers.found.length > 0}
        anchorEl={anchor}
        placement="bottom-start"
        sx={{ zIndex: "tooltip" }}
      >
        <Paper
          variant="outlined"
          sx={{ width: 336, maxHeight: 280, overflowY: "auto" }}
          role="listbox"
          aria-label="Completions"
        >
          {offers.found.map((offer, index) => (
            <ListItemButton
              key={offer.put}
              dense
              selected={index === Math.min(chosen, offers.found.length - 1)}
              onMouseDown={(e) => {
                e.preventDefault();
                put(offer);
              }}
              sx={{ display: "block" }}
            >
              <Typography className="mono" noWrap>
                {offer.label}
              </Typography>
              <Typography variant="caption" color="textSecondary" noWrap component="div">
                {offer.detail}
              </Typography>
            </ListItemButton>
          ))}
        </Paper>
      </Popper>
      <Outcome text={text} trial={trial} />
    </Box>
  );
}

function useTrial(place: FormulaPlace, text: string) {
  const rested = useDebounce(text, 120)[0];
  return useQuery({
    queryKey: ["feed", place.feed, "formula", place.delivery, place.row, place.value, place.written, rested],
    enabled: rested.trim() !== "",
    placeholderData: (before) => before,
    queryFn: () =>
      take(
        api.POST("/api/v1/feeds/{feed_id}/formula", {
          params: { path: { feed_id: place.feed }, query: { delivery_id: place.delivery } },
          body: { formula: rested, row: place.row, value: place.value, written: place.written },
        }),
      ),
  }).data;
}

function Outcome({ text, trial }: { text: string; trial: Schemas["FormulaTrial"] | undefined }) {
  if (!text.trim() || !trial) return null;
  if (trial.mistake) return <Mistake text={text} mistake={trial.mistake} />;
  return (
    <Typography variant="body2" sx={{ mt: 0.5 }} role="status">
      {trial.wrong ? <Mark state="refused" /> : <Mark state="computed" />}{" "}
      <span className="mono">{trial.wrong ?? trial.value ?? "∅"}</span>
    </Typography>
  );
}

function Mistake({ text, mistake }: { text: string; mistake: Schemas["Mistake"] }) {
  const end = Math.max(mistake.end, mistake.start + 1);
  return (
    <Box role="alert" sx={{ mt: 0.5 }}>
      <Box
        className="mono"
        sx={{
          whiteSpace: "pre-wrap",
          wordBreak: "break-all",
          bgcolor: "paper2.arriving",
          px: 0.75,
          py: 0.25,
        }}
      >
        {text.slice(0, mistake.start)}
        <Box
          component="mark"
          sx={{
            bgcolor: "transparent",
            color: "error.main",
            textDecoration: "underline wavy",
            textUnderlineOffset: 3,
          }}
        >
          {text.slice(mistake.start, end) || " "}
        </Box>
        {text.slice(end)}
      </Box>
      <Typography variant="body2">
        <Mark state="refused" /> {mistake.message}
      </Typography>
      {mistake.remedy && (
        <Typography variant="caption" color="textSecondary" component="div">
          {mistake.remedy}
        </Typography>
      )}
    </Box>
  );
}
