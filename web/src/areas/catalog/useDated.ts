/** Values that wait for their day. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api/client";

/** All that waits in a store. */
export function useDated(store: number) {
  return useQuery({
    queryKey: ["catalog", store, "dated"],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/dated", { params: { path: { store_id: store } } })),
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
