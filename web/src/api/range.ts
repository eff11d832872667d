/** A feed's range, and which of its articles are picked. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { feedKey } from "./hooks";

export type RangeView = Schemas["RangeView"];
export type RangeRow = Schemas["RangeRow"];
export type RangePage = Schemas["RangePage"];
export type PickRule = Schemas["PickRule"];
export type Shown = Required<Schemas["Shown"]>;
export type PickEdit = Schemas["PickEdit"];

/** Articles that are shown at a time. */
export const PAGE = 100;

const path = (feed: number) => ({ feed_id: feed });

/** What the range amounts to. */
export function useRange(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "range"],
    placeholderData: keepPreviousData,
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/range", { params: { path: path(feed) } })),
  });
}

/** A page of the articles that a filter shows. */
export function useArticles(feed: number, shown: Shown, sort: string, descending: boolean, page: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "range-articles", shown, sort, descending, page],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      take(
        api.GET("/api/v1/feeds/{feed_id}/range/articles", {
          params: {
            path: path(feed),
            query: { ...shown, sort, descending, offset: page * PAGE, limit: PAGE },
          },
          signal,
        }),
      ),
  });
}

/** Picks articles, or picks them no more. */
export const putPicks = (feed: number, edit: PickEdit) =>
  take(api.PUT("/api/v1/feeds/{feed_id}/picks", { params: { path: path(feed) }, body: edit }));

/** Says what goes on picking; gives what did before. */
export const putPickRules = (feed: number, rules: PickRule[]) =>
  take(api.PUT("/api/v1/feeds/{feed_id}/picking", { params: { path: path(feed) }, body: { rules } }));
