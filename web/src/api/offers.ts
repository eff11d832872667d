/** Whose values hold where several feeds offer one product. */
import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";

export type Sources = Required<Schemas["Sources"]>;
export type SourceFeed = Schemas["SourceFeed"];
export type ProductOffers = Schemas["ProductOffers"];

/** What the store says of it, with the feeds that it can name. */
export function useSources(store: number) {
  return useQuery({
    queryKey: ["sources", store],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/sources", { params: { path: { store_id: store } } })),
  });
}

/** Says it from now on. */
export const putSources = (store: number, body: Sources) =>
  take(api.PUT("/api/v1/stores/{store_id}/sources", { params: { path: { store_id: store } }, body }));

/** What every feed says of a product. */
export function useOffers(store: number, key: string) {
  return useQuery({
    queryKey: ["catalog", store, "offers", key],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/offers/{key}", { params: { path: { store_id: store, key } } })),
  });
}
