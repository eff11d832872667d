/** The sheet of products: cells that are written in place, filled down, copied and pasted. */
import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TableSortLabel from "@mui/material/TableSortLabel";
import { useEffect, useRef, useState, type ClipboardEvent, type KeyboardEvent } from "react";
import { Link } from "react-router";
import type { Look, ProductLine } from "../../api/catalog";
import type { StoreField } from "../../api/hooks";
import { pictureAddress } from "../../components/words";
import { CellEditor } from "./CellEditor";
import { asCells, asText, blockOf, isIn, moved, pasted, type Cell } from "./grid";
import { valueOf, type useCells } from "./useCells";

/** What is dragged onto a category: the keys of products. */
export const DRAGGED = "application/x-nomotax-products";

interface ProductSheetProps {
  found: ProductLine[];
  fields: readonly StoreField[];
  categories: readonly string[];
  columns: readonly string[];
  look: Look;
  cells: ReturnType<typeof useCells>;
  onSort: (field: string) => void;
  /** Rows that are pasted from one on, which may be more than are on this page. */
  onPaste: (row: number, columns: readonly string[], block: ReturnType<typeof pasted>) => void;
}

/** What is written into the columns beside the fields. */
const BESIDE: Record<string, string> = { $supplier: "Supplier", $state: "State", $changed: "Changed" };
const RIGHT = ["integer", "decimal", "money", "measure"];

