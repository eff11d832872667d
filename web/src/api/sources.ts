/** Where a feed's deliveries come from, and each look there. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { NOW_AND_THEN, feedKey } from "./hooks";

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

/** Has a feed come from a web address from now on, and fetched from there. */
export const fetchFrom = async (feed: number, address: string) => {
  const source: Source = { kind: "web", addresses: [address] };
  await take(api.PUT("/api/v1/feeds/{feed_id}/source", { ...of(feed), body: { source } }));
  return take(api.POST("/api/v1/feeds/{feed_id}/fetches", of(feed)));
};

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
    refetchInterval: (query) =>
      query.state.data?.fetches.some((f) => isFetching(f.status)) ? 700 : NOW_AND_THEN,
  });
}

/** Has a worker look now, and take all that the feed fills, or a scope of it. */
export const useFetchNow = (feed: number) =>
  useSourceEdit(feed, (scope: string) =>
    take(
      api.POST("/api/v1/feeds/{feed_id}/fetches", { params: { path: { feed_id: feed }, query: { scope } } }),
    ),
  );

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

export type FeedSchedules = Schemas["FeedSchedules"];
export type ScheduleLine = Schemas["ScheduleLine"];
export type ScheduleEdit = Schemas["ScheduleEdit"];

/** When a feed is fetched by itself, and what becomes of what comes. */
export function useSchedules(feed: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "schedules"],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/schedules", of(feed))),
  });
}

/** An edit that answers with how it then is. */
function useSchedulesEdit<A>(feed: number, work: (argument: A) => Promise<FeedSchedules>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: work,
    onSuccess: (now) => queries.setQueryData([...feedKey(feed), "schedules"], now),
  });
}

/** Adds a time at which it is fetched. */
export const useAddSchedule = (feed: number) =>
  useSchedulesEdit(feed, (body: ScheduleEdit) =>
    take(api.POST("/api/v1/feeds/{feed_id}/schedules", { ...of(feed), body })),
  );

/** Changes or pauses one. */
export const useSetSchedule = (feed: number) =>
  useSchedulesEdit(feed, ({ id, body }: { id: number; body: ScheduleEdit }) =>
    take(api.PUT("/api/v1/schedules/{schedule_id}", { params: { path: { schedule_id: id } }, body })),
  );

/** Takes one away. */
export const useDropSchedule = (feed: number) =>
  useSchedulesEdit(feed, (id: number) =>
    take(api.DELETE("/api/v1/schedules/{schedule_id}", { params: { path: { schedule_id: id } } })),
  );

/** Says what becomes of a delivery that comes by itself. */
export const useSetMay = (feed: number) =>
  useSchedulesEdit(feed, (may: FeedSchedules["may"]) =>
    take(api.PUT("/api/v1/feeds/{feed_id}/may", { ...of(feed), body: { may } })),
  );

export type FeedScopes = Schemas["FeedScopes"];
export type Scope = Schemas["Scope"];

const scopesKey = (feed: number) => [...feedKey(feed), "scopes"];

/** Fields under names that a feed may be run by. */
export function useScopes(feed: number) {
  return useQuery({
    queryKey: scopesKey(feed),
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/scopes", of(feed))),
  });
}

/** Sets them all. */
export function useSetScopes(feed: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (scopes: Scope[]) =>
      take(api.PUT("/api/v1/feeds/{feed_id}/scopes", { ...of(feed), body: { scopes } })),
    onSuccess: (now) => queries.setQueryData(scopesKey(feed), now),
  });
}

/** When a cron expression comes; asked while it is typed. */
export function useTimes({ expression, zone }: ScheduleEdit) {
  return useQuery({
    queryKey: ["times", expression, zone],
    retry: false,
    queryFn: ({ signal }) =>
      take(api.POST("/api/v1/schedules/times", { body: { expression, zone: zone ?? "UTC" }, signal })),
  });
}

export type FeedProfile = Schemas["FeedProfile"];

/** A feed as a document. */
export async function profileOf(feed: number): Promise<FeedProfile> {
  const answer = await fetch(`/api/v1/feeds/${feed}/profile.json`);
  if (!answer.ok) throw new Error(`The profile could not be had: ${answer.status}.`);
  return (await answer.json()) as FeedProfile;
}

/** Makes a feed as a document says. */
export function useFromProfile(store: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: FeedProfile) =>
      take(
        api.POST("/api/v1/stores/{store_id}/feeds/from-profile", {
          params: { path: { store_id: store } },
          body,
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["arrivals"] }),
  });
}

/** Says after how many days without anything new people are told; null for never. */
export function useSetQuiet(feed: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (days: number | null) =>
      take(api.PUT("/api/v1/feeds/{feed_id}/quiet", { ...of(feed), body: { days } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: [...feedKey(feed), "schedules"] }),
  });
}
