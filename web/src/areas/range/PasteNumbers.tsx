/** Picks articles by a list of their numbers, as it is copied from a mail or a sheet. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { count } from "../../components/words";

/** One number a line, or several between tabs, commas or semicolons. */
export const numbersIn = (text: string) => [
  ...new Set(
    text
      .split(/[\n\r\t,;]+/)
      .map((one) => one.trim().replace(/^"(.*)"$/, "$1"))
      .filter(Boolean),
  ),
];

/** A button, and behind it the list. */
export function PasteNumbers({ onPick }: { onPick: (articles: string[]) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [text, setText] = useState("");
  const numbers = numbersIn(text);
  return (
    <>
      <Button color="inherit" aria-haspopup="dialog" onClick={(e) => setAnchor(e.currentTarget)}>
        Paste numbers
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "right" }}
        transformOrigin={{ vertical: "top", horizontal: "right" }}
      >
        <Box
          component="form"
          aria-label="Pick by numbers"
          sx={{ p: 1.5, width: 320, display: "grid", gap: 1.25 }}
          onSubmit={(e) => {
            e.preventDefault();
            if (!numbers.length) return;
            onPick(numbers);
            setText("");
            setAnchor(null);
          }}
        >
          <Typography color="textSecondary">
            Their article numbers, one a line. Numbers that the range does not have are told.
          </Typography>
          <TextField
            multiline
            minRows={5}
            maxRows={12}
            autoFocus
            value={text}
            onChange={(e) => setText(e.target.value)}
            slotProps={{ htmlInput: { "aria-label": "Article numbers", className: "mono" } }}
          />
          <Button type="submit" variant="outlined" disabled={!numbers.length}>
            Pick {count(numbers.length, "article", "articles")}
          </Button>
        </Box>
      </Popover>
    </>
  );
}
