/** Edits of the store itself: its fields, its tree, what is in sight. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";

export type FieldEdit = Schemas["FieldEdit"];
export type TreeEdit = Schemas["TreeEdit"];
export type Kind = Schemas["Removed"]["kind"];

/** An edit of the store; afterwards everything that hangs on it is fresh. */
export function useStoreEdit<A, T>(work: (argument: A) => Promise<T>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: work, onSettled: () => queries.invalidateQueries() });
}

const of = (store: number) => ({ path: { store_id: store } });

/** Changes, adds or retires a field. */
export const postField = (store: number, body: FieldEdit) =>
  take(api.POST("/api/v1/stores/{store_id}/schema/fields", { params: of(store), body }));

/** What an edit of a field would touch; asked while it is typed. */
export function useFieldTouch(store: number, edit: FieldEdit, wanted: boolean) {
  return useQuery({
    queryKey: ["schema", store, "touch", edit],
    enabled: wanted,
    retry: false,
    gcTime: 0,
    queryFn: ({ signal }) =>
      take(api.POST("/api/v1/stores/{store_id}/schema/touch", { params: of(store), body: edit, signal })),
  });
}

/** Makes an edit of the tree. */
export const postTree = (store: number, body: TreeEdit) =>
  take(api.POST("/api/v1/stores/{store_id}/categories/edits", { params: of(store), body }));

/** Takes an edit of the tree back. */
export const undoTree = (store: number, edit: number) =>
  take(
    api.POST("/api/v1/stores/{store_id}/categories/edits/{edit_id}/undo", {
      params: { path: { store_id: store, edit_id: edit } },
    }),
  );

/** What an edit of the tree would touch. */
export function useTreeTouch(store: number, edit: TreeEdit, wanted: boolean) {
  return useQuery({
    queryKey: ["catalog", store, "touch", edit],
    enabled: wanted,
    retry: false,
    gcTime: 0,
    queryFn: ({ signal }) =>
      take(api.POST("/api/v1/stores/{store_id}/categories/touch", { params: of(store), body: edit, signal })),
  });
}

const removable = (kind: Kind, key: number) => ({ params: { path: { kind, key } } });

/** What taking something out of sight would touch. */
export function useRemovalTouch(kind: Kind, key: number) {
  return useQuery({
    queryKey: ["removal", kind, key],
    gcTime: 0,
    queryFn: () => take(api.GET("/api/v1/removals/{kind}/{key}", removable(kind, key))),
  });
}

/** Takes something out of sight. */
export const remove = (kind: Kind, key: number) =>
  take(api.PUT("/api/v1/removals/{kind}/{key}", removable(kind, key)));

/** Puts it back in sight. */
export const bringBack = (kind: Kind, key: number) =>
  take(api.DELETE("/api/v1/removals/{kind}/{key}", removable(kind, key)));

/** Adds a word to the list of a field; gives what takes it out again. */
export async function addWord(store: number, field: string, word: string) {
  const params = { path: { store_id: store, field } };
  const made = await take(
    api.POST("/api/v1/stores/{store_id}/schema/fields/{field}/words", { params, body: { words: [word] } }),
  );
  const was = made.field;
  const allowed = (was.allowed ?? []).filter((one) => one !== word);
  return () => postField(store, { was, field: { ...was, allowed }, before: "" });
}
