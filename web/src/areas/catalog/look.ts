/** What of the catalog is looked at, as the address says, and what can be asked of products. */
import { useSearchParams } from "react-router";
import type { Condition, Look } from "../../api/catalog";
import type { StoreField } from "../../api/hooks";

/** The look in the address, and another page. */
export function useLook() {
  const [params, setParams] = useSearchParams();
  const look: Look = {
    category: params.get("category") ?? "",
    search: params.get("search") ?? "",
    state: params.get("state") ?? "",
    where: conditionsOf(params.get("where")),
    columns: (params.get("columns") ?? "").split(",").filter(Boolean),
    sort: params.get("sort") ?? "key",
    descending: params.get("down") === "1",
  };
  const page = Number(params.get("page") ?? 0) || 0;
  const write = (change: Partial<Look>, to = 0) => {
    const { category, search, state, where, columns, sort, descending } = { ...look, ...change };
    const said = {
      category,
      search,
      state,
      where: where.length ? JSON.stringify(where) : "",
      columns: columns.join(","),
      sort: sort === "key" ? "" : sort,
      down: descending ? "1" : "",
      page: to ? String(to) : "",
    };
    setParams(Object.fromEntries(Object.entries(said).filter(([, value]) => value)), { replace: true });
  };
  return { look, page, set: write, turn: (to: number) => write({}, to) };
}

function conditionsOf(text: string | null): Condition[] {
  try {
    const found: unknown = JSON.parse(text ?? "[]");
    return Array.isArray(found) ? (found as Condition[]) : [];
  } catch {
    return [];
  }
}

/** What is asked of a product beside its fields. */
export const BESIDE: Record<string, string> = {
  $missing: "What it needs",
  $problem: "Problems",
  $supplier: "Supplier",
  $margin: "Margin, % of the price",
  $kept: "Kept by hand",
  $changed: "Last changed",
  $run: "Written by run",
  $key: "SKU",
};

/** The tests that fit what is asked, each with its words. */
export function testsOf(name: string, field: StoreField | undefined): [Condition["test"], string][] {
  if (name === "$missing")
    return [
      ["filled", "is incomplete"],
      ["empty", "is complete"],
    ];
  if (name === "$problem")
    return [
      ["filled", "has some"],
      ["empty", "has none"],
      ["is", "in"],
    ];
  if (name === "$kept")
    return [
      ["filled", "is so in some field"],
      ["empty", "is so in no field"],
    ];
  if (name === "$run")
    return [
      ["is", "is"],
      ["is not", "is not"],
    ];
  if (name === "$key")
    return [
      ["any of", "is one of this list"],
      ["contains", "contains"],
    ];
  if (name === "$changed" || field?.kind === "date")
    return [
      ["least", "on or after"],
      ["most", "on or before"],
    ];
  const amounts: [Condition["test"], string][] = [
    ["least", "at least"],
    ["most", "at most"],
    ["is", "is"],
  ];
  if (name === "$margin") return amounts;
  const there: [Condition["test"], string][] = [
    ["empty", "is empty"],
    ["filled", "is filled"],
  ];
  const numeric = field && ["integer", "decimal", "money", "measure"].includes(field.kind ?? "");
  if (numeric) return [...amounts, ...there];
  return [["contains", "contains"], ["is", "is"], ["is not", "is not"], ["any of", "is one of"], ...there];
}

/** Whether a test needs a value. */
export const asks = (test: Condition["test"]) => test !== "empty" && test !== "filled";

/** Where a problem is: a field, or the row of the last delivery. */
export const placeOf = (name: string, fields: readonly StoreField[]) =>
  name === "$row" ? "its row in the last delivery" : fields.find((f) => f.name === name)?.title || name;

/** A condition in words. */
export function inWords(one: Condition, fields: readonly StoreField[]): string {
  const field = fields.find((f) => f.name === one.field);
  const label = BESIDE[one.field] ?? (field?.title || one.field);
  const said = testsOf(one.field, field).find(([test]) => test === one.test)?.[1] ?? one.test;
  const lines = (one.value ?? "").split("\n").filter((line) => line.trim());
  const value = lines.length > 1 ? `${lines.length.toLocaleString("en")} values` : (lines[0] ?? "");
  if (one.field === "$key" && one.test === "any of")
    return `${value || "no"} SKU${lines.length > 1 ? "s of a list" : ""}`;
  if (one.field === "$problem" && one.test === "is") return `Problems in ${placeOf(value, fields)}`;
  return [label, said, asks(one.test) ? value : ""].filter(Boolean).join(" ");
}

/** The columns of the sheet that nobody has chosen. */
export function usualColumns(fields: readonly StoreField[]): string[] {
  const role = (name: string) => fields.find((f) => f.role === name)?.name;
  const category = fields.find((f) => f.kind === "category")?.name;
  const own = [role("title"), category, role("cost"), role("price"), role("list_price"), role("stock")];
  const found = own.filter((name) => name !== undefined);
  return [...(found.length > 1 ? found : fields.slice(1, 7).map((f) => f.name)), "$supplier"];
}
