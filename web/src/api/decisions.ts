/** Store words and store categories that a person chose for what arrives. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";
import { feedKey, freshen } from "./hooks";

/** Store words by arriving word; null takes an answer back. */
export type Words = Record<string, string | null>;

/** Keeps store words by arriving word; `accepted` are suggestions that are taken together. */
export const putWords = (feed: number, table: string, words: Words, accepted = false) =>
  take(
    api.PUT("/api/v1/feeds/{feed_id}/values", {
      params: { path: { feed_id: feed } },
      body: { table, words, accepted },
    }),
  );

/** Placements of arriving paths, and the categories that are made for them or go with them. */
export type PlaceEdit = Omit<Schemas["PlaceEdit"], "table">;

/** Places arriving paths; answers with the store categories that were made for that. */
export const putPlaces = (feed: number, table: string, edit: PlaceEdit) =>
  take(
    api.PUT("/api/v1/feeds/{feed_id}/categories", {
      params: { path: { feed_id: feed } },
      body: { table, ...edit },
    }),
  );

/** What was taken together and is looked at now, its answer by its subject; or is not, `back`. */
export const putSeen = (feed: number, seen: Record<string, string>, back = false) =>
  take(
    api.PUT("/api/v1/feeds/{feed_id}/seen", {
      params: { path: { feed_id: feed } },
      body: { seen, back },
    }),
  );

/** Answers, and whether they are suggestions that are taken together. */
export interface Answers {
  words: Words;
  accepted?: boolean;
}

/**
 * Answers to arriving words. They show at once, so that the next word can be answered while the
 * last is being kept; what the server says follows when none is under way.
 */
export function useWordsEdit(feed: number, table: string) {
  const queries = useQueryClient();
  const mutationKey = ["words", feed];
  const queryKey = [...feedKey(feed), "values"];
  return useMutation({
    mutationKey,
    mutationFn: ({ words, accepted }: Answers) => putWords(feed, table, words, accepted),
    onMutate: async ({ words, accepted = false }) => {
      await queries.cancelQueries({ queryKey });
      queries.setQueriesData<Schemas["ValueTables"]>(
        { queryKey },
        (shown) =>
          shown && {
            ...shown,
            tables: shown.tables.map((t) => (t.table === table ? answered(t, words, accepted) : t)),
          },
      );
    },
    onSettled: () => (queries.isMutating({ mutationKey }) === 1 ? freshen(queries, feed) : undefined),
  });
}

const answered = (table: Schemas["ValueTableView"], words: Words, accepted: boolean) => ({
  ...table,
  words: table.words.map((w) => (w.arriving in words ? { ...w, word: words[w.arriving]!, accepted } : w)),
});
