import Box from "@mui/material/Box";
import type { Key, ReactNode } from "react";
import { useTallScroll } from "./useTallScroll";

interface RowsProps<T> {
  items: T[];
  /** Height of each row, in pixels. */
  row: number;
  label: string;
  role?: "list" | "tree";
  of: (item: T) => Key;
  /** What a row of a list is called; a row of a tree says it itself. */
  says?: (item: T) => string;
  children: (item: T) => ReactNode;
}

/** Lists up to this length are drawn whole, so that the browser's own search finds all of them. */
const WHOLE = 200;

/** A list of any length: of a long one, only the rows in view are drawn. */
export function Rows<T>({ items, row, label, role = "list", of, says, children }: RowsProps<T>) {
  const { box, size, height, first, shift, onScroll } = useTallScroll(items.length, row, () => 0);
  const whole = items.length <= WHOLE;
  const shown = whole ? items : items.slice(first, first + Math.ceil(size / row) + 1);
  const frame = whole ? {} : { position: "sticky" as const, top: 0, height: size, overflow: "clip" };
  const place = (at: number) =>
    whole ? {} : { position: "absolute" as const, left: 0, right: 0, top: at * row - shift };
  return (
    <Box
      ref={box}
      tabIndex={0}
      role="group"
      aria-label={label}
      onScroll={onScroll}
      sx={{ flex: 1, minHeight: 0, overflowY: "auto", borderTop: 1, borderColor: "divider" }}
    >
      <div style={{ height: whole ? undefined : height }}>
        <div role={items.length ? role : undefined} aria-label={label} style={frame}>
          {shown.map((item, i) => (
            <div
              key={of(item)}
              role={role === "list" ? "listitem" : "presentation"}
              aria-label={says?.(item)}
              style={{ height: row, ...place(i) }}
            >
              {children(item)}
            </div>
          ))}
        </div>
      </div>
    </Box>
  );
}
