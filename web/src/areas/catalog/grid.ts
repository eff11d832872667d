/** Cells of a sheet by row and column: what is selected, copied, pasted, filled down. */

export interface Cell {
  row: number;
  col: number;
}

/** A rectangle of cells, all ends among them. */
export interface Block {
  top: number;
  bottom: number;
  left: number;
  right: number;
}

/** The cells between two. */
export function blockOf(one: Cell, other: Cell): Block {
  return {
    top: Math.min(one.row, other.row),
    bottom: Math.max(one.row, other.row),
    left: Math.min(one.col, other.col),
    right: Math.max(one.col, other.col),
  };
}

/** Whether a cell is in a block. */
export const isIn = (block: Block, row: number, col: number) =>
  row >= block.top && row <= block.bottom && col >= block.left && col <= block.right;

const STEPS: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  PageUp: [-20, 0],
  PageDown: [20, 0],
};

/** Where a key leads; null for one that leads nowhere. */
export function moved(key: string, from: Cell, rows: number, cols: number, whole: boolean): Cell | null {
  const within = (n: number, most: number) => Math.max(0, Math.min(most - 1, n));
  if (key === "Home") return { row: whole ? 0 : from.row, col: 0 };
  if (key === "End") return { row: whole ? rows - 1 : from.row, col: cols - 1 };
  const step = STEPS[key];
  if (!step) return null;
  return { row: within(from.row + step[0], rows), col: within(from.col + step[1], cols) };
}

/** Cells as a spreadsheet takes them: tabs and lines, quoted where a cell has either. */
export function asText(cells: readonly (readonly (string | null)[])[]): string {
  const quoted = (text: string) => (/[\t\n\r"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  return cells.map((row) => row.map((cell) => quoted(cell ?? "")).join("\t")).join("\n");
}

/** What a spreadsheet gives: tabs and lines, a cell with either in quotation marks. */
export function asCells(text: string): string[][] {
  const rows: string[][] = [[]];
  let at = 0;
  while (at <= text.length) {
    const row = rows[rows.length - 1] ?? [];
    const quoted = text[at] === '"' ? quotedCell(text, at) : null;
    const end = quoted?.end ?? endOf(text, at);
    row.push(quoted ? quoted.text : text.slice(at, end));
    if (text[end] === "\t") at = end + 1;
    else if (end >= text.length) break;
    else {
      at = end + (text.startsWith("\r\n", end) ? 2 : 1);
      if (at >= text.length) break;
      rows.push([]);
    }
  }
  return rows;
}

function endOf(text: string, from: number): number {
  const found = text.slice(from).search(/[\t\r\n]/);
  return found < 0 ? text.length : from + found;
}

/** A cell in quotation marks, and where it ends; null where what begins so is none. */
function quotedCell(text: string, from: number): { text: string; end: number } | null {
  const found = /^"((?:[^"]|"")*)"(?=[\t\r\n]|$)/.exec(text.slice(from));
  return found && { text: (found[1] ?? "").replaceAll('""', '"'), end: from + found[0].length };
}

/**
 * The cells that a paste writes from a corner on: a single one fills the whole selection, a block
 * as often as it fits into a larger one, and else reaches beyond it.
 */
export function pasted(
  cells: string[][],
  selected: Block,
): { rows: number; at: (r: number, c: number) => string | undefined; width: number } {
  const width = Math.max(...cells.map((row) => row.length));
  const tall = selected.bottom - selected.top + 1;
  const wide = selected.right - selected.left + 1;
  const rows = tall > cells.length && tall % cells.length === 0 ? tall : cells.length;
  const all = wide > width && wide % width === 0 ? wide : width;
  return { rows, width: all, at: (r, c) => cells[r % cells.length]?.[c % width] };
}
