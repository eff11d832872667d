/** What two crosswalks make of one delivery, as it is asked of the server. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";

export type ContrastView = Schemas["ContrastView"];
export type ContrastLine = Schemas["ContrastLine"];
export type ContrastAsked = Schemas["ContrastAsked"];
export type Difference = Schemas["Difference"];

const key = (id: number | undefined) => ["contrast", id] as const;

/** Whether a worker is at it. */
export const isOpen = (one: ContrastView) => one.status === "queued" || one.status === "working";

/** In what they differ; asked again while a worker is at it. */
export function useContrast(id: number | undefined) {
  return useQuery({
    queryKey: key(id),
    enabled: id !== undefined,
    refetchInterval: (query) => (query.state.data && isOpen(query.state.data) ? 400 : false),
    queryFn: () =>
      take(api.GET("/api/v1/contrasts/{contrast_id}", { params: { path: { contrast_id: id ?? 0 } } })),
  });
}

export interface LinesAsked {
  /** The number of a difference; null for all lines. */
  about: number | null;
  search: string;
  page: number;
}

export const LINES_PAGE = 100;

/** A page of the lines in which they differ, the worst first. */
export function useContrastLines(one: ContrastView, { about, search, page }: LinesAsked) {
  return useQuery({
    queryKey: [...key(one.id), "lines", about, search, page],
    enabled: one.status === "ready",
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/contrasts/{contrast_id}/lines", {
          params: {
            path: { contrast_id: one.id },
            query: {
              search,
              worst: true,
              offset: page * LINES_PAGE,
              limit: LINES_PAGE,
              ...(about !== null && { about }),
            },
          },
        }),
      ),
  });
}

/** Asks what two sides make of a delivery. */
export function useAskContrast(feed: number, delivery: number | null | undefined) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: ContrastAsked) =>
      take(
        api.POST("/api/v1/feeds/{feed_id}/contrasts", {
          params: { path: { feed_id: feed }, query: delivery ? { delivery_id: delivery } : {} },
          body,
        }),
      ),
    onSuccess: (made) => queries.setQueryData(key(made.id), made),
  });
}

/** Has the worker let it be. */
export function useStopContrast(id: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () =>
      take(api.POST("/api/v1/contrasts/{contrast_id}/stop", { params: { path: { contrast_id: id } } })),
    onSuccess: (now) => queries.setQueryData(key(id), now),
  });
}
