/** The key of a product that a list makes and has none for, as a sentence with boxes in it. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Identity } from "../../api/hooks";
import { Part } from "../../components/Panel";
import { keyInWords, type KeyRule } from "./words";

interface NewKeyProps {
  rule: Identity["new_key"];
  /** What the store calls its key. */
  label: string;
  article: string | null;
  onChange: (rule: KeyRule | null, label: string) => void;
}

/** Refused, made of the supplier's number, or numbered. */
export function NewKey({ rule, label, article, onChange }: NewKeyProps) {
  const put = (next: KeyRule | null) =>
    onChange(next, next ? `New products get ${keyInWords(next)}` : `New products need a ${label}`);
  const title = `A new product without a ${label}`;
  return (
    <Part title={title}>
      <TextField
        select
        fullWidth
        value={rule?.by ?? ""}
        onChange={(e) => put(e.target.value ? begun(e.target.value as KeyRule["by"], rule) : null)}
        slotProps={{ select: { displayEmpty: true }, htmlInput: { "aria-label": title } }}
        helperText={rule ? undefined : "Where the list has none, the row is refused."}
      >
        <MenuItem value="">is refused</MenuItem>
        <MenuItem value="article" disabled={!article}>
          gets the supplier's number
        </MenuItem>
        <MenuItem value="number">gets the store's next number</MenuItem>
      </TextField>
      {rule && (
        <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1, mt: 1 }}>
          <Short label="Behind" value={rule.prefix ?? ""} onDone={(prefix) => put({ ...rule, prefix })} />
          {rule.by === "number" && (
            <>
              <Short
                label="From"
                numeric
                value={String(rule.first ?? 1)}
                onDone={(first) => put({ ...rule, first: Number(first || 1) })}
              />
              <Short
                label="Up to"
                numeric
                value={rule.last === null || rule.last === undefined ? "" : String(rule.last)}
                onDone={(last) => put({ ...rule, last: last ? Number(last) : null })}
              />
              <Short
                label="Digits"
                numeric
                value={String(rule.digits ?? 1)}
                onDone={(digits) => put({ ...rule, digits: Math.min(15, Number(digits || 1)) })}
              />
            </>
          )}
        </Box>
      )}
      {rule?.by === "number" && (
        <Box component="p" className="quiet" sx={{ fontSize: 12, mt: 1, mb: 0 }}>
          The next would be as <b className="mono">{exampleOf(rule)}</b>; the number that is free is taken
          when a run is prepared.{" "}
          {article
            ? "The article is paired with its product, and so found the next time."
            : "Choose the column with their own number above: by that the product is found the next time."}
        </Box>
      )}
    </Part>
  );
}

const begun = (by: KeyRule["by"], before: Identity["new_key"]): KeyRule => ({
  prefix: before?.prefix ?? "",
  first: before?.first ?? 1,
  last: before?.last ?? null,
  digits: before?.digits ?? 5,
  by,
});

const exampleOf = ({ prefix = "", first = 1, digits = 1 }: KeyRule) =>
  prefix + String(first).padStart(digits, "0");

interface BoxProps {
  label: string;
  value: string;
  numeric?: boolean;
  onDone: (value: string) => void;
}

/** A short box; what is typed counts when it is left, or with Enter. */
function Short({ label, value, numeric, onDone }: BoxProps) {
  const [text, setText] = useState<string | null>(null);
  const done = () => {
    if (text !== null && text !== value) onDone(numeric ? text : text.trimStart());
    setText(null);
  };
  return (
    <TextField
      label={label}
      value={text ?? value}
      onChange={(e) => setText(numeric ? e.target.value.replace(/\D/g, "").slice(0, 15) : e.target.value)}
      onBlur={done}
      onKeyDown={(e) => e.key === "Enter" && done()}
      slotProps={{
        inputLabel: { shrink: true },
        htmlInput: { inputMode: numeric ? "numeric" : "text", maxLength: 40 },
      }}
    />
  );
}
