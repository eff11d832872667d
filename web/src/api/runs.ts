/** The runs of a store. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take } from "./client";
import { NOW_AND_THEN, isBusy } from "./hooks";
import type { paths } from "./schema.gen";

/** Which runs of a store are meant, and which page of them. */
export type RunsAsked = NonNullable<paths["/api/v1/stores/{store_id}/runs"]["get"]["parameters"]["query"]>;

/** The runs of a store that are asked for, the newest first. */
export function useRuns(store: number, asked: RunsAsked = {}) {
  return useQuery({
    queryKey: ["runs", store, asked],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/runs", { params: { path: { store_id: store }, query: asked } }),
      ),
    refetchInterval: (query) => (query.state.data?.runs.some((r) => isBusy(r.status)) ? 700 : NOW_AND_THEN),
  });
}
