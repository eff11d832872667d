import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { StoreField } from "../../api/hooks";
import type { ProductOffers, Sources as Document } from "../../api/offers";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { Offers } from "../catalog/Offers";
import { Sources } from "./Sources";

const FEEDS = [
  { id: 1, name: "North: List", removed: false },
  { id: 2, name: "East: List", removed: false },
  { id: 3, name: "Texts: Sheet", removed: false },
];
const FIELDS = [
  { name: "sku", title: "SKU", kind: "text", role: "key" },
  { name: "name", title: "Name", kind: "text", role: "title" },
  { name: "cost", title: "Cost", kind: "money", role: "cost" },
] as StoreField[];

/** A store whose sources are as they were put last. */
function server(first: Partial<Document> = {}, roles: object = { cost: "Cost", stock: "Stock" }) {
  let now = first;
  return new FakeServer()
    .on("GET /api/v1/stores/1/sources", () => ({ sources: now, feeds: FEEDS, ...roles }))
    .on("GET /api/v1/stores/1/schema", () => ({ product_schema: { key: "sku", fields: FIELDS } }))
    .on("PUT /api/v1/stores/1/sources", ({ body }) => {
      now = body as Document;
      return { sources: now, feeds: FEEDS, ...roles };
    });
}

const ordered = (label: string) =>
  within(screen.getByRole("list", { name: label }))
    .getAllByRole("listitem")
    .map((one) => one.textContent);

describe("whose values hold", () => {
  it("is an order and a rule, changed in place and taken back", async () => {
    const user = userEvent.setup();
    const fake = server();
    draw(<Sources store={1} />);
    for (const feed of ["North: List", "East: List"]) {
      await user.click(await screen.findByRole("combobox", { name: /^(First|Then)/ }));
      await user.click(await screen.findByRole("option", { name: feed }));
      await screen.findByRole("button", { name: `Move ${feed} up` });
    }
    await user.click(screen.getByRole("button", { name: "Move East: List up" }));
    await waitFor(() => expect(ordered("Feeds that compete")).toEqual(["1East: List", "2North: List"]));
    await user.click(screen.getByRole("combobox", { name: "A product goes by" }));
    await user.click(await screen.findByRole("option", { name: "the cheapest of them" }));
    expect(await screen.findByText(/with freight or duty/)).toBeVisible();
    await user.click(screen.getByRole("checkbox"));
    await waitFor(() => expect(fake.calls("PUT /api/v1/stores/1/sources")).toHaveLength(5));
    expect(fake.calls("PUT /api/v1/stores/1/sources").at(-1)?.body).toEqual({
      order: [2, 1],
      choose: "cheapest",
      in_stock: false,
      fields: {},
    });
    await user.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(screen.getByRole("checkbox")).toBeChecked());
  });

  it("says by which fields it is decided, or that there are none", async () => {
    server({ order: [1, 2], choose: "cheapest" }, { cost: null, stock: null });
    draw(<Sources store={1} />);
    expect(await screen.findByText(/is its cost: until one has that role/)).toBeVisible();
    expect(screen.getByText(/is its stock: until one has that role/)).toBeVisible();
  });

  it("gives a field an order of its own, which ends with its last feed", async () => {
    const user = userEvent.setup();
    server({ order: [1, 2] });
    draw(<Sources store={1} />);
    await user.click(await screen.findByRole("combobox", { name: "Give a field an order" }));
    expect(screen.queryByRole("option", { name: "SKU" })).toBeNull();
    await user.click(await screen.findByRole("option", { name: "Name" }));
    await waitFor(() => expect(ordered("Feeds that fill Name")).toEqual(["1North: List"]));
    const own = screen.getByRole("region", { name: "Fields with an order of their own" });
    await user.click(within(own).getByRole("button", { name: "Leave North: List out" }));
    await waitFor(() => expect(screen.queryByRole("list", { name: "Feeds that fill Name" })).toBeNull());
  });
});

const OFFER = { run_id: 1, day: "2026-11-20T08:00:00Z", competes: true, taken: false };

function offered(more: Partial<ProductOffers> = {}): ProductOffers {
  return {
    offers: [
      { ...OFFER, feed_id: 1, feed: "North: List", taken: true, values: { name: "Rake", cost: "4.00" } },
      { ...OFFER, feed_id: 2, feed: "East: List", values: { name: "Rake", cost: "5.00" } },
    ],
    fields: [{ field: "cost", feed_id: 1, kept: false, value: "4.00" }],
    ...more,
  };
}

describe("the offers of a product", () => {
  it.each([
    [offered(), "holds"],
    [
      offered({ fields: [{ field: "cost", feed_id: 1, kept: true, value: "4.00" }] }),
      "would hold, but the field is kept by hand",
    ],
  ])("stand side by side where they differ", async (found, said) => {
    new FakeServer().on("GET /api/v1/stores/1/offers/K", () => found);
    draw(<Offers store={1} product="K" fields={FIELDS} />);
    const table = await screen.findByRole("table", { name: "What each feed says" });
    expect(within(table).getByText("the product goes by it", { exact: false })).toBeVisible();
    expect(within(table).queryByText("Name")).toBeNull();
    expect(within(within(table).getByRole("cell", { name: /4\.00/ })).getByRole("img")).toHaveAccessibleName(
      said,
    );
  });

  it("are not shown of a product that one feed has", async () => {
    const fake = new FakeServer().on("GET /api/v1/stores/1/offers/K", () =>
      offered({ offers: offered().offers.slice(1) }),
    );
    draw(<Offers store={1} product="K" fields={FIELDS} />);
    await waitFor(() => expect(fake.sent).toHaveLength(1));
    expect(screen.queryByRole("region", { name: "Offers" })).toBeNull();
  });
});
