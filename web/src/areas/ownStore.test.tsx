import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { FakeServer, type Sent } from "../test/fakeServer";
import { draw } from "../test/render";
import { field } from "../test/samples";
import { NewLadder } from "./prices/NewLadder";
import { asField, asTyped, isNewName } from "./store/field";
import { Removal } from "./store/Removal";
import { Store } from "./store/Store";

const glaze = field("glaze", { kind: "choice", allowed: ["matt", "gloss"], title: "Glaze" });
const fields = [
  field("sku", { kind: "identifier" }),
  glaze,
  field("price", { kind: "money", currency: "EUR" }),
];
const touched = { products: 40, empty: 2, broken: 0, first: [], feeds: [], answers: 0 };

function server() {
  return new FakeServer()
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Kiln",
      product_schema: { name: "Pots", key: "sku", fields },
    }))
    .on("POST /api/v1/stores/1/schema/touch", () => touched)
    .on("GET /api/v1/stores/1/lookups/history", () => ({
      changes: [{ at: new Date().toISOString(), author: "Ada", said: "title: Glase -> Glaze" }],
      doubled: [],
    }))
    .on("POST /api/v1/stores/1/schema/fields", () => ({}));
}

const store = (view: string) => draw(<Store />, `/s/1/schema?${view}`, "/s/:store/schema");
const edits = (fake: FakeServer) => fake.calls("POST /api/v1/stores/1/schema/fields").map((s) => s.body);

describe("a field of the schema", () => {
  it("is changed after a look at what the change touches, and back again", async () => {
    const first = [{ key: "K-1", value: "gloss", why: "is none of: matt" }];
    const fake = server().on("POST /api/v1/stores/1/schema/touch", () => ({
      ...touched,
      broken: 7,
      first,
      feeds: ["Kiln & Co, list"],
      answers: 3,
    }));
    store("field=glaze");
    const words = await screen.findByLabelText("Words allowed");
    expect(await screen.findByText(/title: Glase -> Glaze · Ada/)).toBeInTheDocument();
    await userEvent.clear(words);
    await userEvent.type(words, "matt\nash");
    expect(await screen.findByText(/7 products have a value it would not take/)).toBeInTheDocument();
    expect(screen.getByText("K-1").parentElement).toHaveTextContent("K-1: “gloss” is none of: matt");
    expect(screen.getByText(/3 answers in its value tables give other words/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Keep the change" }));
    await waitFor(() => expect(edits(fake)).toHaveLength(1));
    expect(edits(fake)[0]).toMatchObject({ was: glaze, field: { name: "glaze", allowed: ["matt", "ash"] } });
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(edits(fake)).toHaveLength(2));
    expect(edits(fake)[1]).toMatchObject({ was: { allowed: ["matt", "ash"] }, field: glaze });
  });

  it("of money may hold from a day in one field to that in another", async () => {
    const days = [field("sku", { kind: "identifier" }), field("offer", { kind: "money", currency: "EUR" })];
    let dates: typeof days = [];
    const fake = server().on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Kiln",
      product_schema: { name: "Pots", key: "sku", fields: [...days, ...dates] },
    }));
    const { unmount } = store("field=offer");
    expect(await screen.findByText(/names two fields with dates: add those first/)).toBeInTheDocument();
    unmount();
    dates = [
      field("since", { kind: "date", title: "Since" }),
      field("until", { kind: "date", title: "Until" }),
    ];
    store("field=offer");
    for (const [label, day] of [
      ["Holds from", "Since"],
      ["Holds to", "Until"],
    ] as const) {
      await userEvent.click(await screen.findByRole("combobox", { name: label }));
      await userEvent.click(screen.getByRole("option", { name: day }));
    }
    await userEvent.click(screen.getByRole("combobox", { name: "Feeds write it" }));
    await userEvent.click(screen.getByRole("option", { name: "only of new products" }));
    await userEvent.click(screen.getByRole("button", { name: "Keep the change" }));
    await waitFor(() => expect(edits(fake)).toHaveLength(1));
    expect(edits(fake)[0]).toMatchObject({
      field: { starts: "since", ends: "until", currency: "EUR", writes: "new" },
    });
  });

  it("is retired only after the question what rests with it", async () => {
    const fake = server();
    store("field=glaze");
    await userEvent.click(await screen.findByRole("button", { name: "Retire the field" }));
    const dialog = screen.getByRole("dialog", { name: "Retire the field Glaze?" });
    expect(await within(dialog).findByText(/40 products have a value in it; they keep it/)).toBeVisible();
    expect(edits(fake)).toEqual([]);
    await userEvent.click(within(dialog).getByRole("button", { name: "Retire it" }));
    await waitFor(() => expect(edits(fake)).toEqual([{ was: glaze, field: null, before: "" }]));
  });

  it("may be added, and the key may not be retired", async () => {
    const fake = server();
    store("field=sku");
    await screen.findByLabelText("Label", { exact: false });
    expect(screen.queryByRole("button", { name: "Retire the field" })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Add a field" }));
    const panel = await screen.findByRole("complementary", { name: "New field" });
    await userEvent.type(within(panel).getByLabelText("Label", { exact: false }), "Fired at");
    await userEvent.type(within(panel).getByLabelText("Name in files", { exact: false }), "Fired");
    expect(within(panel).getByRole("button", { name: "Add it" })).toBeDisabled();
    await userEvent.clear(within(panel).getByLabelText("Name in files", { exact: false }));
    await userEvent.type(within(panel).getByLabelText("Name in files", { exact: false }), "fired_at");
    await userEvent.click(await within(panel).findByRole("button", { name: "Add it" }));
    await waitFor(() =>
      expect(edits(fake)[0]).toMatchObject({ was: null, field: { name: "fired_at", title: "Fired at" } }),
    );
  });

  it("is the same through a form and back, whatever it holds", () => {
    const measure = field("w", { kind: "measure", unit: "kg", decimals: 3, minimum: "0.5", pattern: "a+" });
    for (const one of [...fields, measure]) expect(asTyped(asField(asTyped(one), one))).toEqual(asTyped(one));
    expect(asField(asTyped(measure), measure)).toMatchObject({ unit: "kg", decimals: 3, minimum: "0.5" });
    expect(["a", "a_1", "A", "1a", ""].map(isNewName)).toEqual([true, true, false, false, false]);
  });
});

