/** What is unusual in a delivery beside the ones before it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { feedKey, type Reading } from "./hooks";

export type DeliveryBeside = Schemas["DeliveryBeside"];
export type Unusual = Schemas["Unusual"];

/** What is unusual in a delivery. */
export function useUnusual(delivery: number | undefined) {
  return useQuery({
    queryKey: ["delivery", delivery, "unusual"],
    enabled: delivery !== undefined,
    queryFn: () =>
      take(
        api.GET("/api/v1/deliveries/{delivery_id}/unusual", {
          params: { path: { delivery_id: delivery ?? 0 } },
        }),
      ),
  });
}

/** A column as it is known, and the name it arrives under. */
export interface NewName {
  column: string;
  to: string;
}

function useReadAnew<T>(feed: number, delivery: number, send: (what: T) => Promise<unknown>) {
  const queries = useQueryClient();
  return useMutation({
    // Two choices made quickly are sent one after the other: the last one holds.
    scope: { id: `reading ${delivery}` },
    mutationFn: send,
    onSettled: () =>
      Promise.all(
        [["delivery", delivery], feedKey(feed), ["arrivals"]].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

/** Calls a column as everything saved does. */
export function useTakeName(feed: number, delivery: number) {
  return useReadAnew(feed, delivery, (body: NewName) =>
    take(
      api.POST("/api/v1/deliveries/{delivery_id}/names", {
        params: { path: { delivery_id: delivery } },
        body,
      }),
    ),
  );
}

/** Reads a delivery another way; the choice is saved on its feed. */
export function useReread(feed: number, delivery: number) {
  return useReadAnew(feed, delivery, (reading: Reading) =>
    take(
      api.PUT("/api/v1/deliveries/{delivery_id}/reading", {
        params: { path: { delivery_id: delivery } },
        body: { reading },
      }),
    ),
  );
}
