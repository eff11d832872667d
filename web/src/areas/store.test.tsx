import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import type { Crosswalk, Fill } from "../api/hooks";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { bench, column, field, state, runView } from "../test/samples";
import { FillPanel } from "./bench/FillPanel";
import type { Edits } from "./bench/useEdits";
import { Catalog } from "./catalog/Catalog";
import { Product } from "./catalog/Product";
import { Outbound } from "./outbound/Outbound";
import { Runs } from "./runs/Runs";
import { Store } from "./store/Store";

const fields = [
  field("sku", { kind: "identifier", role: "key", required: true, unique: true }),
  field("name", { role: "title", max_length: 80 }),
  field("price", { kind: "money", currency: "EUR", role: "price" }),
  field("text", { kind: "rich_text", role: "text" }),
  field("stock", { kind: "integer", role: "stock" }),
  field("picture", { kind: "link", role: "picture" }),
  field("colour", { kind: "choice", allowed: ["Blue"], group: "Properties" }),
];
const product = {
  key: "QP-1",
  title: "Cobalt Blue",
  category: "Painting > Oil",
  supplier: "Quarrow Pigments",
  changed_at: new Date().toISOString(),
  kept: [],
  content: {
    sku: "QP-1",
    name: "Cobalt Blue",
    price: "8.95",
    text: "<p>Deep &amp; warm</p>",
    stock: "4",
    colour: "Blue",
    picture: "http://files.quarrow.example/pictures/1.svg",
  },
};
const run = runView({
  status: "applied",
  counts: { new: 3, held: 0 },
  log: [{ at: new Date().toISOString(), text: "applied" }],
});

const NO_OFFERS = () => ({ offers: [], fields: [] });

function server() {
  return new FakeServer()
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Ostrelle",
      product_schema: { name: "Ostrelle products", key: "sku", fields },
    }))
    .on("GET /api/v1/stores/1/categories", () => ({
      categories: [
        { path: "Painting", label: "Painting", depth: 0, count: 1 },
        { path: "Painting > Oil", label: "Oil", depth: 1, count: 1 },
      ],
    }))
    .on("GET /api/v1/stores/1/products", () => ({ total: 1, products: [product] }))
    .on("GET /api/v1/stores/1/dated", () => ({ values: [] }))
    .on("GET /api/v1/stores/1/runs", () => ({ runs: [run], total: 1 }));
}

describe("the catalog", () => {
  it("shows a branch, sorts by a field and finds by text", async () => {
    const fake = server()
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [] }))
      .on("GET /api/v1/stores/1/views", () => ({ views: [] }))
      .on("GET /api/v1/stores/1/completeness", () => ({ total: 1, complete: 1, missing: [], needs: [] }));
    draw(<Catalog />, "/s/1/catalog", "/s/:store/catalog");
    expect(await screen.findByRole("link", { name: "QP-1" })).toHaveAttribute("href", "/s/1/catalog/QP-1");
    expect(await screen.findByText("8.95")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: /^Oil/ }));
    expect(await screen.findByRole("heading", { name: "Painting > Oil" })).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Price" }));
    await userEvent.type(screen.getByLabelText("Find products"), "blue");
    await waitFor(() => {
      const last = fake.calls("GET /api/v1/stores/1/products").at(-1)?.query;
      expect([last?.get("category"), last?.get("sort"), last?.get("search")]).toEqual([
        "Painting > Oil",
        "price",
        "blue",
      ]);
    });
  });
});

