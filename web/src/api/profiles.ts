/** What a feed is called, who may do what with it, its last runs, and what was changed of it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { NOW_AND_THEN, feedKey } from "./hooks";

export type FeedPeople = Schemas["FeedPeople"];
export type ChangeLine = Schemas["ChangeLine"];

const of = (feed: number) => ({ params: { path: { feed_id: feed } } });

/** What programs call a feed by. */
export function useCode(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "code"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/code", of(feed))),
  });
}

/** Sets it. */
export function useSetCode(feed: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (code: string) =>
      take(api.PUT("/api/v1/feeds/{feed_id}/code", { ...of(feed), body: { code } })),
    onSuccess: (now) => {
      queries.setQueryData([...feedKey(feed), "code"], now);
      void queries.invalidateQueries({ queryKey: [...feedKey(feed), "history"] });
    },
  });
}

/** Who may run a feed, and who may change it. */
export function usePeople(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "people"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/people", of(feed))),
  });
}

/** Sets it. */
export function useSetPeople(feed: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: FeedPeople) => take(api.PUT("/api/v1/feeds/{feed_id}/people", { ...of(feed), body })),
    onSuccess: (now) => {
      queries.setQueryData([...feedKey(feed), "people"], now);
      void queries.invalidateQueries({ queryKey: [...feedKey(feed), "history"] });
    },
  });
}

/** The last runs of a feed. */
export function useFeedRuns(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "runs"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/runs", of(feed))),
    refetchInterval: NOW_AND_THEN,
  });
}

/** What was changed of a feed, the newest first. */
export function useHistory(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "history"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/history", of(feed))),
    refetchInterval: NOW_AND_THEN,
  });
}
