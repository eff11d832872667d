/** What a fill takes for granted: the evidence in words, and another choice one click away. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Assumption } from "../../api/hooks";
import { Mark } from "../../components/Mark";

const WORDS: Record<string, string> = {
  comma: "decimal comma",
  point: "decimal point",
  dmy: "day, month, year",
  mdy: "month, day, year",
  ymd: "year, month, day",
};

/** What it means that nothing is chosen. */
const NOTHING: Partial<Record<Assumption["about"], string>> = {
  prefix: "nothing in front",
  path: "each cell is one level",
};

/** A choice in words: `dmy` is "day, month, year"; units and currencies are their own words. */
const inWords = (about: Assumption["about"], choice: string) =>
  choice === "" ? (NOTHING[about] ?? "") : (WORDS[choice] ?? choice);

/** What a text says of the choices; of a currency, a prefix and a sign it may be none of them. */
function choiceOf(about: Assumption["about"], text: string, choices: string[]): string | null {
  const known = choices.find((c) => inWords(about, c).toLowerCase() === text.trim().toLowerCase());
  if (known !== undefined) return known;
  if (about === "currency") return text.trim().length === 3 ? text.trim().toUpperCase() : null;
  if (about === "path" || about === "prefix") return text.trim() === "" ? "" : text;
  return null;
}

interface StatedProps {
  about: Assumption["about"];
  choice: string;
  choices: string[];
  label: string;
  onState: (choice: string) => void;
}

/** Chooses what is meant, and says so. */
export function Stated({ about, choice, choices, label, onState }: StatedProps) {
  const likely = choices.includes(choice) ? choice : (choices[0] ?? "");
  // What is on screen is what is sent, whether it was chosen or typed.
  const [text, setText] = useState(inWords(about, likely));
  const wanted = choiceOf(about, text, choices);
  return (
    <>
      <Autocomplete
        options={choices}
        defaultValue={likely}
        inputValue={text}
        freeSolo={about === "currency" || about === "prefix" || about === "path"}
        getOptionLabel={(option) => inWords(about, option)}
        onInputChange={(_, value) => setText(value)}
        renderInput={(params) => (
          <TextField
            {...params}
            slotProps={{
              ...params.slotProps,
              htmlInput: { ...params.slotProps.htmlInput, "aria-label": label },
            }}
          />
        )}
        sx={{ flex: "1 0 150px" }}
      />
      <Button
        data-does="answer"
        variant="contained"
        disabled={wanted === null}
        onClick={() => wanted !== null && onState(wanted)}
      >
        Answer
      </Button>
    </>
  );
}

interface AssumptionRowProps {
  assumption: Assumption;
  choices: string[];
  onState: (choice: string) => void;
}

/** One assumption of the fill in hand. */
export function AssumptionRow({ assumption, choices, onState }: AssumptionRowProps) {
  const [changing, setChanging] = useState(false);
  const open = assumption.state === "open";
  return (
    <Box sx={{ py: 0.5 }}>
      <Box sx={{ display: "flex", gap: 0.75, alignItems: "baseline" }}>
        <Mark
          state={open ? "question" : "computed"}
          says={
            open
              ? "waits for an answer"
              : assumption.state === "confirmed"
                ? "said by a person"
                : "taken by evidence"
          }
        />
        <Typography variant="body2" sx={{ flex: 1 }}>
          {assumption.says}
        </Typography>
        {!open && !changing && (choices.length > 1 || assumption.about === "path") && (
          <Button color="inherit" onClick={() => setChanging(true)}>
            Change
          </Button>
        )}
      </Box>
      {(open || changing) && choices.length > 0 && (
        <Box sx={{ display: "flex", gap: 0.5, pl: 2.25, pt: 0.5 }}>
          <Stated
            about={assumption.about}
            choice={assumption.choice ?? ""}
            choices={choices}
            label={`What is meant: ${assumption.about}`}
            onState={(choice) => {
              setChanging(false);
              onState(choice);
            }}
          />
        </Box>
      )}
    </Box>
  );
}