const category = (path: string, count: number) => ({
  path,
  label: path.split(" > ").at(-1),
  depth: path.split(" > ").length - 1,
  count,
  names: {},
});

function treeServer(products: number) {
  return server()
    .on("GET /api/v1/stores/1/categories", () => ({
      categories: [category("Cups", 9), category("Cups > Large", 4), category("Bowls", 2)],
    }))
    .on("POST /api/v1/stores/1/categories/touch", () => ({
      categories: 2,
      products,
      placements: 1,
      formulas: products ? ["Kiln & Co, list: shelf"] : [],
    }))
    .on("POST /api/v1/stores/1/categories/edits", () => ({ id: 8, touch: {} }))
    .on("POST /api/v1/stores/1/categories/edits/8/undo", () => ({ done: true }));
}

async function ask(path: string, what: string) {
  await userEvent.click(await screen.findByRole("button", { name: `What can be done with ${path}` }));
  await userEvent.click(screen.getByRole("menuitem", { name: what }));
  return screen.getByRole("dialog");
}

const made = (fake: FakeServer) => fake.calls("POST /api/v1/stores/1/categories/edits").map((s) => s.body);

describe("the category tree", () => {
  it("is not cut while nobody has said where the products go", async () => {
    const fake = treeServer(9);
    store("view=categories");
    const dialog = await ask("Cups", "Delete");
    expect(await within(dialog).findByText(/9 products get another category/)).toBeVisible();
    expect(within(dialog).getByText(/Formulas name it and do not follow/)).toBeVisible();
    expect(within(dialog).getByRole("button", { name: "Delete it" })).toBeDisabled();
    await userEvent.click(within(dialog).getByLabelText("Where its products go"));
    expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["Bowls"]);
    await userEvent.click(screen.getByRole("option", { name: "Bowls" }));
    await waitFor(() => expect(within(dialog).getByRole("button", { name: "Delete it" })).toBeEnabled());
    await userEvent.click(within(dialog).getByRole("button", { name: "Delete it" }));
    await waitFor(() => expect(made(fake)).toEqual([{ do: "delete", path: "Cups", to: "Bowls" }]));
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/stores/1/categories/edits/8/undo")).toHaveLength(1));
  });

  it("is renamed, opened and closed, and found in by name", async () => {
    const fake = treeServer(0);
    store("view=categories");
    const dialog = await ask("Cups > Large", "Rename");
    const name = within(dialog).getByLabelText("New name");
    await userEvent.clear(name);
    await userEvent.type(name, "Mugs");
    await waitFor(() => expect(within(dialog).getByRole("button", { name: "Rename it" })).toBeEnabled());
    await userEvent.click(within(dialog).getByRole("button", { name: "Rename it" }));
    await waitFor(() => expect(made(fake)).toEqual([{ do: "rename", path: "Cups > Large", to: "Mugs" }]));
    await userEvent.click(screen.getByRole("button", { name: "Close Cups" }));
    expect(screen.queryByText("Large")).toBeNull();
    await userEvent.type(screen.getByRole("searchbox", { name: "Find a category" }), "lar");
    expect(await screen.findByText("Cups > Large")).toBeInTheDocument();
    await waitFor(() => expect(screen.queryByText("Bowls")).toBeNull());
  });
});

