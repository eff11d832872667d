/** What people are told of feeds, and who is told outward. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { NOW_AND_THEN } from "./hooks";

export type MessageLine = Schemas["MessageLine"];
export type MessageList = Schemas["MessageList"];
export type Told = Schemas["Told"];
export type ToldView = Schemas["ToldView"];

const of = (store: number) => ({ params: { path: { store_id: store } } });

/** The newest messages of a store; asked for now and then. */
export function useMessages(store: number) {
  return useQuery({
    queryKey: ["messages", store],
    enabled: store > 0,
    refetchInterval: NOW_AND_THEN,
    queryFn: () => take(api.GET("/api/v1/stores/{store_id}/messages", of(store))),
  });
}

/** Marks some as seen, or all. */
export function useSeen(store: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (ids: number[] | null) =>
      take(api.POST("/api/v1/stores/{store_id}/messages/seen", { ...of(store), body: { ids } })),
    onSuccess: (now) => queries.setQueryData(["messages", store], now),
  });
}

/** Who is told outward. */
export function useTold(store: number) {
  return useQuery({
    queryKey: ["told", store],
    queryFn: () => take(api.GET("/api/v1/stores/{store_id}/told", of(store))),
  });
}

/** Says who is told. */
export function useSetTold(store: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Told) => take(api.PUT("/api/v1/stores/{store_id}/told", { ...of(store), body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["told", store] }),
  });
}

/** Sends everybody a message that says that it works. */
export function useTryTold(store: number) {
  return useMutation({
    mutationFn: () => take(api.POST("/api/v1/stores/{store_id}/told/try", of(store))),
  });
}
