/** The head of a file byte for byte: delimiters lit, bytes beyond ASCII as their number. */
import { memo, type ReactNode } from "react";
import type { Reading } from "../../api/hooks";

interface RawLinesProps {
  lines: string[];
  reading: Reading;
}

export const RawLines = memo(function RawLines({ lines, reading }: RawLinesProps) {
  return (
    <div className="raw">
      {lines.map((line, index) => (
        <div key={index} className={isHeader(index + 1, reading) ? "header" : ""}>
          <span className="line">{index + 1}</span>
          {pieces(line.slice(0, 700), reading.format === "delimited" ? (reading.delimiter ?? ",") : "")}
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

/** A line in runs of plain text, delimiters, and bytes that are not ASCII. */
export function pieces(line: string, delimiter: string): ReactNode[] {
  const out: ReactNode[] = [];
  let plain = "";
  const flush = () => {
    if (plain) out.push(plain);
    plain = "";
  };
  for (const [i, char] of [...line].entries()) {
    const code = char.charCodeAt(0);
    if (char === delimiter || (delimiter.length > 1 && delimiter.includes(char))) {
      flush();
      out.push(
        <span key={i} className="delimiter">
          {char === "\t" ? "→" : char}
        </span>,
      );
    } else if (code > 126 || (code < 32 && code !== 9)) {
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
