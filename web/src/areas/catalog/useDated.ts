/** Values that wait for their day. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";

/** Values that are shown at a time. */
export const DATED_PAGE = 20;

/** A page of what waits in a store. */
export function useDated(store: number, page: number) {
  const query = { offset: page * DATED_PAGE, limit: DATED_PAGE };
  return useQuery({
    queryKey: ["catalog", store, "dated", page],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/dated", { params: { path: { store_id: store }, query } })),
  });
}

/** One does not wait any more. */
export function useTakeBack(store: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (id: number) =>
      take(
        api.DELETE("/api/v1/stores/{store_id}/dated/{value_id}", {
          params: { path: { store_id: store, value_id: id } },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["catalog", store] }),
  });
}
