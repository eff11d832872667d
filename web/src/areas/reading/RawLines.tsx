/** The head of a file: delimiters lit, letters beyond ASCII as the encoding says, and bytes that
 *  are no letters in it as their number. */
import { memo, type ReactNode } from "react";
import type { Reading } from "../../api/hooks";

interface RawLinesProps {
  lines: string[];
  reading: Reading;
}

/** Text byte for byte, its delimiters lit. */
export const RawLines = memo(function RawLines({ lines, reading }: RawLinesProps) {
  return (
    <div className="raw">
      {lines.map((line, index) => (
        <div key={index} className={isHeader(index + 1, reading) ? "header" : ""}>
          <span className="line">{index + 1}</span>
          {pieces(
            line.slice(0, 700),
            reading.format === "delimited" ? (reading.delimiter ?? ",") : "",
            reading.format === "delimited" ? (reading.encoding ?? "utf-8") : "utf-8",
          )}
        </div>
      ))}
    </div>
  );
});

function isHeader(line: number, reading: Reading): boolean {
  if (reading.format !== "delimited") return false;
  const top = reading.header_row ?? 1;
  return line >= top && line < top + (reading.header_height ?? 1);
}

/** The name that browsers know an encoding by. */
function labelOf(encoding: string): string {
  const plain = encoding.toLowerCase().replaceAll("_", "-");
  const page = /^cp(125\d)$/.exec(plain);
  if (page) return `windows-${page[1]}`;
  const iso = /^iso-?8859-(\d+)$/.exec(plain);
  if (iso) return `iso-8859-${iso[1]}`;
  return plain === "cp866" ? "ibm866" : plain;
}

function isControl(char: string): boolean {
  const code = char.charCodeAt(0);
  return code < 32 || (code > 126 && code < 160);
}

/** Bytes as letters of the encoding; null where they are none in it. */
export function letters(bytes: string, encoding: string): string | null {
  try {
    const made = new TextDecoder(labelOf(encoding), { fatal: true }).decode(
      Uint8Array.from(bytes, (char) => char.charCodeAt(0)),
    );
    return [...made].some(isControl) ? null : made;
  } catch {
    return null; // not in this encoding, or one that the browser does not know
  }
}

/** A line in runs of plain text, delimiters, and bytes that are not ASCII. */
export function pieces(line: string, delimiter: string, encoding = "utf-8"): ReactNode[] {
  const out: ReactNode[] = [];
  let plain = "";
  const flush = () => {
    if (plain) out.push(plain);
    plain = "";
  };
  const chars = [...line];
  for (let i = 0; i < chars.length; i++) {
    const char = chars[i] ?? "";
    const code = char.charCodeAt(0);
    if (char === delimiter || (delimiter.length > 1 && delimiter.includes(char))) {
      flush();
      out.push(
        <span key={i} className="delimiter">
          {char === "\t" ? "→" : char}
        </span>,
      );
    } else if (code > 126 || (code < 32 && code !== 9)) {
      let end = i + 1;
      while (code > 126 && (chars[end]?.charCodeAt(0) ?? 0) > 126) end++;
      const run = chars.slice(i, end).join("");
      const text = code > 126 ? letters(run, encoding) : null;
      if (text !== null) {
        plain += text;
        i = end - 1;
        continue;
      }
      flush();
      out.push(
        <span key={i} className="byte" title={`byte ${code}`}>
          {code === 13 ? "CR" : code.toString(16).toUpperCase().padStart(2, "0")}
        </span>,
      );
    } else plain += char;
  }
  flush();
  return out;
}
