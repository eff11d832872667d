/** Rows of a changeset, fetched in pages and drawn as they come into view. */
import Box from "@mui/material/Box";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState, type KeyboardEvent, type MouseEvent } from "react";
import { useDebounce } from "use-debounce";
import { api, take } from "../../api/client";
import { isOpen, type Verdict } from "../../api/deciding";
import type { RunView } from "../../api/hooks";
import { Failure, Nothing, Waiting } from "../../components/states";
import { useTallScroll } from "../../components/useTallScroll";
import { count } from "../../components/words";
import type { Through } from "./Findings";
import { LineView, type Line } from "./LineView";
import { Selected } from "./Selected";
import { TakeAgain } from "./TakeAgain";
import { asked, type Shown } from "./shown";
import { useCursor } from "./useCursor";
import type { useDecide } from "./useDecide";
import { useSelection } from "./useSelection";

const ROW = 46;
const PAGE = 100;
/** So many lines are asked for at once at most. */
const WHOLE_PAGE = 400;

interface ChangeListProps {
  run: RunView;
  shown: Shown;
  /** The key of the product that is looked at. */
  product: string;
  /** Guards hold lines of the run. */
  guarded: boolean;
  onProduct: (key: string) => void;
  onThrough: (through: Through) => void;
  deciding: ReturnType<typeof useDecide>;
}

interface Page {
  total: number;
  rows: Line[];
  offset: number;
}

async function fetchPage(
  run: number,
  shown: Shown,
  offset: number,
  limit: number,
  signal?: AbortSignal,
): Promise<Page> {
  const query = { ...asked(shown), worst: shown.worst, offset, limit };
  const params = { path: { run_id: run }, query };
  const page = await take(api.GET("/api/v1/runs/{run_id}/rows", { params, ...(signal && { signal }) }));
  return { ...page, offset };
}

async function keysBetween(run: number, shown: Shown, first: number, last: number): Promise<string[]> {
  const found: string[] = [];
  for (let at = first; at <= last; at += WHOLE_PAGE) {
    const page = await fetchPage(run, shown, at, Math.min(WHOLE_PAGE, last - at + 1));
    found.push(...page.rows.flatMap((row) => (row.key && row.changes.length ? [row.key] : [])));
  }
  return found;
}

const SAID: Record<Verdict["verdict"], string> = {
  decline: "Declined",
  accept: "Accepted",
  release: "Let through",
  correct: "Corrected",
};

/** The rows of a changeset with one fate, of any number. */
export function ChangeList({
  run,
  shown,
  product,
  guarded,
  onProduct,
  onThrough,
  deciding,
}: ChangeListProps) {
  const { status, field } = shown;
  const [known, setKnown] = useState(0);
  const { box, size, height, first, shift, onScroll } = useTallScroll(known, ROW, () => 0);
  const [rested] = useDebounce(first, 60);
  const start = Math.floor(rested / PAGE) * PAGE;
  const page = useQuery<Page>({
    queryKey: ["review", run.id, shown, start],
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 30_000,
    queryFn: ({ signal }) => fetchPage(run.id, shown, start, PAGE * 2, signal),
  });
  const total = page.data?.total ?? 0;
  if (total !== known) setKnown(total);
  const selection = useSelection((from, to) => keysBetween(run.id, shown, from, to));
  const of = (keys: string[], verdict: Verdict["verdict"], what: string) => {
    if (verdict === "release") onThrough({ of: { keys }, what });
    else deciding.decide({ verdict, of: { keys }, field: "" }, `${SAID[verdict]} ${what}`);
  };
  const together = (verdict: Verdict["verdict"]) => {
    of(selection.keys, verdict, count(selection.keys.length, "line", "lines"));
    selection.clear();
  };
  const alone = (line: Line | undefined, verdict: "accept" | "decline") => {
    if (!line?.key || !isOpen(run) || !line.changes.length) return;
    if (verdict === "accept" && line.held) of([line.key], "release", `${line.key} ${line.title ?? ""}`);
    else of([line.key], verdict, line.key);
  };
  const visible = Math.max(0, Math.min(total - first, Math.ceil(size / ROW) + 1));
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
      if (event.shiftKey && isOpen(run) && next) {
        if (!selection.keys.length) selection.from(offset + Math.max(at, 0));
        void selection.reach(offset + to);
      }
      if (next?.key) cursor.go(next.key);
      const inSight = offset + to >= first && offset + to < first + visible - 1;
      if (!inSight) event.currentTarget.scrollTop += move * ROW;
    } else if (event.key === " " && isOpen(run) && rows[at]?.key) {
      selection.turn(rows[at].key);
      selection.from(offset + at);
    } else if (event.key === "Escape") selection.clear();
    else if (event.key === "d" || event.key === "a") {
      if (selection.keys.length) together(does[event.key]);
      else alone(rows[at], does[event.key]);
    } else return;
    event.preventDefault();
  };
  const byMouse = (event: MouseEvent, index: number, line: Line | undefined) => {
    if (!line?.key) return;
    if (isOpen(run) && event.shiftKey) {
      void selection.reach(index);
      return;
    }
    selection.from(index);
    if (isOpen(run) && (event.ctrlKey || event.metaKey)) selection.turn(line.key);
    else cursor.go(line.key);
  };
  const chosen = new Set(selection.keys);
  return (
    <>
      <Selected
        keys={selection.keys}
        tooMany={selection.tooMany}
        guarded={guarded}
        busy={deciding.busy}
        onDecide={together}
        onClear={selection.clear}
      />
      <Box
        ref={box}
        tabIndex={0}
        aria-label={`${total} ${status} rows`}
        aria-keyshortcuts="ArrowDown ArrowUp Shift+ArrowDown Shift+ArrowUp Space d a"
        onKeyDown={byKey}
        onScroll={onScroll}
        sx={{ flex: 1, minHeight: 0, overflowY: "auto", borderTop: 1, borderColor: "divider" }}
      >
        {page.isPending && <Waiting what="rows" />}
        {page.isError && <Failure error={page.error} retry={() => void page.refetch()} />}
        {page.isSuccess && !total && <Nothing title="No rows">Nothing fits this filter.</Nothing>}
        <div style={{ height: total ? height : 0 }}>
          <div role="list" style={{ position: "sticky", top: 0, height: size, overflow: "clip" }}>
            {Array.from({ length: visible }, (_, i) => first + i).map((index, i) => {
              const line = page.data?.rows[index - page.data.offset];
              const marked = line?.key ? chosen.has(line.key) : false;
              return (
                <Box
                  key={index}
                  onMouseDown={(event) => {
                    // A range of lines is chosen, not the text between two places.
                    if (event.shiftKey) event.preventDefault();
                  }}
                  onClick={(event) => byMouse(event, index, line)}
                  role="listitem"
                  aria-setsize={total}
                  aria-posinset={index + 1}
                  aria-current={marked || undefined}
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
                    bgcolor: marked || (line?.key && line.key === product) ? "action.selected" : undefined,
                    ...(marked && { boxShadow: "inset 3px 0 var(--mui-palette-primary-main)" }),
                  }}
                  style={{ top: i * ROW - shift }}
                >
                  {line ? (
                    <LineView
                      line={line}
                      field={field}
                      onDecide={isOpen(run) ? (decision) => alone(line, decision) : undefined}
                    >
                      {isOpen(run) && line.not_made && line.row !== null && (
                        <TakeAgain run={run} row={line.row} />
                      )}
                    </LineView>
                  ) : (
                    "…"
                  )}
                </Box>
              );
            })}
          </div>
        </div>
      </Box>
    </>
  );
}
