/** Which products rows are about, and what is decided of a supplier's articles. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, sendFile, take, type Schemas } from "./client";
import { feedKey } from "./hooks";

export type MatchingView = Schemas["MatchingView"];
export type MatchedRow = Schemas["MatchedRow"];
export type Way = Schemas["Way"];
export type Group = MatchedRow["group"] | "all" | "together";
export type ArticleDecision = Schemas["ArticleDecision"];

/** Rows that are shown at a time. */
export const PAGE = 50;

const path = (feed: number) => ({ feed_id: feed });

/** How many rows find what, by the draft. */
export function useMatching(feed: number, delivery: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "matching", delivery],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/feeds/{feed_id}/matching", {
          params: { path: path(feed), query: { delivery_id: delivery } },
        }),
      ),
  });
}

/** Ways in which the rows would find products. */
export function useProposedWays(feed: number, delivery: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "matching-ways", delivery],
    staleTime: 60_000,
    queryFn: () =>
      take(
        api.GET("/api/v1/feeds/{feed_id}/matching/ways", {
          params: { path: path(feed), query: { delivery_id: delivery } },
        }),
      ),
  });
}

/** What ways would find, each by itself. */
export function useTriedWays(feed: number, delivery: number, ways: Way[]) {
  return useQuery({
    queryKey: [...feedKey(feed), "tried-ways", delivery, ways],
    enabled: ways.length > 0,
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.POST("/api/v1/feeds/{feed_id}/matching/ways", {
          params: { path: path(feed), query: { delivery_id: delivery } },
          body: { ways },
        }),
      ),
  });
}

/** A page of the rows of a group. */
export function useMatchedRows(feed: number, delivery: number, group: Group, search: string, offset: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "matched-rows", delivery, group, search, offset],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      take(
        api.GET("/api/v1/feeds/{feed_id}/matching/rows", {
          params: {
            path: path(feed),
            query: { delivery_id: delivery, group, search, offset, limit: PAGE },
          },
          signal,
        }),
      ),
  });
}

/** What is decided of the supplier's articles. */
export function usePairings(feed: number, search: string, offset: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "pairings", search, offset],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/feeds/{feed_id}/pairings", {
          params: { path: path(feed), query: { search, offset, limit: PAGE } },
        }),
      ),
  });
}

/** Decides about articles; gives what was decided before, so that it can be put back. */
export const putPairings = (feed: number, decisions: ArticleDecision[]) =>
  take(api.PUT("/api/v1/feeds/{feed_id}/pairings", { params: { path: path(feed) }, body: { decisions } }));

/** Takes decisions from a CSV file; gives what was decided before. */
export const sendPairings = (feed: number, file: File) =>
  sendFile<Schemas["DecidedBefore"]>(`/api/v1/feeds/${feed}/pairings.csv`, { file }, () => undefined);
