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
        <div key={index} className={index + 1 === reading.header_row ? "header" : ""}>
          <span className="line">{index + 1}</span>
          {pieces(line.slice(0, 700), reading.delimiter ?? ",")}
        </div>
      ))}
    </div>
  );
});

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
    if (char === delimiter) {
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
          {code === 13 ? "␍" : code.toString(16).toUpperCase().padStart(2, "0")}
        </span>,
      );
    } else plain += char;
  }
  flush();
  return out;
}