/** Products by row, fields by column. */
export function ProductSheet({ found, fields, categories, columns, look, cells, ...on }: ProductSheetProps) {
  const [active, setActive] = useState<Cell>({ row: 0, col: 0 });
  const [anchor, setAnchor] = useState<Cell>(active);
  /** The cell that is written, which need not be the active one any more, and what stood in it. */
  const [editing, setEditing] = useState<(Cell & { typed: string }) | null>(null);
  const grid = useRef<HTMLTableElement>(null);
  const wanted = useRef(false);
  const at = { row: Math.min(active.row, found.length - 1), col: Math.min(active.col, columns.length - 1) };
  const block = blockOf(anchor, at);
  const fieldOf = (column: string) => fields.find((f) => f.name === column);
  const key = fields.find((f) => f.role === "key")?.name;
  const writable = (column: string) => column === "$state" || Boolean(fieldOf(column) && column !== key);
  const picture = fields.find((f) => f.role === "picture") ?? fields.find((f) => f.role === "pictures");
  useEffect(() => {
    if (!wanted.current || editing !== null) return;
    wanted.current = false;
    grid.current?.querySelector<HTMLElement>(`[data-cell="${at.row} ${at.col}"]`)?.focus();
  });
  const go = (to: Cell, extend: boolean) => {
    setActive(to);
    if (!extend) setAnchor(to);
    wanted.current = true;
  };
  const write = (change: (row: number, column: string) => string | null | undefined) => {
    const rows = found.slice(block.top, block.bottom + 1).map((product, i) => {
      const values: Record<string, string | null> = {};
      for (const column of columns.slice(block.left, block.right + 1)) {
        const value = change(block.top + i, column);
        if (value !== undefined && writable(column) && value !== valueOf(product, column))
          values[column] = value;
      }
      return { product, values };
    });
    cells.put(rows);
  };
  const finish = (value: string | null, then: [number, number] | null) => {
    const product = editing && found[editing.row];
    const column = editing && columns[editing.col];
    setEditing(null);
    if (product && column && value !== null && value !== (valueOf(product, column) ?? ""))
      cells.put([{ product, values: { [column]: value.trim() || null } }]);
    // Who has gone elsewhere meanwhile stays there.
    if (!then) return;
    go(
      {
        row: Math.min(found.length - 1, at.row + then[0]),
        col: Math.min(columns.length - 1, at.col + then[1]),
      },
      false,
    );
  };
  const begin = (typed?: string) => {
    const product = found[at.row];
    const column = columns[at.col];
    if (!product || !column || !writable(column)) return;
    const there = cells.refusedAt(product.key, column)?.value ?? valueOf(product, column) ?? "";
    setEditing({ ...at, typed: typed ?? there });
  };
  const byKey = (event: KeyboardEvent) => {
    if (editing !== null) return;
    const command = event.ctrlKey || event.metaKey;
    const to = moved(event.key, at, found.length, columns.length, command);
    if (to && !event.altKey) go(to, event.shiftKey);
    else if (command && event.key.toLowerCase() === "d") {
      const first = found[block.top];
      write((row, column) => (row === block.top || !first ? undefined : valueOf(first, column)));
    } else if (command && event.key.toLowerCase() === "a") {
      setAnchor({ row: 0, col: 0 });
      setActive({ row: found.length - 1, col: columns.length - 1 });
    } else if (event.key === "Delete" || event.key === "Backspace") write(() => null);
    else if (event.key === "Enter" || event.key === "F2") begin();
    else if (event.key.length === 1 && !command && !event.altKey && event.key !== " ") begin(event.key);
    else return;
    event.preventDefault();
  };
  const copy = (event: ClipboardEvent) => {
    if (editing !== null) return;
    const rows = found.slice(block.top, block.bottom + 1);
    const own = columns.slice(block.left, block.right + 1);
    event.clipboardData.setData(
      "text/plain",
      asText(rows.map((p) => own.map((column) => valueOf(p, column)))),
    );
    event.preventDefault();
  };
  const paste = (event: ClipboardEvent) => {
    if (editing !== null) return;
    event.preventDefault();
    const text = event.clipboardData.getData("text/plain");
    if (!text) return;
    const made = pasted(asCells(text), block);
    on.onPaste(block.top, columns.slice(block.left, block.left + made.width), made);
  };
  return (
    <Box sx={{ overflow: "auto", flex: 1 }}>
      <Table
        size="small"
        stickyHeader
        ref={grid}
        role="grid"
        aria-label="Products"
        aria-multiselectable
        onKeyDown={byKey}
        onCopy={copy}
        onPaste={paste}
        className="products"
      >
        <TableHead>
          <TableRow>
            <TableCell sx={{ width: 40 }}>
              <span className="only-said">Picture</span>
            </TableCell>
            <Head name="key" label="SKU" look={look} onSort={on.onSort} />
            {columns.map((column) => {
              const field = fieldOf(column);
              const label = field ? field.title || field.name : (BESIDE[column] ?? column);
              return (
                <Head
                  key={column}
                  name={field?.role === "title" ? "title" : column}
                  label={label}
                  right={RIGHT.includes(field?.kind ?? "")}
                  look={look}
                  {...(field && { onSort: on.onSort })}
                />
              );
            })}
          </TableRow>
        </TableHead>
        <TableBody>
          {found.map((product, row) => (
            <TableRow key={product.key}>
              <TableCell sx={{ p: 0.25 }}>
                <Thumb address={pictureAddress(picture && product.content[picture.name]?.split(" | ")[0])} />
              </TableCell>
              <TableCell
                className="mono"
                draggable
                title="Drag onto a category to move it there"
                onDragStart={(event) => {
                  const own = row >= block.top && row <= block.bottom;
                  const rows = own ? found.slice(block.top, block.bottom + 1) : [product];
                  event.dataTransfer.setData(DRAGGED, JSON.stringify(rows.map((p) => p.key)));
                }}
              >
                <Link to={encodeURIComponent(product.key)}>{product.key}</Link>
              </TableCell>
              {columns.map((column, col) => {
                const field = fieldOf(column);
                const bad = cells.refusedAt(product.key, column);
                const here = row === at.row && col === at.col;
                const written = editing?.row === row && editing.col === col;
                const kept = product.kept.includes(column);
                return (
                  <TableCell
                    key={column}
                    role="gridcell"
                    data-cell={`${row} ${col}`}
                    tabIndex={here ? 0 : -1}
                    aria-selected={isIn(block, row, col)}
                    aria-readonly={!writable(column)}
                    aria-invalid={Boolean(bad)}
                    align={RIGHT.includes(field?.kind ?? "") ? "right" : "left"}
                    title={
                      bad?.why ??
                      [valueOf(product, column), kept && "kept by hand"].filter(Boolean).join(", ")
                    }
                    className={[
                      RIGHT.includes(field?.kind ?? "") ? "mono" : "",
                      isIn(block, row, col) ? "selected" : "",
                      bad ? "refused" : "",
                      kept ? "kept" : "",
                    ].join(" ")}
                    onMouseDown={(event) => {
                      if (written) return;
                      go({ row, col }, event.shiftKey);
                    }}
                    onMouseEnter={(event) => {
                      if (event.buttons === 1 && editing === null) setActive({ row, col });
                    }}
                    onDoubleClick={() => begin()}
                  >
                    {written ? (
                      <CellEditor
                        field={field}
                        column={column}
                        typed={editing.typed}
                        categories={categories}
                        onDone={finish}
                      />
                    ) : (
                      (bad?.value ?? shownOf(product, column, field))
                    )}
                  </TableCell>
                );
              })}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

/** A value as the sheet has room for it: of a path its end, of marked-up text the words. */
function shownOf(product: ProductLine, column: string, field: StoreField | undefined): string {
  if (column === "$changed") return product.changed_at.slice(0, 10);
  const value = valueOf(product, column) ?? "";
  if (field?.kind === "category") return value.split(" > ").at(-1) ?? "";
  return field?.kind === "rich_text"
    ? value
        .replaceAll(/<[^>]*>/g, " ")
        .trim()
        .slice(0, 200)
    : value;
}

interface HeadProps {
  name: string;
  label: string;
  look: Look;
  right?: boolean;
  /** Absent for a column that nothing is sorted by. */
  onSort?: (field: string) => void;
}

function Head({ name, label, look, right = false, onSort }: HeadProps) {
  return (
    <TableCell align={right ? "right" : "left"} sx={{ whiteSpace: "nowrap" }}>
      {onSort ? (
        <TableSortLabel
          active={look.sort === name}
          direction={look.descending ? "desc" : "asc"}
          onClick={() => onSort(name)}
        >
          {label}
        </TableSortLabel>
      ) : (
        label
      )}
    </TableCell>
  );
}

function Thumb({ address }: { address: string | undefined }) {
  if (!address) return <Box sx={{ width: 24, height: 24, bgcolor: "paper2.arriving", borderRadius: 0.5 }} />;
  return (
    <img
      src={address}
      width={24}
      height={24}
      alt=""
      loading="lazy"
      draggable={false}
      style={{ borderRadius: 3, display: "block" }}
    />
  );
}
