/** Where a feed's deliveries come from, and each look there. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { feedKey } from "./hooks";

export type FeedSource = Schemas["FeedSource"];
export type Source = NonNullable<FeedSource["source"]>;
export type SourceEdit = Schemas["SourceEdit"];
export type SecretName = FeedSource["kept"][number];
export type Tried = Schemas["SourceTried"];
export type FetchLine = Schemas["FetchLine"];

const of = (feed: number) => ({ params: { path: { feed_id: feed } } });

/** Where the deliveries of a feed come from. */
export function useSource(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "source"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/source", of(feed))),
  });
}

/** Something done to where a feed's deliveries come from; what hangs on it is fresh afterwards. */
function useSourceEdit<A, T>(feed: number, work: (argument: A) => Promise<T>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: work,
    onSettled: () =>
      Promise.all(
        [[...feedKey(feed), "source"], [...feedKey(feed), "fetches"], ["arrivals"]].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

/** Sets where the deliveries come from. */
export const useSetSource = (feed: number) =>
  useSourceEdit(feed, (body: SourceEdit) =>
    take(api.PUT("/api/v1/feeds/{feed_id}/source", { ...of(feed), body })),
  );

/** Looks at a source without keeping it; ``stop`` ends the waiting. */
export function useTry(feed: number) {
  return useMutation({
    mutationFn: ({ edit, signal }: { edit: SourceEdit; signal: AbortSignal }) =>
      take(api.POST("/api/v1/feeds/{feed_id}/source/try", { ...of(feed), body: edit, signal })),
  });
}

const UNDER_WAY = ["queued", "fetching"];
/** Whether a worker has still to end a fetch. */
export const isFetching = (status?: string) => UNDER_WAY.includes(status ?? "");

/** The last looks; asked again while one is under way. */
export function useFetches(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "fetches"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/fetches", of(feed))),
    refetchInterval: (query) => (query.state.data?.fetches.some((f) => isFetching(f.status)) ? 700 : false),
  });
}

/** Has a worker look now. */
export const useFetchNow = (feed: number) =>
  useSourceEdit(feed, () => take(api.POST("/api/v1/feeds/{feed_id}/fetches", of(feed))));

/** Stops one. */
export const useStopFetch = (feed: number) =>
  useSourceEdit(feed, (fetch: number) =>
    take(api.POST("/api/v1/fetches/{fetch_id}/stop", { params: { path: { fetch_id: fetch } } })),
  );

/** Makes a token for the supplier, in place of the one before. */
export const useMakeToken = (feed: number) =>
  useSourceEdit(feed, () => take(api.POST("/api/v1/feeds/{feed_id}/token", of(feed))));

/** Takes the token back. */
export const useDropToken = (feed: number) =>
  useSourceEdit(feed, () => take(api.DELETE("/api/v1/feeds/{feed_id}/token", of(feed))));
