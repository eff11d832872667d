/** What each screen asks of the server. Keys begin with the feed, so one edit refreshes it all. */
import {
  keepPreviousData,
  useMutation,
  useQuery,
  queryOptions,
  useQueryClient,
  type QueryClient,
} from "@tanstack/react-query";
import { watching } from "../shell/watching";
import { api, take, type Schemas } from "./client";

export type BenchState = Schemas["BenchState"];
export type FieldState = Schemas["FieldState"];
export type StoreField = Schemas["StoreField"];
export type Crosswalk = Schemas["Crosswalk"];
export type Fill = Schemas["Fill"];
export type Identity = Schemas["Identity"];
export type Step = NonNullable<Fill["steps"]>[number];
export type Part = Schemas["Part"];
export type Assumption = Schemas["Assumption"];
export type Suggestion = Schemas["Suggestion"];
export type Question = Schemas["Question"];
export type Window = Schemas["Window"];
export type Ladder = Schemas["Ladder"];
export type Rung = Schemas["Rung"];
export type DeliveryView = Schemas["DeliveryView"];
export type Reading = NonNullable<DeliveryView["reading"]>;
export type Change = NonNullable<Reading["reshape"]>[number];
export type Companion = Schemas["Companion"];
export type ReadingProblem = Schemas["ReadingProblem"];
export type ColumnProfile = Schemas["ColumnProfile"];
export type RunView = Schemas["RunView"];
export type FeedLine = Schemas["FeedLine"];
export type DeliveryLine = Schemas["DeliveryLine"];

/** What everything that hangs on a feed is kept under. */
export const feedKey = (feed: number) => ["feed", feed] as const;

const BUSY = ["queued", "preparing", "applying"];
/** How often, in milliseconds, it is asked whether something has come or begun by itself. */
export const NOW_AND_THEN = 10_000;
/** Whether a worker is at a run. */
export const isBusy = (status?: string | null) => BUSY.includes(status ?? "");

/** Every store of this installation, but for those removed. */
export function useStores() {
  return useQuery({ queryKey: ["stores"], queryFn: () => take(api.GET("/api/v1/stores")) });
}

/** The store's categories with their products and names. */
export function useStoreTree(store: number) {
  return useQuery({
    queryKey: ["catalog", store, "tree"],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/categories", { params: { path: { store_id: store } } })),
  });
}

/** The product schema of a store. */
export function useSchema(store: number) {
  return useQuery({
    queryKey: ["schema", store],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/schema", { params: { path: { store_id: store } } })),
  });
}

/** Every feed with its deliveries; asked again while a worker reads or runs one. */
export function useArrivals(store: number) {
  return useQuery({
    queryKey: ["arrivals", store],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/arrivals", { params: { path: { store_id: store } } })),
    refetchInterval: (query) =>
      query.state.data?.feeds.some(
        (f) =>
          f.questions === null ||
          ["queued", "fetching"].includes(f.fetch?.status ?? "") ||
          f.deliveries.some((d) => isBusy(d.run_status) || d.status === "reading"),
      )
        ? 700
        : NOW_AND_THEN,
  });
}

/** One delivery and how it was read; asked again while it is being read. */
export function useDelivery(id: number | undefined) {
  return useQuery({
    queryKey: ["delivery", id],
    enabled: id !== undefined,
    refetchInterval: (query) => (query.state.data?.status === "reading" ? 700 : false),
    queryFn: () =>
      take(
        api.GET("/api/v1/deliveries/{delivery_id}", {
          params: { path: { delivery_id: id ?? 0 } },
        }),
      ),
  });
}

/** The head of a file as it is; ``reading`` names what chooses another part of it. */
export function useRaw(id: number | undefined, part: string, reading: string) {
  return useQuery({
    queryKey: ["raw", id, part, reading],
    enabled: id !== undefined,
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/deliveries/{delivery_id}/raw", {
          params: { path: { delivery_id: id ?? 0 }, query: part ? { part } : {} },
        }),
      ),
  });
}

/** The head of the table that a reading would give; nothing is saved. */
export function usePreview(id: number, reading: Reading | null) {
  return useQuery({
    queryKey: ["preview", id, JSON.stringify(reading)],
    enabled: reading !== null,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.POST("/api/v1/deliveries/{delivery_id}/preview", {
          params: { path: { delivery_id: id } },
          body: { reading: reading as Reading },
        }),
      ),
  });
}