describe("a product", () => {
  it("stands as a shop shows it beside its record and what each run changed", async () => {
    server().on("GET /api/v1/stores/1/offers/QP-1", NO_OFFERS);
    server().on("GET /api/v1/stores/1/products/QP-1", () => ({
      product,
      dated: [],
      variants: [],
      declined: [],
      coming: [],
      history: [
        {
          run_id: 4,
          at: new Date().toISOString(),
          kind: "changed",
          undone_by: null,
          by_hand: false,
          author: "",
          changes: [{ field: "price", before: "7.95", after: "8.95" }],
        },
        {
          run_id: 3,
          at: new Date().toISOString(),
          kind: "changed",
          undone_by: 5,
          by_hand: false,
          author: "",
          changes: [{ field: "price", before: "1.00", after: "7.95" }],
        },
        {
          run_id: 2,
          at: new Date().toISOString(),
          kind: "new",
          undone_by: null,
          by_hand: false,
          author: "",
          changes: [],
        },
      ],
    }));
    draw(<Product />, "/s/1/catalog/QP-1", "/s/:store/catalog/:key");
    const shop = await screen.findByRole("region", { name: "As a shop shows it" });
    expect(within(shop).getByText("8.95 EUR")).toBeInTheDocument();
    expect(within(shop).getByText("Deep & warm")).toBeInTheDocument();
    expect(within(shop).getByText("4 in stock")).toBeInTheDocument();
    expect(within(shop).getByRole("img", { name: "Cobalt Blue" })).toHaveAttribute(
      "src",
      "/stand-in/files.quarrow.example/pictures/1.svg",
    );
    const record = screen.getByRole("region", { name: "Record" });
    expect(within(record).getAllByText("run 4")[0]).toHaveAttribute("href", "/s/1/runs/4");
    expect(within(record).getByText("made it", { exact: false })).toBeInTheDocument();
    expect(within(record).getByText(/changed 1 field, .*, taken back by run 5/)).toBeInTheDocument();
  });

  it("shows its variants, its texts in other languages, and what its pictures show", async () => {
    const more = [
      field("name_fr", { title: "Name in French", language: "fr", of: "name" }),
      field("picture_text", { role: "picture_text", of: "picture" }),
    ];
    const content = { ...product.content, name_fr: "Bleu de cobalt", picture_text: "A tube of blue" };
    const variant = (key: string, options: string) => ({ key, options, price: "8.95", stock: "4" });
    server()
      .on("GET /api/v1/stores/1/schema", () => ({
        store_id: 1,
        store: "Ostrelle",
        product_schema: { name: "Ostrelle products", key: "sku", fields: [...fields, ...more] },
      }))
      .on("GET /api/v1/stores/1/offers/QP-1", NO_OFFERS)
      .on("GET /api/v1/stores/1/products/QP-1", () => ({
        product: { ...product, content },
        dated: [],
        history: [],
        variants: [variant("QP-1", "Size: 20 ml"), variant("QP-2", "Size: 60 ml")],
        declined: [],
        coming: [],
      }));
    draw(<Product />, "/s/1/catalog/QP-1", "/s/:store/catalog/:key");
    const variants = within(await screen.findByRole("region", { name: "Variants" }));
    expect(variants.getByRole("link", { name: /20 ml/ })).toHaveAttribute("aria-current", "true");
    expect(variants.getByRole("link", { name: /60 ml/ })).toHaveAttribute("href", "/s/1/catalog/QP-2");
    expect(screen.getByRole("img", { name: "A tube of blue" })).toBeInTheDocument();
    const shop = within(screen.getByRole("region", { name: "As a shop shows it" }));
    await userEvent.click(screen.getByRole("button", { name: "fr" }));
    expect(shop.getByText("Bleu de cobalt")).toHaveAttribute("lang", "fr");
  });
});

describe("outbound", () => {
  it("offers the catalog or what a run changed, in a chosen format", async () => {
    server();
    draw(<Outbound />, "/s/1/outbound", "/s/:store/outbound");
    const link = await screen.findByRole("link", { name: "Download" });
    expect(link).toHaveAttribute("href", "/api/v1/stores/1/outbound?format=csv");
    await userEvent.click(screen.getByRole("combobox", { name: /What/ }));
    await userEvent.click(screen.getByRole("option", { name: /what run 4 changed/ }));
    await userEvent.click(screen.getByRole("combobox", { name: /Format/ }));
    await userEvent.click(screen.getByRole("option", { name: "JSON Lines" }));
    expect(link).toHaveAttribute("href", "/api/v1/stores/1/outbound?format=jsonl&run_id=4");
  });
});

describe("runs", () => {
  it("are listed with what they did; an empty list says how to begin", async () => {
    const fake = server();
    const { unmount } = draw(<Runs />, "/s/1/runs", "/s/:store/runs");
    expect(await screen.findByRole("link", { name: "Run 4" })).toHaveAttribute("href", "/s/1/runs/4");
    expect(screen.getByText("3 new")).toBeInTheDocument();
    unmount();
    fake.on("GET /api/v1/stores/1/runs", () => ({ runs: [], total: 0 }));
    draw(<Runs />, "/s/1/runs", "/s/:store/runs");
    expect(await screen.findByText("No run yet")).toBeInTheDocument();
  });
});