function Once() {
  const [open, setOpen] = useState(true);
  return open && <Removal kind="feed" id={4} onClose={() => setOpen(false)} />;
}

describe("a removal", () => {
  const touch = {
    name: "Kiln",
    feeds: 2,
    deliveries: 5,
    applied_runs: 3,
    waiting_runs: 1,
    products: 900,
    leaning: ["Clay, stock"],
  };

  it("says what goes and what stays, and is taken back", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/removals/feed/4", () => ({ ...touch, name: "Kiln, list" }))
      .on("PUT /api/v1/removals/feed/4", () => ({ done: true }))
      .on("DELETE /api/v1/removals/feed/4", () => ({ done: true }));
    draw(<Once />);
    expect(await screen.findByText(/the supplier's 900 products stay as they are/)).toBeVisible();
    expect(screen.getByText(/Clay, stock: their next deliveries are read without it/)).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Remove the feed" }));
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(fake.calls("DELETE /api/v1/removals/feed/4")).toHaveLength(1));
  });

  it("of a store waits for its name", async () => {
    new FakeServer().on("GET /api/v1/removals/store/1", () => touch);
    draw(<Removal kind="store" id={1} onClose={() => undefined} />);
    const name = await screen.findByLabelText("Type Kiln to go on");
    await userEvent.type(name, "Kil");
    expect(screen.getByRole("button", { name: "Remove the store" })).toBeDisabled();
    await userEvent.type(name, "n");
    expect(screen.getByRole("button", { name: "Remove the store" })).toBeEnabled();
  });
});

describe("a ladder", () => {
  it("is made where it is missed, and says the share the other way round", async () => {
    const done = vi.fn();
    const fake = server().on("PUT /api/v1/stores/1/ladders", ({ body }: Sent) => body);
    draw(<NewLadder names={["Trade"]} onClose={() => undefined} onMade={done} />);
    const name = await screen.findByLabelText("Name of the ladder");
    await userEvent.clear(name);
    await userEvent.type(name, "Trade");
    await userEvent.type(screen.getByLabelText("Percent"), "100");
    expect(screen.getByText("That is a margin of 50.0 %.")).toBeInTheDocument();
    expect(screen.getByText("There is a ladder of this name.")).toBeInTheDocument();
    expect(screen.getByRole("button", { name: "Make it" })).toBeDisabled();
    await userEvent.type(name, " fair");
    await userEvent.click(screen.getByRole("button", { name: "Make it" }));
    await waitFor(() => expect(done).toHaveBeenCalledOnce());
    expect(fake.calls("PUT /api/v1/stores/1/ladders")[0]?.body).toEqual({
      name: "Trade fair",
      currency: "EUR",
      rungs: [{ start: "0", kind: "markup", amount: "100" }],
    });
  });
});