/** How a delivery, or one file or sheet of it, would be read as detected. */
export function useDetection(id: number, part: string, enabled = true) {
  return useQuery({
    queryKey: ["detection", id, part],
    enabled,
    retry: false,
    queryFn: () =>
      take(
        api.GET("/api/v1/deliveries/{delivery_id}/detection", {
          params: { path: { delivery_id: id }, query: part ? { part } : {} },
        }),
      ),
  });
}

const of = (feed: number, delivery?: number) => ({
  path: { feed_id: feed },
  query: delivery ? { delivery_id: delivery } : {},
});

/** Fields, columns and suggestions of a feed over one delivery. */
export const getBench = (feed: number, delivery?: number) =>
  take(api.GET("/api/v1/feeds/{feed_id}/bench", { params: of(feed, delivery) }));

/** The bench as it was asked for last. */
export function useBench(feed: number, delivery?: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "bench", delivery ?? 0],
    queryFn: () => getBench(feed, delivery),
    placeholderData: keepPreviousData,
  });
}

/** What still needs a person, most products first. */
export function useQuestions(feed: number, delivery?: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "questions", delivery ?? 0],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/questions", { params: of(feed, delivery) })),
    placeholderData: keepPreviousData,
  });
}

/** One field opened on the row in hand; null asks for none. */
export function useField(feed: number, field: string | null, row: number, delivery?: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "field", field, row, delivery ?? 0],
    enabled: field !== null,
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/feeds/{feed_id}/fields/{field}", {
          params: {
            path: { feed_id: feed, field: field ?? "" },
            query: { row, ...(delivery ? { delivery_id: delivery } : {}) },
          },
        }),
      ),
  });
}

/** Every value table in use, with the words that arrive. */
export function useValues(feed: number, delivery?: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "values", delivery ?? 0],
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/values", { params: of(feed, delivery) })),
    placeholderData: keepPreviousData,
  });
}

/** The arriving trees beside the store's, one for each field that holds categories. */
export function useCategories(feed: number, delivery?: number) {
  return useQuery({
    queryKey: [...feedKey(feed), "categories", delivery ?? 0],
    retry: false,
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/categories", { params: of(feed, delivery) })),
    placeholderData: keepPreviousData,
    // More suggestions come while the background looks at what names mean.
    refetchInterval: (query) => (query.state.data?.views.some((v) => v.looking) ? 1500 : false),
  });
}

/** The ladder over the real products: the saved one, or one on trial. */
export function usePrices(feed: number, delivery: number | undefined, trial: Ladder | null, level: string) {
  const params = { ...of(feed, delivery), query: { ...of(feed, delivery).query, level } };
  return useQuery({
    queryKey: [...feedKey(feed), "prices", delivery ?? 0, trial, level],
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () =>
      trial
        ? take(
            api.POST("/api/v1/feeds/{feed_id}/prices/try", {
              params,
              body: { ladder: trial },
            }),
          )
        : take(api.GET("/api/v1/feeds/{feed_id}/prices", { params })),
  });
}

/** Everything of a feed is asked for again, and the arrivals when they are next looked at. */
export const freshen = (queries: QueryClient, feed: number) =>
  Promise.all([
    queries.invalidateQueries({ queryKey: feedKey(feed) }),
    queries.invalidateQueries({ queryKey: ["arrivals"], refetchType: "none" }),
  ]);

/** A change to anything the bench shows; afterwards everything of the feed is fresh. */
export function useFeedEdit<A, R>(feed: number, work: (argument: A) => Promise<R>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: work, onSettled: () => freshen(queries, feed) });
}

/**
 * Keeps an edit of the crosswalk that was made on a revision of it; the suggestions for `accepted`
 * fields are taken together.
 */
export const putDraft = (
  feed: number,
  crosswalk: Crosswalk,
  revision: number,
  delivery: number,
  accepted: string[] = [],
) =>
  take(
    api.PUT("/api/v1/feeds/{feed_id}/draft", {
      params: of(feed, delivery),
      body: { crosswalk, revision, accepted },
    }),
  );

/** The fill that a column makes for a field; for one that is filled, in place of its source. */
export const makeFill = (feed: number, field: string, column: string, delivery: number) =>
  take(
    api.GET("/api/v1/feeds/{feed_id}/fill", {
      params: { path: { feed_id: feed }, query: { field, column, delivery_id: delivery } },
    }),
  ).then((made) => made.fill);

