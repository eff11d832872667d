/** What the files of a feed must look like. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { feedKey } from "./hooks";

export type FeedContract = Schemas["FeedContract"];
export type Contract = Schemas["Contract"];
export type ColumnTerms = Schemas["ColumnTerms"];
export type Breach = Schemas["Breach"];

const of = (feed: number) => ({ params: { path: { feed_id: feed } } });
const key = (feed: number) => [...feedKey(feed), "contract"];

/** The contract of a feed, and in what its newest delivery breaks it. */
export function useContract(feed: number) {
  return useQuery({
    queryKey: key(feed),
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/contract", of(feed))),
  });
}

/** Drafts one from the last deliveries; nothing is kept. */
export function useDraft(feed: number) {
  return useMutation({
    mutationFn: () => take(api.GET("/api/v1/feeds/{feed_id}/contract/draft", of(feed))),
  });
}

/** Keeps a contract, or takes it away. */
export function useSetContract(feed: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (contract: Contract | null) =>
      take(api.PUT("/api/v1/feeds/{feed_id}/contract", { ...of(feed), body: { contract } })),
    onSuccess: (now) => {
      queries.setQueryData(key(feed), now);
      // Not waited for: what is shown already can be taken back already.
      for (const queryKey of [["arrivals"], ["delivery", now.delivery_id ?? undefined, "unusual"]])
        void queries.invalidateQueries({ queryKey });
    },
  });
}
