import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { ProductLine, RowEdit } from "../../api/catalog";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { field } from "../../test/samples";
import { Catalog } from "./Catalog";

const FIELDS = [
  field("sku", { role: "key" }),
  field("name", { role: "title" }),
  field("price", { kind: "money", role: "price" }),
  field("glaze", { kind: "choice", allowed: ["White", "Blue"] }),
  field("shelf", { kind: "category" }),
];

/** A store of four bowls that keeps what is written, but for a price that is no number. */
function server(total = 4) {
  const content = Array.from({ length: total }, (_, n): Record<string, string> => ({
    name: `Bowl ${n}`,
    price: `${n}.00`,
    shelf: "Table",
  }));
  const line = (n: number): ProductLine => ({
    key: `B-${n}`,
    title: content[n]?.name ?? "",
    category: content[n]?.shelf ?? "",
    supplier: "Kiln",
    state: "live",
    content: content[n] ?? {},
    changed_at: "2027-01-01T00:00:00Z",
    kept: n === 1 ? ["price"] : [],
  });
  return new FakeServer()
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Pots",
      product_schema: { name: "Pots", key: "sku", fields: FIELDS },
    }))
    .on("GET /api/v1/stores/1/categories", () => ({
      categories: ["Table", "Oven"].map((path) => ({ path, label: path, depth: 0, count: 2, names: {} })),
    }))
    .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [] }))
    .on("GET /api/v1/stores/1/views", () => ({ views: [] }))
    .on("GET /api/v1/stores/1/completeness", () => ({
      total: 4,
      complete: 3,
      missing: [{ field: "price", label: "Price", count: 1 }],
      needs: ["price"],
    }))
    .on("GET /api/v1/stores/1/products", ({ query }) => {
      const from = Number(query.get("offset"));
      const n = Math.min(Number(query.get("limit")), total - from);
      return { total, products: Array.from({ length: n }, (_, i) => line(from + i)) };
    })
    .on("PATCH /api/v1/stores/1/products", ({ body }) => {
      const { rows } = body as { rows: RowEdit[] };
      const refused = [];
      for (const { key, values } of rows)
        for (const [name, value] of Object.entries(values)) {
          const own = content[Number(key.slice(2))] ?? {};
          if (name === "price" && value && !Number(value))
            refused.push({ key, field: name, value, why: `Price: '${value}' is no number` });
          else if (value === null) delete own[name];
          else own[name] = value;
        }
      const all = rows.reduce((n, row) => n + Object.keys(row.values).length, 0);
      return { run_id: 9, written: all - refused.length, same: 0, refused };
    });
}

const PUT = "PATCH /api/v1/stores/1/products";
const open = (at = "") => draw(<Catalog />, `/s/1/catalog${at}`, "/s/:store/catalog");
const written = (fake: FakeServer) => fake.calls(PUT).map((one) => (one.body as { rows: RowEdit[] }).rows);
const cell = (row: number, col: number) =>
  document.querySelector(`[data-cell="${row} ${col}"]`) as HTMLElement;
const columns = "?columns=name,price,glaze,shelf,$supplier";

