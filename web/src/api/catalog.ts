/** The store's products: those that are shown, their cells, saved views, what they lack. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "./client";

export type ProductLine = Schemas["ProductLine"];
export type Condition = Schemas["Condition"];
export type RowEdit = Schemas["RowEdit"];
export type SavedView = Schemas["ViewLine"];
export type Completeness = Schemas["Completeness"];

/** The products that are shown, and how. */
export interface Look {
  category: string;
  search: string;
  state: string;
  where: Condition[];
  /** Names of the columns in their order; those of itself where it is empty. */
  columns: string[];
  sort: string;
  descending: boolean;
}

/** Products on a page of the sheet. */
export const PAGE = 100;
/** Products that are asked for at a time. */
const MOST = 500;

const asked = ({ category, search, state, where }: Look) => ({
  category,
  search,
  state,
  ...(where.length && { where: JSON.stringify(where) }),
});

const pathOf = (store: number) => ({ store_id: store });

async function fetchProducts(store: number, look: Look, offset: number, limit: number) {
  const query = { ...asked(look), sort: look.sort, descending: look.descending, offset, limit };
  return take(api.GET("/api/v1/stores/{store_id}/products", { params: { path: pathOf(store), query } }));
}

/** A page of the products. */
export function useProducts(store: number, look: Look, page: number) {
  return useQuery({
    queryKey: ["catalog", store, asked(look), look.sort, look.descending, page],
    placeholderData: keepPreviousData,
    queryFn: () => fetchProducts(store, look, page * PAGE, PAGE),
  });
}

/** So many products from one on, in the order of the sheet. */
export async function productsFrom(store: number, look: Look, offset: number, n: number) {
  const found: ProductLine[] = [];
  while (found.length < n) {
    const page = await fetchProducts(store, look, offset + found.length, Math.min(MOST, n - found.length));
    found.push(...page.products);
    if (!page.products.length) break;
  }
  return found;
}

/** Writes cells; gives those that were not taken. */
export const writeCells = (store: number, rows: RowEdit[], keep: boolean) =>
  take(
    api.PATCH("/api/v1/stores/{store_id}/products", {
      params: { path: pathOf(store) },
      body: { rows, keep },
    }),
  );

/** What the products that are shown lack. */
export function useCompleteness(store: number, look: Look) {
  return useQuery({
    queryKey: ["catalog", store, "completeness", asked(look)],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/completeness", {
          params: { path: pathOf(store), query: asked(look) },
        }),
      ),
  });
}

/** What is wrong with the products that are shown. */
export function useProblems(store: number, look: Look, enabled: boolean) {
  return useQuery({
    queryKey: ["catalog", store, "problems", asked(look)],
    enabled,
    refetchInterval: (query) => (query.state.data?.looking ? 1500 : false),
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/problems", {
          params: { path: pathOf(store), query: asked(look) },
        }),
      ),
  });
}

/** What is wrong with one product. */
export function useProductProblems(store: number, product: string) {
  return useQuery({
    queryKey: ["catalog", store, "problems of", product],
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/products/{key}/problems", {
          params: { path: { ...pathOf(store), key: product } },
        }),
      ),
  });
}

/** Says what products need; null for what is so of itself. */
export const putNeeds = (store: number, fields: string[] | null) =>
  take(
    api.PUT("/api/v1/stores/{store_id}/needs", {
      params: { path: pathOf(store) },
      body: { needs: fields && { fields } },
    }),
  );

/** The saved views, each with its number of products. */
export function useViews(store: number) {
  return useQuery({
    queryKey: ["catalog", store, "views"],
    queryFn: () => take(api.GET("/api/v1/stores/{store_id}/views", { params: { path: pathOf(store) } })),
  });
}

const viewEdit = (name: string, look: Look): Schemas["ViewEdit"] => {
  const { columns, sort, descending, ...shown } = look;
  return { name, look: { shown, columns, sort, descending } };
};

/** Keeps a view, in the place of another where its number is given. */
export async function putView(store: number, name: string, look: Look, id?: number): Promise<unknown> {
  const body = viewEdit(name, look);
  if (id === undefined)
    return take(api.POST("/api/v1/stores/{store_id}/views", { params: { path: pathOf(store) }, body }));
  const path = { store_id: store, view_id: id };
  return take(api.PUT("/api/v1/stores/{store_id}/views/{view_id}", { params: { path }, body }));
}

/** A view is kept no more. */
export const dropView = (store: number, view: number) =>
  take(
    api.DELETE("/api/v1/stores/{store_id}/views/{view_id}", {
      params: { path: { store_id: store, view_id: view } },
    }),
  );

/** A saved view as a look. */
export function lookOf({ look }: SavedView): Look {
  const shown = look.shown ?? {};
  return {
    category: shown.category ?? "",
    search: shown.search ?? "",
    state: shown.state ?? "",
    where: shown.where ?? [],
    columns: look.columns ?? [],
    sort: look.sort ?? "key",
    descending: look.descending ?? false,
  };
}
