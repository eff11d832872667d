/** What may follow where the caret stands in a formula. */
import type { Schemas } from "../../api/client";

export interface Offer {
  /** What is written in place of the characters from `start` to the caret. */
  put: string;
  label: string;
  detail: string;
}

export interface Offers {
  start: number;
  found: Offer[];
}

const MOST = 8;

/** What may be typed at the place of the cursor. */
export function offersAt(
  text: string,
  caret: number,
  columns: string[],
  fields: string[],
  functions: Schemas["FunctionHelp"][],
): Offers {
  const before = text.slice(0, caret);
  const open = before.lastIndexOf("[");
  if (open > before.lastIndexOf("]")) {
    const typed = before.slice(open + 1).toLowerCase();
    const names = typed.startsWith("=")
      ? fields.map((f) => ({ put: `[=${f}]`, label: f, detail: "store field" }))
      : columns.map((c) => ({ put: `[${c.replaceAll("]", "]]")}]`, label: c, detail: "column" }));
    const wanted = typed.replace(/^=/, "");
    return { start: open, found: names.filter((n) => n.label.toLowerCase().includes(wanted)).slice(0, MOST) };
  }
  const word = /[A-Za-z][A-Za-z.]*$/.exec(before);
  if (!word || insideText(before)) return { start: caret, found: [] };
  const typed = word[0].toUpperCase();
  const called = functions
    .filter((f) => f.name.startsWith(typed))
    .map((f) => ({ put: `${f.name}(`, label: f.usage, detail: f.help }));
  const named = columns
    .filter((c) => c.toUpperCase().startsWith(typed))
    .map((c) => ({ put: `[${c.replaceAll("]", "]]")}]`, label: c, detail: "column" }));
  return { start: word.index, found: [...named, ...called].slice(0, MOST) };
}

const insideText = (before: string) => (before.match(/"/g)?.length ?? 0) % 2 === 1;