describe("the store's schema", () => {
  it("says in words what each field holds and must be", async () => {
    server();
    draw(<Store />, "/s/1/schema", "/s/:store/schema");
    expect(await screen.findByText("given; unique")).toBeInTheDocument();
    expect(screen.getByText("money in EUR")).toBeInTheDocument();
    expect(screen.getByText("at most 80 characters")).toBeInTheDocument();
  });

  it("keeps exchange rates: typed in, or fetched from a bank's list", async () => {
    const rates: unknown[] = [];
    const fresh = { source: "GBP", target: "EUR", rate: "1.19", day: "2026-11-23", origin: "bank.example" };
    const fake = server()
      .on("GET /api/v1/stores/1/lookups", () => ({
        lookups: [],
        rates,
        chains: [],
        rates_address: "http://bank.example/rates/daily.csv",
      }))
      .on("PUT /api/v1/stores/1/rates", ({ body }) => {
        rates.push(body);
        return { done: true };
      })
      .on("POST /api/v1/stores/1/rates/fetch", () => {
        rates.push(fresh);
        return { rates: [fresh] };
      });
    draw(<Store />, "/s/1/schema?view=rates", "/s/:store/schema");
    await userEvent.type(await screen.findByLabelText("Rate"), "0,9125");
    await userEvent.click(screen.getByRole("button", { name: "Keep" }));
    expect(await screen.findByText("0.9125")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Fetch now" }));
    expect(await screen.findByText("Kept GBP/EUR.")).toBeInTheDocument();
    expect(fake.calls("POST /api/v1/stores/1/rates/fetch")[0]?.body).toEqual({
      address: "http://bank.example/rates/daily.csv",
    });
  });
});

describe("the store's categories", () => {
  it("show their names in other languages", async () => {
    server().on("GET /api/v1/stores/1/categories", () => ({
      categories: [
        { path: "Painting", label: "Painting", depth: 0, count: 1200, names: {} },
        { path: "Painting > Oil", label: "Oil", depth: 1, count: 1, names: { fr: "Huile", de: "Öl" } },
      ],
    }));
    draw(<Store />, "/s/1/schema?view=categories", "/s/:store/schema");
    expect(
      await screen.findByRole("row", { name: "Category Products German French What can be done" }),
    ).toBeVisible();
    expect(screen.getByRole("row", { name: "Oil 1 Öl Huile" })).toBeVisible();
    expect(screen.getByRole("row", { name: "Painting 1,200 — —" })).toBeVisible();
  });
});

describe("an opened field", () => {
  const detail = (fill: Fill | null) => ({
    field: field("price", { kind: "money", currency: "EUR", required: true }),
    fill,
    row: 3,
    stages: fill
      ? [
          { label: "Cost", value: "2,08" },
          { label: "number", value: "2.08" },
          { label: "kept as", value: "2.08" },
        ]
      : [],
    results: fill ? [{ value: "2.08", count: 6 }] : [],
    distinct: fill ? 1 : 0,
    problems: fill
      ? [
          {
            kind: "not_a_number",
            severity: "refuse",
            seen: "call us",
            message: "Price: 'call us' is no number",
            count: 4,
          },
        ]
      : [],
    suggestions: [
      {
        field: "price",
        column: "Cost",
        score: 80,
        reasons: ["its values look like decimals"],
        fill: { parts: [{ column: "Cost" }], steps: [{ do: "number" }] },
      },
    ],
  });
  const open = (fill: Fill | null, edits: Partial<Edits>) => {
    server().on("GET /api/v1/feeds/1/fields/price", () => detail(fill));
    const crosswalk: Crosswalk = { fills: fill ? { price: fill } : {}, parked: {}, left_out: [] };
    const fieldsOf = [state("price", {}, { kind: "money", currency: "EUR", required: true })];
    draw(
      <FillPanel
        bench={bench({ crosswalk, fields: fieldsOf, columns: [column("Cost")] })}
        delivery={7}
        name="price"
        row={3}
        edits={edits as Edits}
        onClose={vi.fn()}
      />,
    );
  };

  it("is looked at when it was taken together with others", async () => {
    const fill = { parts: [{ column: "Cost" }], steps: [{ do: "number" as const }] };
    const fake = server()
      .on("GET /api/v1/feeds/1/fields/price", () => detail(fill as Fill))
      .on("PUT /api/v1/feeds/1/seen", () => ({ done: true }));
    const taken = state("price", { source: "Cost", columns: ["Cost"], accepted: true }, { kind: "money" });
    draw(
      <FillPanel
        bench={bench({ fields: [taken], columns: [column("Cost")] })}
        delivery={7}
        name="price"
        row={3}
        edits={{} as Edits}
        onClose={vi.fn()}
      />,
    );
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/1/seen").map((s) => s.body)).toEqual([
        { seen: { "field:price": "Cost" }, back: false },
      ]),
    );
  });

  it("that nothing fills offers suggestions with their reasons", async () => {
    const setFill = vi.fn().mockResolvedValue(undefined);
    open(null, { setFill });
    expect(await screen.findByText("its values look like decimals")).toBeInTheDocument();
    expect(screen.getByText("money in EUR · required")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Fill from Cost" }));
    expect(setFill).toHaveBeenCalledWith(
      "price",
      { parts: [{ column: "Cost" }], steps: [{ do: "number" }] },
      "Price: filled from 'Cost'",
    );
  });

  it("shows what each step does to the row in hand, problems, results, and its rules", async () => {
    const setFill = vi.fn().mockResolvedValue(undefined);
    open({ parts: [{ column: "Cost" }], steps: [{ do: "number" }] }, { setFill });
    expect(await screen.findByText("Price: 'call us' is no number")).toBeInTheDocument();
    expect(screen.getByText("Steps, on row 3")).toBeInTheDocument();
    expect(screen.getByText("Results: 1 value")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("combobox", { name: "A faulty value" }));
    await userEvent.click(screen.getByRole("option", { name: "skips this field" }));
    expect(setFill.mock.lastCall?.[1]).toMatchObject({ on_problem: "skip" });
    await userEvent.click(screen.getByRole("button", { name: "Fill with nothing" }));
    expect(setFill).toHaveBeenLastCalledWith("price", null, "Price: no longer filled");
  });
});
