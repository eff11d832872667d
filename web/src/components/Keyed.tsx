/** A list that is worked through with the keyboard alone. */
import Box from "@mui/material/Box";
import { useEffect, useRef, type ReactNode } from "react";

interface KeyedProps {
  /** How many articles there are. */
  items: number;
  label: string;
  /** What a key does to the article that has the focus: the button, or the input, of that mark. */
  keys: Record<string, string>;
  children: ReactNode;
}

/** Articles, each with what can be done to it as elements that say so in `data-does`. The focus
 *  begins on the first, goes up and down, and stays in its place when one is done and goes away;
 *  the mark "type" is that of the first input. */
export function Keyed({ items, label, keys, children }: KeyedProps) {
  const box = useRef<HTMLDivElement>(null);
  const at = useRef<number | null>(null);
  useEffect(() => {
    const free = document.activeElement === document.body || document.activeElement === null;
    if (!free && at.current !== null) return;
    at.current ??= 0;
    articlesIn(box.current)[Math.min(at.current, items - 1)]?.focus();
  }, [items]);
  const onKeyDown = (event: React.KeyboardEvent) => {
    const article = (event.target as HTMLElement).closest("article");
    if (!article) return;
    const all = articlesIn(box.current);
    at.current = all.indexOf(article);
    if (event.target !== article) {
      if (event.key === "Escape") article.focus();
      return;
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const mark = keys[event.key];
    if (step) all[at.current + step]?.focus();
    else if (mark === "type") article.querySelector<HTMLElement>('input:not([type="checkbox"])')?.focus();
    else if (mark) article.querySelector<HTMLElement>(`[data-does="${mark}"]:not(:disabled)`)?.click();
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div ref={box} onKeyDown={onKeyDown} {...(items ? { role: "feed", "aria-label": label } : {})}>
      {children}
    </div>
  );
}

const articlesIn = (box: HTMLElement | null) => [...(box?.querySelectorAll<HTMLElement>("article") ?? [])];

/** One of its articles. */
export function KeyedArticle({ label, children }: { label: string; children: ReactNode }) {
  return (
    <Box
      component="article"
      tabIndex={0}
      aria-label={label}
      sx={{
        borderBottom: 1,
        borderColor: "divider",
        py: 1,
        px: 0.75,
        mx: -0.75,
        "&:focus-visible": { outline: "2px solid", outlineColor: "primary.main", outlineOffset: -1 },
      }}
    >
      {children}
    </Box>
  );
}