describe("the sheet of products", () => {
  it("is written in place by keyboard, filled down, emptied and taken back", async () => {
    const fake = server();
    open(columns);
    await screen.findByText("Bowl 0");
    fireEvent.mouseDown(cell(0, 1));
    await waitFor(() => expect(cell(0, 1)).toHaveFocus());
    await userEvent.keyboard("7{Enter}");
    await waitFor(() => expect(written(fake)).toHaveLength(1));
    expect(written(fake)[0]).toEqual([{ key: "B-0", values: { price: "7" }, saw: { price: "0.00" } }]);
    await waitFor(() => expect(cell(0, 1)).toHaveTextContent("7"));
    await waitFor(() => expect(cell(1, 1)).toHaveFocus());
    await userEvent.keyboard("{ArrowUp}{Shift>}{ArrowDown}{ArrowDown}{/Shift}{Control>}d{/Control}");
    await waitFor(() => expect(written(fake)).toHaveLength(2));
    expect(written(fake)[1]?.map((row) => [row.key, row.values])).toEqual([
      ["B-1", { price: "7" }],
      ["B-2", { price: "7" }],
    ]);
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(cell(2, 1)).toHaveTextContent("2.00"));
    fireEvent.mouseDown(cell(3, 0));
    await userEvent.keyboard("{Delete}");
    await waitFor(() =>
      expect(written(fake).at(-1)).toEqual([{ key: "B-3", values: { name: null }, saw: { name: "Bowl 3" } }]),
    );
    // Who supplies a product is not written, and Escape leaves a cell as it was.
    const before = written(fake).length;
    fireEvent.mouseDown(cell(2, 4));
    await userEvent.keyboard("x{Enter}{Delete}");
    fireEvent.mouseDown(cell(2, 0));
    await userEvent.keyboard("{F2}zzz{Escape}");
    expect(cell(2, 0)).toHaveTextContent("Bowl 2");
    expect(written(fake)).toHaveLength(before);
  });

  it("writes the cell that one goes away from, and no other", async () => {
    const fake = server();
    open(columns);
    await screen.findByText("Bowl 0");
    fireEvent.mouseDown(cell(0, 1));
    await waitFor(() => expect(cell(0, 1)).toHaveFocus());
    await userEvent.keyboard("7");
    await userEvent.click(cell(2, 0));
    await waitFor(() => expect(written(fake)).toHaveLength(1));
    expect(written(fake)[0]?.map((row) => [row.key, row.values])).toEqual([["B-0", { price: "7" }]]);
    await waitFor(() => expect(cell(2, 0)).toHaveFocus());
    expect(screen.queryByRole("textbox", { name: /Name|Price/ })).toBeNull();
    await userEvent.keyboard("x");
    await userEvent.click(screen.getByLabelText("Find products"));
    await waitFor(() => expect(written(fake).at(-1)?.[0]?.values).toEqual({ name: "x" }));
    expect(screen.getByLabelText("Find products")).toHaveFocus();
    // Short lines, and those into what nobody writes, are in the way of none.
    fireEvent.mouseDown(cell(0, 3));
    fireEvent.paste(cell(0, 3), { clipboardData: { getData: () => "Oven\n\tKiln\nOven" } });
    await waitFor(() => expect(written(fake)).toHaveLength(3));
    fireEvent.mouseDown(cell(0, 4));
    fireEvent.paste(cell(0, 4), { clipboardData: { getData: () => "Kiln" } });
    expect(written(fake)).toHaveLength(3);
  });

  it("takes a block from a spreadsheet, beyond its page, and marks what is not taken", async () => {
    const fake = server(104);
    open(`${columns}&page=1`);
    await screen.findByText("Bowl 100");
    fireEvent.mouseDown(cell(1, 1));
    const text = ["1,5", "x", "3", "4", "5"].map((price) => `${price}\tBlue`).join("\n");
    fireEvent.paste(cell(1, 1), { clipboardData: { getData: () => text } });
    await waitFor(() => expect(written(fake)).toHaveLength(1));
    expect(written(fake)[0]?.map((row) => [row.key, row.values])).toEqual([
      ["B-101", { price: "1,5", glaze: "Blue" }],
      ["B-102", { price: "x", glaze: "Blue" }],
      ["B-103", { price: "3", glaze: "Blue" }],
    ]);
    expect(await screen.findByText(/2 rows have no product here/)).toBeInTheDocument();
    await waitFor(() => expect(cell(2, 1)).toHaveAttribute("aria-invalid", "true"));
    expect(cell(2, 1)).toHaveTextContent("x");
    expect(screen.getByText(/2 cells were not taken/)).toHaveTextContent("Price: '1,5' is no number");
    // It stays marked until it is right.
    fireEvent.mouseDown(cell(2, 1));
    await userEvent.keyboard("{Enter}{Backspace}8{Enter}");
    await waitFor(() => expect(cell(2, 1)).toHaveAttribute("aria-invalid", "false"));
    expect(screen.getByText(/1 cell was not taken/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Leave them" }));
    expect(screen.queryByText(/not taken/)).toBeNull();
  });

  it("copies what is selected, and moves products that are dropped on a category", async () => {
    const fake = server();
    open(columns);
    await screen.findByText("Bowl 0");
    fireEvent.mouseDown(cell(0, 0));
    fireEvent.mouseDown(cell(1, 1), { shiftKey: true });
    const data: Record<string, string> = {};
    const transfer = {
      setData: (kind: string, text: string) => (data[kind] = text),
      getData: (kind: string) => data[kind],
      types: ["application/x-nomotax-products"],
    };
    fireEvent.copy(cell(1, 1), { clipboardData: transfer });
    expect(data["text/plain"]).toBe("Bowl 0\t0.00\nBowl 1\t1.00");
    fireEvent.dragStart(screen.getByRole("link", { name: "B-1" }).parentElement as HTMLElement, {
      dataTransfer: transfer,
    });
    const oven = screen.getByRole("button", { name: /Oven/ });
    fireEvent.dragOver(oven, { dataTransfer: transfer });
    fireEvent.drop(oven, { dataTransfer: transfer });
    await waitFor(() => expect(written(fake)).toHaveLength(1));
    expect(written(fake)[0]?.map((row) => [row.key, row.values])).toEqual([
      ["B-0", { shelf: "Oven" }],
      ["B-1", { shelf: "Oven" }],
    ]);
  });

  it("moves a branch onto another by drag, and by keyboard, once it is seen what that touches", async () => {
    const fake = server()
      .on("POST /api/v1/stores/1/categories/touch", () => ({
        categories: 1,
        products: 2,
        placements: 0,
        formulas: [],
        lossy: false,
      }))
      .on("POST /api/v1/stores/1/categories/edits", () => ({ id: 5, moves: {} }));
    open(columns);
    await screen.findByText("Bowl 0");
    const data: Record<string, string> = {};
    const transfer = {
      setData: (kind: string, text: string) => (data[kind] = text),
      getData: (kind: string) => data[kind] ?? "",
      get types() {
        return Object.keys(data);
      },
    };
    fireEvent.dragStart(screen.getByRole("button", { name: /^Oven/ }), { dataTransfer: transfer });
    fireEvent.drop(screen.getByRole("button", { name: /^Table/ }), { dataTransfer: transfer });
    const ask = await screen.findByRole("dialog", { name: "Move: Oven" });
    expect(await within(ask).findByText(/2 products get another category/)).toBeInTheDocument();
    await userEvent.click(within(ask).getByRole("button", { name: "Move it" }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/stores/1/categories/edits")[0]?.body).toEqual({
        do: "move",
        path: "Oven",
        to: "Table",
      }),
    );
    screen.getByRole("button", { name: /^Table/ }).focus();
    await userEvent.keyboard("m");
    expect(await screen.findByRole("dialog", { name: "Move: Table" })).toBeInTheDocument();
  });

  it("shows what fits conditions, which the address keeps, and what is missing", async () => {
    const fake = server();
    const { router } = open();
    await screen.findByText("Bowl 0");
    await userEvent.click(screen.getByRole("button", { name: "+ Filter" }));
    const ask = screen.getByRole("form", { name: "Filter" });
    await userEvent.click(within(ask).getAllByRole("combobox")[0] as HTMLElement);
    await userEvent.click(screen.getByRole("option", { name: "Price" }));
    await userEvent.type(within(ask).getByLabelText("Value"), "5{Enter}");
    await screen.findByRole("button", { name: "Price at least 5" });
    const where = [{ field: "price", test: "least", value: "5" }];
    await waitFor(() =>
      expect(fake.calls("GET /api/v1/stores/1/products").at(-1)?.query.get("where")).toBe(
        JSON.stringify(where),
      ),
    );
    await userEvent.click(screen.getByRole("button", { name: "75 % complete" }));
    await userEvent.click(await screen.findByRole("button", { name: /no Price/ }));
    expect(await screen.findByRole("button", { name: "Price is empty" })).toBeInTheDocument();
    expect(router.state.location.search).toContain("where=");
    await userEvent.click(screen.getByRole("button", { name: "Columns" }));
    const group = screen.getByRole("group", { name: "Columns" });
    await userEvent.click(within(group).getByRole("checkbox", { name: "Glaze" }));
    await userEvent.click(within(group).getByRole("button", { name: "Glaze further left" }));
    expect(router.state.location.search).toContain("columns=name%2Cshelf%2Cprice%2Cglaze%2C%24supplier");
  });

  it("tells what is wrong once it is asked, and shows the products that have it", async () => {
    let asked = 0;
    const fake = server().on("GET /api/v1/stores/1/problems", () => ({
      looking: asked++ === 0,
      total: 3,
      problems: [
        { field: "price", label: "Price", count: 2, said: "" },
        { field: "$row", label: "Its row in the last delivery", count: 1, said: "" },
      ],
    }));
    const { router } = draw(<Catalog />, "/s/1/catalog", "/s/:store/catalog");
    await userEvent.click(await screen.findByRole("button", { name: "Problems" }));
    expect(await screen.findByText(/With so many products this takes a while/)).toBeInTheDocument();
    expect(await screen.findByText("3 products have a problem")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: /Its row in the last delivery/ }));
    const chip = await screen.findByRole("button", { name: "Problems in its row in the last delivery" });
    const where = [{ field: "$problem", test: "is", value: "$row" }];
    expect(new URLSearchParams(router.state.location.search).get("where")).toBe(JSON.stringify(where));
    expect(fake.calls("GET /api/v1/stores/1/problems")).toHaveLength(2);
    // The condition is changed like any other, by names that people read.
    await userEvent.click(chip);
    const ask = await screen.findByRole("form", { name: "Filter" });
    await userEvent.click(within(ask).getByRole("combobox", { name: "Value" }));
    await userEvent.click(screen.getByRole("option", { name: "Price" }));
    await userEvent.click(within(ask).getByRole("button", { name: "Show these" }));
    expect(await screen.findByRole("button", { name: "Problems in Price" })).toBeInTheDocument();
  });

  it("is changed as a whole by a formula, in a run that is looked at", async () => {
    const fake = server().on("POST /api/v1/stores/1/changes", ({ body }) =>
      (body as { change: { formula: string } }).change.formula.includes("Nix")
        ? { title: "No", status: 422, detail: "There is no column 'Nix'." }
        : { id: 12 },
    );
    const { router } = open("?search=bowl");
    await userEvent.click(await screen.findByRole("button", { name: "Change all …" }));
    const ask = screen.getByRole("dialog", { name: "Change 4 products" });
    await userEvent.click(within(ask).getByRole("button", { name: "Formula" }));
    expect(within(ask).getByRole("button", { name: "Look at it" })).toBeDisabled();
    const box = within(ask).getByLabelText("Formula");
    await userEvent.type(box, "[[Nix] * 2");
    await userEvent.click(within(ask).getByRole("button", { name: "Look at it" }));
    expect(await within(ask).findByText(/no column 'Nix'/)).toBeInTheDocument();
    await userEvent.clear(box);
    await userEvent.type(box, "[[Price] * 2");
    await userEvent.click(within(ask).getByRole("button", { name: "Look at it" }));
    await waitFor(() => expect(router.state.location.pathname).toBe("/s/1/runs/12"));
    expect(fake.calls("POST /api/v1/stores/1/changes").at(-1)?.body).toEqual({
      category: "",
      search: "bowl",
      state: "",
      where: [],
      change: { field: "price", do: "formula", value: "", find: "", formula: "[Price] * 2" },
    });
  });

  it("keeps what is shown as a view", async () => {
    const fake = server().on("POST /api/v1/stores/1/views", ({ body }) =>
      (body as { name: string }).name === "Thick"
        ? { id: 3 }
        : { title: "Conflict", status: 409, detail: "A view is called 'Old' already." },
    );
    open("?state=hidden&sort=price&down=1");
    await userEvent.click(await screen.findByRole("button", { name: /Keep what is shown/ }));
    const name = screen.getByLabelText("Name");
    await userEvent.type(name, "Old{Enter}");
    expect(await screen.findByText(/called 'Old' already/)).toBeInTheDocument();
    await userEvent.clear(name);
    await userEvent.type(name, "Thick{Enter}");
    await waitFor(() => expect(screen.queryByLabelText("Name")).toBeNull());
    expect(fake.calls("POST /api/v1/stores/1/views").at(-1)?.body).toEqual({
      name: "Thick",
      look: {
        shown: { category: "", search: "", state: "hidden", where: [] },
        columns: [],
        sort: "price",
        descending: true,
      },
    });
  });

  it("goes by saved views, which are named otherwise, changed and dropped", async () => {
    const shown = { category: "Oven", search: "", state: "", where: [] };
    const view = {
      id: 3,
      name: "Hot",
      look: { shown, columns: ["price"], sort: "price", descending: true },
      count: 2,
      lost: "",
      author: "Ines",
    };
    const lost = { ...view, id: 4, name: "Old", lost: "rim" };
    let views = [view, lost];
    const fake = server()
      .on("GET /api/v1/stores/1/views", () => ({ views }))
      .on("PUT /api/v1/stores/1/views/3", ({ body }) => {
        views = [{ ...view, name: (body as { name: string }).name }, lost];
        return { done: true };
      })
      .on("DELETE /api/v1/stores/1/views/4", () => {
        views = views.slice(0, 1);
        return { name: "Old", look: lost.look };
      })
      .on("POST /api/v1/stores/1/views", () => ({ id: 5 }));
    const { router } = open();
    const region = await screen.findByRole("region", { name: "Saved views" });
    await userEvent.click(await within(region).findByRole("button", { name: /^Hot/ }));
    await waitFor(() =>
      expect(router.state.location.search).toBe("?category=Oven&columns=price&sort=price&down=1"),
    );
    expect(within(region).getByRole("button", { name: /^Hot/ })).toHaveAttribute("aria-current", "true");
    expect(within(region).getByRole("button", { name: /^Old/ })).toHaveAttribute(
      "title",
      "The store has no field rim any more",
    );
    await userEvent.click(within(region).getByRole("button", { name: "More about Hot" }));
    await userEvent.click(screen.getByRole("menuitem", { name: "Name it otherwise …" }));
    const name = screen.getByLabelText("Name");
    expect(name).toHaveValue("Hot");
    await userEvent.clear(name);
    await userEvent.type(name, "Warm{Enter}");
    expect(await within(region).findByRole("button", { name: /^Warm/ })).toBeInTheDocument();
    // The name alone is another; what it shows is as it was.
    expect(fake.calls("PUT /api/v1/stores/1/views/3")[0]?.body).toMatchObject({ look: { shown } });
    await userEvent.click(within(region).getByRole("button", { name: "More about Old" }));
    await userEvent.click(screen.getByRole("menuitem", { name: "Keep it no more" }));
    await waitFor(() => expect(within(region).queryByRole("button", { name: /^Old/ })).toBeNull());
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/stores/1/views")[0]?.body).toMatchObject({ name: "Old" }),
    );
  });

  it("says what products need, and lets that be chosen", async () => {
    const fake = server().on("PUT /api/v1/stores/1/needs", () => ({ done: true }));
    open();
    await userEvent.click(await screen.findByRole("button", { name: "75 % complete" }));
    await userEvent.click(screen.getByRole("button", { name: "What is needed …" }));
    const group = screen.getByRole("group", { name: "What products lack" });
    expect(within(group).getByRole("checkbox", { name: "Price" })).toBeChecked();
    await userEvent.click(within(group).getByRole("checkbox", { name: "Glaze" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/stores/1/needs")[0]?.body).toEqual({
        needs: { fields: ["price", "glaze"] },
      }),
    );
    await userEvent.click(within(group).getByRole("button", { name: "As usual" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/stores/1/needs")[1]?.body).toEqual({ needs: null }));
  });
});
