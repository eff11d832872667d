/** Rows of a changeset, fetched in pages and drawn as they come into view. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState, type KeyboardEvent } from "react";
import { useDebounce } from "use-debounce";
import { api, take, type Schemas } from "../../api/client";
import { isOpen } from "../../api/deciding";
import type { RunView } from "../../api/hooks";
import { Mark, STATUS_STATE } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { useTallScroll } from "../../components/useTallScroll";
import { onDay, signed } from "../../components/words";
import type { Through } from "./Findings";
import { useCursor } from "./useCursor";
import type { useDecide } from "./useDecide";

const ROW = 46;
const PAGE = 100;

interface ChangeListProps {
  run: RunView;
  status: string;
  field: string;
  search: string;
  /** Only lines that are other than they were seen before. */
  again: boolean;
  /** Only lines that change something on a later day. */
  later: boolean;
  /** Only lines that this finding is about; "" for all. */
  guard: string;
  /** By how many percent the field moves; "" for no bound. */
  least: string;
  most: string;
  /** Those first of which the field moves most. */
  worst: boolean;
  /** The key of the product that is looked at. */
  product: string;
  onProduct: (key: string) => void;
  onThrough: (through: Through) => void;
  deciding: ReturnType<typeof useDecide>;
}

type Line = Schemas["ReviewRow"];

interface PageQuery {
  status: string;
  field: string;
  search: string;
  again: boolean;
  later: boolean;
  guard: string;
  least?: string;
  most?: string;
  worst: boolean;
  offset: number;
  limit: number;
}

interface Page {
  total: number;
  rows: Line[];
  offset: number;
}

async function fetchPage(run: number, query: PageQuery, signal: AbortSignal): Promise<Page> {
  const params = { path: { run_id: run }, query };
  const page = await take(api.GET("/api/v1/runs/{run_id}/rows", { params, signal }));
  return { ...page, offset: query.offset };
}

/** The rows of a changeset with one fate, of any number. */
export function ChangeList(props: ChangeListProps) {
  const { run, product, onProduct, onThrough, deciding, least, most, ...plain } = props;
  const asked = { ...plain, ...(least && { least }), ...(most && { most }) };
  const { status, field } = asked;
  const [known, setKnown] = useState(0);
  const { box, size, height, first, shift, onScroll } = useTallScroll(known, ROW, () => 0);
  const [rested] = useDebounce(first, 60);
  const start = Math.floor(rested / PAGE) * PAGE;
  const page = useQuery<Page>({
    queryKey: ["review", run.id, asked, start],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 30_000,
    queryFn: ({ signal }) => fetchPage(run.id, { ...asked, offset: start, limit: PAGE * 2 }, signal),
  });
  const total = page.data?.total ?? 0;
  if (total !== known) setKnown(total);
  const verdict = (line: Line | undefined, decision: "accept" | "decline") => {
    if (!line?.key || !isOpen(run) || !line.changes.length) return;
    if (decision === "accept" && line.held) {
      onThrough({ of: { keys: [line.key] }, what: `${line.key} ${line.title ?? ""}` });
      return;
    }
    const said = decision === "decline" ? "Declined" : "Accepted";
    deciding.decide({ verdict: decision, of: { keys: [line.key] }, field: "" }, `${said} ${line.key}`);
  };
  const shown = Math.max(0, Math.min(total - first, Math.ceil(size / ROW) + 1));
  const cursor = useCursor(product, onProduct);
  const byKey = (event: KeyboardEvent<HTMLElement>) => {
    const rows = page.data?.rows ?? [];
    const offset = page.data?.offset ?? 0;
    const here = cursor.here();
    const at = here ? rows.findIndex((row) => row.key === here) : -1;
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const does = { d: "decline", a: "accept" } as const;
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (move) {
      const to = at < 0 ? first - offset : at + move;
      const next = rows[to];
      if (next?.key) cursor.go(next.key);
      const inSight = offset + to >= first && offset + to < first + shown - 1;
      if (!inSight) event.currentTarget.scrollTop += move * ROW;
    } else if (event.key === "d" || event.key === "a") verdict(rows[at], does[event.key]);
    else return;
    event.preventDefault();
  };
  return (
    <Box
      ref={box}
      tabIndex={0}
      aria-label={`${total} ${status} rows`}
      aria-keyshortcuts="ArrowDown ArrowUp d a"
      onKeyDown={byKey}
      onScroll={onScroll}
      sx={{ flex: 1, minHeight: 0, overflowY: "auto", borderTop: 1, borderColor: "divider" }}
    >
      {page.isPending && <Waiting what="rows" />}
      {page.isError && <Failure error={page.error} retry={() => void page.refetch()} />}
      {page.isSuccess && !total && <Nothing title="No rows">Nothing fits this filter.</Nothing>}
      <div style={{ height: total ? height : 0 }}>
        <div role="list" style={{ position: "sticky", top: 0, height: size, overflow: "clip" }}>
          {Array.from({ length: shown }, (_, i) => first + i).map((index, i) => {
            const line = page.data?.rows[index - page.data.offset];
            return (
              <Box
                key={index}
                onClick={() => line?.key && cursor.go(line.key)}
                role="listitem"
                aria-setsize={total}
                aria-posinset={index + 1}
                sx={{
                  position: "absolute",
                  left: 0,
                  right: 0,
                  height: ROW,
                  px: 1.5,
                  py: 0.5,
                  borderBottom: 1,
                  borderColor: "paper2.line",
                  overflow: "hidden",
                  cursor: line?.key ? "pointer" : undefined,
                  bgcolor: line?.key && line.key === product ? "action.selected" : undefined,
                }}
                style={{ top: i * ROW - shift }}
              >
                {line ? (
                  <LineView
                    line={line}
                    field={field}
                    onProduct={cursor.go}
                    onDecide={isOpen(run) ? (decision) => verdict(line, decision) : undefined}
                  />
                ) : (
                  "…"
                )}
              </Box>
            );
          })}
        </div>
      </div>
    </Box>
  );
}