/** A field's fill with the column that says from which day on it holds; "" for at once. */
export const makeDated = (feed: number, field: string, column: string, delivery: number) =>
  take(
    api.GET("/api/v1/feeds/{feed_id}/since", {
      params: { path: { feed_id: feed }, query: { field, column, delivery_id: delivery } },
    }),
  ).then((made) => made.fill);

/** A person's word for what fills take for granted. */
export const postAssumption = (feed: number, delivery: number, body: Schemas["Stated"]) =>
  take(api.POST("/api/v1/feeds/{feed_id}/assumptions", { params: of(feed, delivery), body }));

/** A run and its log; asked again while a worker is at it. */
export const useRun = (id: number) => useQuery(runQuery(id));

/** The question for a run. One that is at work is watched until it is seen how it ends. */
export const runQuery = (id: number) =>
  queryOptions({
    queryKey: ["run", id],
    queryFn: async () => {
      const run = await take(api.GET("/api/v1/runs/{run_id}", { params: { path: { run_id: id } } }));
      if (isBusy(run.status)) watching.watch(id);
      return run;
    },
    refetchInterval: (query) => (isBusy(query.state.data?.status) ? 400 : false),
  });

/** The snapshots of a store, asked for again while one is being taken. */
export function useSnapshots(store: number) {
  return useQuery({
    queryKey: ["snapshots", store],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/snapshots", { params: { path: { store_id: store } } })),
    refetchInterval: (query) =>
      query.state.data?.snapshots.some((s) => s.status === "queued") ? 700 : false,
  });
}

/** Every function of the formula language. */
export function useFunctions() {
  return useQuery({
    queryKey: ["functions"],
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/v1/formula/functions")),
  });
}

export interface BenchCell {
  feed: number;
  delivery: number;
  field: string;
  row: number;
}

/** Where a cell of the bench comes from; asked for when it is wanted. */
export function useBenchTrace(cell: BenchCell, wanted: boolean) {
  return useQuery({
    queryKey: [...feedKey(cell.feed), "trace", cell.delivery, cell.field, cell.row],
    enabled: wanted,
    queryFn: () =>
      take(
        api.GET("/api/v1/feeds/{feed_id}/trace", {
          params: {
            path: { feed_id: cell.feed },
            query: { field: cell.field, row: cell.row, delivery_id: cell.delivery },
          },
        }),
      ),
  });
}

/** Where a value of the catalog comes from. */
export function useCatalogTrace(store: number, key: string, field: string | null) {
  return useQuery({
    queryKey: ["trace", store, key, field],
    enabled: field !== null,
    retry: false,
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/trace", {
          params: { path: { store_id: store }, query: { key, field: field ?? "" } },
        }),
      ),
  });
}

/** Where a product's value in a changeset comes from. */
export function useRunTrace(run: number, key: string, field: string | null) {
  return useQuery({
    queryKey: ["review", run, "trace", key, field],
    enabled: field !== null,
    retry: false,
    queryFn: () =>
      take(
        api.GET("/api/v1/runs/{run_id}/trace", {
          params: { path: { run_id: run }, query: { key, field: field ?? "" } },
        }),
      ),
  });
}

/** The history of a feed's crosswalk. */
export function useVersions(feed: number, wanted: boolean) {
  return useQuery({
    queryKey: [...feedKey(feed), "versions"],
    enabled: wanted,
    queryFn: () => take(api.GET("/api/v1/feeds/{feed_id}/versions", { params: { path: { feed_id: feed } } })),
  });
}

/** Every saved look-up of a store, and who uses it. */
export function useLookups(store: number) {
  return useQuery({
    queryKey: ["lookups", store],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/lookups", { params: { path: { store_id: store } } })),
  });
}

/** Refuses a suggestion or puts a question off; ``back`` takes either back. */
export const putVerdict = (feed: number, body: Schemas["Verdicts"]) =>
  take(api.POST("/api/v1/feeds/{feed_id}/decisions", { params: { path: { feed_id: feed } }, body }));

/** The sign between the levels of the arriving paths. */
export const putSeparator = (feed: number, table: string, separator: string) =>
  take(
    api.PUT("/api/v1/feeds/{feed_id}/categories", {
      params: { path: { feed_id: feed } },
      body: { table, places: {}, separator },
    }),
  );

/** Where all goes that no placement covers; "" asks. */
export const putFallback = (feed: number, table: string, fallback: string) =>
  take(
    api.PUT("/api/v1/feeds/{feed_id}/categories", {
      params: { path: { feed_id: feed } },
      body: { table, places: {}, fallback },
    }),
  );
