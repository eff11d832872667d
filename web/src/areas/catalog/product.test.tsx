import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { field } from "../../test/samples";
import { crossingOf, optionsOf } from "./options";
import { Product } from "./Product";

const variant = (key: string, options: string) => ({ key, options, price: "8.95", stock: "4" });
const FIELDS = [
  field("sku", { role: "key", required: true }),
  field("price", { kind: "money", role: "price", currency: "EUR" }),
  field("stock", { kind: "integer", role: "stock" }),
];

/** One product, with what else is known of it. */
function server(more: Partial<Schemas["ProductDetail"]>) {
  const found: Schemas["ProductDetail"] = {
    product: {
      key: "R-1",
      title: "Kabel",
      category: "Kabels",
      supplier: "Aalders",
      state: "live",
      content: { sku: "R-1", price: "8.95", stock: "4" },
      kept: [],
      changed_at: "2027-01-05T10:00:00Z",
    },
    history: [],
    variants: [],
    dated: [],
    declined: [],
    coming: [],
    ...more,
  };
  return new FakeServer()
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Touw",
      product_schema: { name: "Touw", key: "sku", fields: FIELDS },
    }))
    .on("GET /api/v1/stores/1/offers/R-1", () => ({ offers: [], fields: [] }))
    .on("GET /api/v1/stores/1/products/R-1", () => found);
}

const open = () => draw(<Product />, "/s/1/catalog/R-1", "/s/:store/catalog/:key");

describe("the options of variants", () => {
  it("are read with whatever stands in them", () => {
    expect(optionsOf(variant("R", "Size: 3 | Note: a: b"))).toEqual({ Size: "3", Note: "a: b" });
    expect(optionsOf(variant("R", ""))).toEqual({});
  });

  it.each([
    ["two that tell all apart", ["L: 1 | C: red", "L: 1 | C: blue", "L: 2 | C: red"], true],
    ["one", ["L: 1", "L: 2"], false],
    ["three", ["L: 1 | C: red | T: a", "L: 2 | C: red | T: a"], false],
    ["two alike", ["L: 1 | C: red", "L: 1 | C: red", "L: 2 | C: blue"], false],
    ["two, of which one never varies", ["L: 1 | C: red", "L: 2 | C: red"], false],
    ["many of both", [...Array(14)].map((_, n) => `L: ${n % 7} | C: ${Math.floor(n / 7) + n}`), false],
  ])("cross each other: %s", (_, options, crosses) => {
    const found = crossingOf(options.map((one, n) => variant(`R-${n}`, one)));
    expect(found !== null).toBe(crosses);
  });
});

describe("a product", () => {
  it("shows its variants as a table by two options, and where each leads", async () => {
    const variants = [
      variant("R-1", "Lengte: 5 m | Kleur: rood"),
      variant("R-2", "Lengte: 10 m | Kleur: rood"),
      variant("R-3", "Lengte: 20 m | Kleur: rood"),
      variant("R-4", "Lengte: 5 m | Kleur: blauw"),
    ];
    server({ variants });
    open();
    const table = within(await screen.findByRole("region", { name: "Variants" }));
    expect(table.getAllByRole("columnheader").map((one) => one.textContent)).toEqual([
      "Lengte / Kleur",
      "rood",
      "blauw",
    ]);
    const rows = table.getAllByRole("row").slice(1);
    expect(rows.map((row) => within(row).queryAllByRole("link").length)).toEqual([2, 1, 1]);
    expect(table.getByTitle("R-1")).toHaveAttribute("aria-current", "true");
    expect(table.getByTitle("R-4")).toHaveAttribute("href", "/s/1/catalog/R-4");
  });

  it("says what a waiting run would change, and what is declined until it changes", async () => {
    const change = { label: "Price", percent: "10.0", day: null, declined: false, corrected: false };
    const fake = server({
      coming: [
        {
          run_id: 7,
          run_kind: "delivery",
          file_name: "lijst.csv",
          line: {
            row: 1,
            key: "R-1",
            title: "Kabel",
            status: "changed",
            reason: null,
            held: true,
            changes: [{ ...change, field: "price", before: "8.95", after: "9.85" }],
          },
        },
      ],
      declined: [
        {
          id: 3,
          field: "stock",
          label: "Stock",
          value: "0",
          feed_id: 2,
          feed: "Prijslijst",
          run_id: 5,
          author: "",
          at: null,
        },
      ],
    }).on("DELETE /api/v1/stores/1/declined/3", () => ({ done: true }));
    open();
    const coming = within(await screen.findByRole("region", { name: "About to change" }));
    expect(coming.getByRole("link", { name: "Run 7" })).toHaveAttribute("href", "/s/1/runs/7?product=R-1");
    expect(coming.getByText("9.85")).toBeVisible();
    expect(coming.getByText(/lijst.csv, held by a guard/)).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Forget that Stock 0 was declined" }));
    await waitFor(() => expect(fake.calls("DELETE /api/v1/stores/1/declined/3")).toHaveLength(1));
  });

  it("is deleted by a run that is looked at first", async () => {
    const fake = server({}).on("POST /api/v1/stores/1/states", () => ({ id: 9 }));
    open();
    await userEvent.click(await screen.findByLabelText("State"));
    await userEvent.click(screen.getByRole("option", { name: "Delete it …" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/stores/1/states")).toHaveLength(1));
    expect(fake.calls("POST /api/v1/stores/1/states")[0]?.body).toMatchObject({
      to: "out",
      where: [{ field: "$key", test: "is", value: "R-1" }],
    });
  });
});

describe("a product with problems", () => {
  it("says each of them before all else", async () => {
    server({}).on("GET /api/v1/stores/1/products/R-1/problems", () => ({
      total: 1,
      problems: [
        { field: "price", label: "Price", count: 1, said: "Price: 8.95 is under the cost of 9.10" },
        { field: "$row", label: "Its row", count: 1, said: "Its row 4 of Aalders is held: which?" },
      ],
    }));
    open();
    const wrong = await screen.findByRole("region", { name: "What is wrong" });
    expect(within(wrong).getByText("Price: 8.95 is under the cost of 9.10")).toBeInTheDocument();
    expect(within(wrong).getByText(/row 4 of Aalders is held/)).toBeInTheDocument();
  });
});