interface LineViewProps {
  line: Line;
  field: string;
  onProduct: (key: string) => void;
  onDecide: ((decision: "accept" | "decline") => void) | undefined;
}

function LineView({ line, field, onProduct, onDecide }: LineViewProps) {
  const declined = line.changes.filter((c) => c.declined).length;
  const whole = declined > 0 && declined === line.changes.length;
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", height: 19 }}>
        <Mark
          state={line.held ? "question" : (STATUS_STATE[line.status] ?? "computed")}
          says={line.held ? `${line.status}, held by a guard` : line.status}
        />
        {line.key ? (
          <button
            type="button"
            className="plain-button mono"
            style={{ fontWeight: 600 }}
            aria-label={`Changes of ${line.key}`}
            onClick={() => line.key && onProduct(line.key)}
          >
            {line.key}
          </button>
        ) : (
          <Typography className="mono" sx={{ fontWeight: 600 }}>
            no key
          </Typography>
        )}
        <Typography noWrap sx={{ flex: 1 }}>
          {line.title}
        </Typography>
        {(whole || line.held) && (
          <Typography variant="caption" color="textSecondary">
            {whole ? "declined" : "held"}
          </Typography>
        )}
        {onDecide && line.held && !whole && (
          <button
            type="button"
            className="plain-button quiet"
            style={{ fontSize: 12, color: "var(--mui-palette-text-secondary)" }}
            aria-label={`Let ${line.key} through`}
            onClick={(event) => {
              event.stopPropagation();
              onDecide("accept");
            }}
          >
            Let through
          </button>
        )}
        {onDecide && line.key && line.changes.length > 0 && (
          <button
            type="button"
            className="plain-button quiet"
            style={{ fontSize: 12, color: "var(--mui-palette-text-secondary)" }}
            aria-label={`${declined ? "Accept" : "Decline"} ${line.key}`}
            onClick={(event) => {
              event.stopPropagation();
              onDecide(declined ? "accept" : "decline");
            }}
          >
            {declined ? "Accept" : "Decline"}
          </button>
        )}
        <Typography variant="caption" color="textSecondary">
          {line.row ? `row ${line.row}` : ""}
        </Typography>
      </Box>
      <Box
        sx={{
          pl: 2.5,
          height: 19,
          overflow: "hidden",
          whiteSpace: "nowrap",
          textOverflow: "ellipsis",
          fontSize: 12,
          ...(whole && STRUCK),
        }}
      >
        {line.reason ? (
          <span
            style={{
              color:
                line.status === "rejected"
                  ? "var(--mui-palette-state-refused)"
                  : "var(--mui-palette-text-secondary)",
            }}
            title={line.reason}
          >
            {line.reason}
          </span>
        ) : (
          <Changes line={line} field={field} whole={whole} />
        )}
      </Box>
    </>
  );
}

const STRUCK = { textDecoration: "line-through", opacity: 0.6 };

interface ChangesProps {
  line: Line;
  field: string;
  /** Nothing of the line is written: it is struck as a whole. */
  whole: boolean;
}

/** The field asked about comes first; what is filled for the first time is only named. */
function Changes({ line, field, whole }: ChangesProps) {
  const isNew = line.status === "new";
  const sorted = [...line.changes].sort((a, b) => Number(b.field === field) - Number(a.field === field));
  const fresh = isNew ? [] : sorted.filter((c) => c.before === null && c.field !== field);
  const shown = isNew ? sorted.slice(0, 6) : sorted.filter((c) => !fresh.includes(c));
  return (
    <>
      {shown.map((c) => (
        <span
          key={c.field}
          style={{ marginRight: 14, ...(c.declined && !whole && STRUCK) }}
          title={`${c.label}: ${c.before ?? "nothing"} → ${c.after ?? "nothing"}`}
        >
          <span style={{ color: "var(--mui-palette-text-secondary)" }}>{c.label} </span>
          {!isNew && <span className="mono">{short(c.before)} → </span>}
          <b className="mono">{short(c.after)}</b>
          {c.day && <span className="quiet"> from {onDay(c.day)}</span>}
          {c.corrected && <span className="quiet"> by hand</span>}
          {c.percent && (
            <span style={{ color: "var(--mui-palette-state-changed)" }}> {signed(c.percent)}</span>
          )}
        </span>
      ))}
      {fresh.length > 0 && (
        <span
          style={{ color: "var(--mui-palette-text-secondary)" }}
          title={fresh.map((c) => `${c.label}: ${c.after}`).join("\n")}
        >
          {shown.length > 0 && "and "}
          {fresh.length} filled for the first time: {fresh.map((c) => c.label).join(", ")}
        </span>
      )}
    </>
  );
}

const short = (text: string | null | undefined) =>
  text === null || text === undefined ? "∅" : text.length > 26 ? `${text.slice(0, 25)}…` : text;
