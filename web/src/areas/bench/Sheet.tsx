/** One sheet of the bench: only the rows and columns in view are drawn. It scrolls sideways by
 *  itself; up and down it follows the row it is told to begin with. */
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";

/** Height of a row, in pixels. */
export const ROW = 26;
/** Height of a sheet's head, in pixels. */
export const HEAD = 28;
const NUMBERS = 56;

export interface SheetColumn {
  name: string;
  label: string;
  width: number;
  numeric?: boolean;
  undecided?: boolean;
}

export interface SheetCell {
  text: string | null;
  className?: string;
  title?: string;
}

interface SheetProps {
  label: string;
  arriving?: boolean;
  height: number;
  columns: SheetColumn[];
  first: number;
  shift: number;
  total: number;
  hand: number;
  lit: Set<string>;
  cell: (index: number, column: number) => SheetCell | null;
  rowNumber: (index: number) => { number: number; fault: string | null } | null;
  onColumn: (name: string) => void;
  onRow: (index: number, column: string) => void;
}

/** One pane of rows, drawn from the scroll position that both panes share. */
export function Sheet(props: SheetProps) {
  const { columns, height, first, shift, total, lit } = props;
  const box = useRef<HTMLDivElement>(null);
  const [left, setLeft] = useState(0);
  const [width, setWidth] = useState(600);
  useLayoutEffect(() => {
    const node = box.current;
    if (!node) return;
    const watch = new ResizeObserver(() => setWidth(node.clientWidth));
    watch.observe(node);
    return () => watch.disconnect();
  }, []);
  const starts = useMemo(() => startsOf(columns), [columns]);
  const full = starts.at(-1) ?? NUMBERS;
  useBringIntoView(box, columns, starts, lit);
  const [from, to] = visible(starts, left, width);
  const rows = Math.min(total - first, Math.ceil((height - HEAD) / ROW) + 1);
  const shown = columns.slice(from, to);
  return (
    <div
      ref={box}
      className={`sheet ${props.arriving ? "arriving" : ""}`}
      style={{ height }}
      role="grid"
      aria-label={props.label}
      aria-rowcount={total}
      aria-colcount={columns.length}
      onScroll={(e) => setLeft(e.currentTarget.scrollLeft)}
    >
      <div style={{ width: full, height: height - 12, position: "relative", overflow: "clip" }}>
        {Array.from({ length: Math.max(0, rows) }, (_, i) => (
          <SheetRow
            key={first + i}
            {...props}
            index={first + i}
            top={HEAD + i * ROW - shift}
            full={full}
            shown={shown}
            from={from}
            starts={starts}
          />
        ))}
        <div className="head" role="row" style={{ width: full }}>
          <span className="rownumber" />
          {shown.map((column, i) => (
            <button
              key={column.name}
              type="button"
              role="columnheader"
              title={column.label}
              className={headClass(column, lit)}
              style={{ left: starts[from + i], width: column.width }}
              onClick={() => props.onColumn(column.name)}
            >
              {column.label}
            </button>
          ))}
        </div>
      </div>
    </div>
  );
}

interface RowProps extends SheetProps {
  index: number;
  top: number;
  full: number;
  shown: SheetColumn[];
  from: number;
  starts: number[];
}

function SheetRow({ index, top, full, shown, from, starts, ...props }: RowProps) {
  const head = props.rowNumber(index);
  const inHand = index === props.hand;
  return (
    <div
      className={`row${inHand ? " hand" : ""}${head?.fault ? " fault" : ""}`}
      role="row"
      aria-rowindex={index + 1}
      aria-selected={inHand}
      style={{ top, width: full }}
    >
      <span className="rownumber" title={head?.fault ?? undefined}>
        {head ? (head.fault ? `✕ ${head.number}` : head.number) : "…"}
      </span>
      {shown.map((column, i) => {
        const cell = props.cell(index, from + i);
        return (
          <span
            key={column.name}
            role="gridcell"
            title={cell?.title ?? cell?.text ?? undefined}
            className={`cell${column.numeric ? " number" : ""}${
              props.lit.has(column.name) ? " lit" : ""
            }${cell?.className ? ` ${cell.className}` : ""}`}
            style={{ left: starts[from + i], width: column.width }}
            onClick={() => props.onRow(index, column.name)}
          >
            {cell?.text ?? ""}
          </span>
        );
      })}
    </div>
  );
}

function headClass(column: SheetColumn, lit: Set<string>): string {
  return `cell${column.numeric ? " number" : ""}${lit.has(column.name) ? " lit" : ""}${
    column.undecided ? " undecided" : ""
  }`;
}

function startsOf(columns: SheetColumn[]): number[] {
  const starts = [NUMBERS];
  for (const column of columns) starts.push((starts.at(-1) ?? 0) + column.width);
  return starts;
}

function visible(starts: number[], left: number, width: number): [number, number] {
  let from = 0;
  while (from < starts.length - 2 && (starts[from + 1] ?? 0) < left) from += 1;
  let to = from;
  while (to < starts.length - 1 && (starts[to] ?? 0) < left + width) to += 1;
  return [from, to];
}

/** When other columns light up, the first of them comes into view. */
function useBringIntoView(
  box: React.RefObject<HTMLDivElement | null>,
  columns: SheetColumn[],
  starts: number[],
  lit: Set<string>,
) {
  const key = [...lit, columns.length].join("\n");
  useEffect(() => {
    const node = box.current;
    const at = columns.findIndex((c) => lit.has(c.name));
    if (!node || at < 0) return;
    const begin = starts[at] ?? 0;
    const end = starts[at + 1] ?? begin;
    const hidden = begin - NUMBERS < node.scrollLeft || end > node.scrollLeft + node.clientWidth;
    if (hidden) node.scrollTo({ left: Math.max(0, begin - NUMBERS - 120) });
    // eslint-disable-next-line react-hooks/exhaustive-deps -- only a change of what is lit moves it
  }, [key]);
}
