/** The guards of a feed. */
import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { feedKey } from "./hooks";

export type Guard = Schemas["Guard"];
export type GuardSort = Schemas["GuardSort"];
export type Tried = Schemas["Tried"];

const path = (feed: number) => ({ feed_id: feed });

/** The guards of a feed, with what each kind of them holds. */
export function useGuards(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "guards"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/guards", { params: { path: path(feed) } })),
  });
}

/** Sets them; gives them as they are then. */
export const putGuards = (feed: number, guards: Guard[]) =>
  take(api.PUT("/api/v1/feeds/{feed_id}/guards", { params: { path: path(feed) }, body: { guards } }));

/** What such guards would have seen in the last deliveries. */
export const tryGuards = (feed: number, guards: Guard[]) =>
  take(api.POST("/api/v1/feeds/{feed_id}/guards/tried", { params: { path: path(feed) }, body: { guards } }));
