/** Articles of a range, a line each, with the box that picks them. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TableSortLabel from "@mui/material/TableSortLabel";
import { Link } from "react-router";
import type { RangeRow, RangeView } from "../../api/range";
import { Mark, type ValueState } from "../../components/Mark";
import { useStoreId } from "../../shell/Shell";
import { fateInWords } from "./words";

const ONE_LINE = { maxWidth: 280, whiteSpace: "nowrap", overflow: "hidden", textOverflow: "ellipsis" };

interface ArticlesProps {
  view: RangeView;
  rows: RangeRow[];
  sort: string;
  descending: boolean;
  onSort: (sort: string) => void;
  onPick: (article: string, pick: boolean) => void;
  /** Only those are to be shown that say this value of a field. */
  onOnly: (field: string, value: string) => void;
}

/** A page of them. */
export function Articles({ view, rows, sort, descending, onSort, onPick, onOnly }: ArticlesProps) {
  const columns = [{ name: "article", label: "Article", numeric: false }, ...view.shown];
  return (
    <Box sx={{ flex: 1, minHeight: 0, overflow: "auto", borderTop: 1, borderColor: "divider" }}>
      <Table size="small" stickyHeader aria-label="Articles">
        <TableHead>
          <TableRow>
            <TableCell padding="checkbox" />
            {columns.map(({ name, label, numeric }) => (
              <TableCell key={name} align={numeric ? "right" : "left"}>
                <TableSortLabel
                  active={sort === name}
                  direction={sort === name && descending ? "desc" : "asc"}
                  onClick={() => onSort(name)}
                >
                  {label}
                </TableSortLabel>
              </TableCell>
            ))}
            <TableCell>In the store</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row, n) => (
            <Article key={`${row.row ?? "gone"} ${row.article ?? n}`} {...{ view, row, onPick, onOnly }} />
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

interface ArticleProps {
  view: RangeView;
  row: RangeRow;
  onPick: (article: string, pick: boolean) => void;
  onOnly: (field: string, value: string) => void;
}

function Article({ view, row, onPick, onOnly }: ArticleProps) {
  const store = useStoreId();
  const { article, key } = row;
  return (
    <TableRow hover>
      <TableCell padding="checkbox">
        <Checkbox
          size="small"
          checked={row.picked}
          disabled={article === null || row.by_rule || (row.status === "gone" && !row.picked)}
          title={why(row)}
          onChange={() => article !== null && onPick(article, !row.picked)}
          slotProps={{ input: { "aria-label": `Pick ${article ?? `row ${row.row}`}` } }}
        />
      </TableCell>
      <TableCell className="mono" sx={{ whiteSpace: "nowrap" }}>
        {article ?? <span className="quiet">row {row.row}</span>}
      </TableCell>
      {view.shown.map(({ name, label, numeric }) => (
        <TableCell
          key={name}
          {...(numeric ? { align: "right", className: "mono" } : { sx: ONE_LINE })}
          title={row.values[name] ?? ""}
        >
          {numeric || !row.values[name] ? (
            row.values[name]
          ) : (
            <button
              type="button"
              className="plain-button clip"
              style={{ maxWidth: "100%" }}
              title={`${row.values[name]}\nOnly those with this ${label}`}
              onClick={() => onOnly(name, row.values[name] ?? "")}
            >
              {row.values[name]}
            </button>
          )}
        </TableCell>
      ))}
      <TableCell sx={{ maxWidth: 260 }}>
        <Box sx={{ display: "flex", gap: 0.75, minWidth: 0 }} title={fateInWords(row, view)}>
          {row.in_store && key && (
            <Link className="mono" to={`/s/${store}/catalog/${encodeURIComponent(key)}`}>
              {key}
            </Link>
          )}
          {fateInWords(row, view) && (
            <>
              <Mark state={stateOf(row)} says={fateInWords(row, view)} />
              <span className="clip quiet">{fateInWords(row, view)}</span>
            </>
          )}
        </Box>
      </TableCell>
    </TableRow>
  );
}

function why(row: RangeRow): string {
  if (row.article === null) return "It has no number to be picked by";
  return row.by_rule ? "Picked by a rule, until that goes" : "";
}

function stateOf(row: RangeRow): ValueState {
  if (row.status === "gone") return "left";
  if (row.status === "rejected") return "refused";
  if (row.status === "held") return "question";
  return row.in_store ? "changed" : "computed";
}
