/** Two texts as one, with what goes and what comes marked within. */
import { diffWordsWithSpace } from "diff";
import { useMemo } from "react";

interface TextDiffProps {
  before: string;
  after: string;
}

/** What both have stands plain. */
export function TextDiff({ before, after }: TextDiffProps) {
  const parts = useMemo(() => diffWordsWithSpace(before, after), [before, after]);
  return (
    <span style={{ whiteSpace: "pre-wrap", overflowWrap: "anywhere" }}>
      {parts.map((part, n) =>
        part.added ? (
          <ins key={n} className="comes">
            {part.value}
          </ins>
        ) : part.removed ? (
          <del key={n} className="goes">
            {part.value}
          </del>
        ) : (
          <span key={n}>{part.value}</span>
        ),
      )}
    </span>
  );
}

/** Texts that are long enough for their differences to be looked for within. */
export const isText = (before: string | null, after: string | null): boolean =>
  before !== null && after !== null && (before.length > 24 || after.length > 24) && /\s/.test(before + after);
