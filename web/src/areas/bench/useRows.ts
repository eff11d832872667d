/** The rows around the place in view, fetched in pages; what is not here yet is undefined. */
import { keepPreviousData, useQueries } from "@tanstack/react-query";
import { useDebounce } from "use-debounce";
import { api, take } from "../../api/client";
import { feedKey, type Window } from "../../api/hooks";

const PAGE = 100;
/** Scrolling must rest this long before rows are asked for. */
const REST = 60;
const NONE: string[] = [];

export interface RowsQuery {
  feed: number;
  delivery: number;
  only: string;
  search: string;
}

export interface Row {
  number: number;
  fault: string | null;
  arriving: (string | null)[];
  results: (string | null)[];
  marks: string;
}

export interface Rows {
  total: number;
  columns: string[];
  fields: string[];
  at: (index: number) => Row | undefined;
  error: unknown;
  pending: boolean;
}

/** The rows in view, fetched once the scrolling rests. */
export function useRows(query: RowsQuery, first: number, count: number): Rows {
  const [page] = useDebounce(Math.floor(first / PAGE), REST);
  const straddles = (first % PAGE) + count > PAGE;
  const pages = straddles ? [page, page + 1] : [page];
  const found = useQueries({
    queries: pages.map((p) => ({
      queryKey: [...feedKey(query.feed), "window", query.delivery, query.only, query.search, p],
      queryFn: ({ signal }: { signal: AbortSignal }) => fetchPage(query, p, signal),
      placeholderData: keepPreviousData,
      structuralSharing: false as const,
      staleTime: Infinity,
      gcTime: 30_000,
    })),
  });
  const loaded = found.map((f) => f.data);
  const head = loaded.find((d) => d !== undefined);
  const error = found.find((f) => f.error)?.error ?? null;
  return {
    total: head?.total ?? 0,
    columns: head?.columns ?? NONE,
    fields: head?.fields ?? NONE,
    at: (index) => rowAt(loaded, index),
    error,
    pending: head === undefined && error === null,
  };
}

function fetchPage(query: RowsQuery, page: number, signal: AbortSignal): Promise<Window> {
  return take(
    api.GET("/api/v1/feeds/{feed_id}/window", {
      params: {
        path: { feed_id: query.feed },
        query: {
          delivery_id: query.delivery,
          offset: page * PAGE,
          limit: PAGE,
          only: query.only,
          search: query.search,
        },
      },
      signal,
    }),
  );
}

function rowAt(pages: (Window | undefined)[], index: number): Row | undefined {
  for (const page of pages) {
    if (!page) continue;
    const i = index - page.offset;
    if (i < 0 || i >= page.rows.length) continue;
    return {
      number: page.rows[i] ?? 0,
      fault: page.faults[i] ?? null,
      arriving: page.arriving[i] ?? [],
      results: page.results[i] ?? [],
      marks: page.marks[i] ?? "",
    };
  }
  return undefined;
}
