import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { field } from "../../test/samples";
import { Catalog } from "./Catalog";

/** A shop of two branches, one of which may be merged into the other. */
function server() {
  let paths = ["Kabels", "Touw"];
  return new FakeServer()
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Touw",
      product_schema: {
        name: "Touw",
        key: "sku",
        fields: [field("sku", { role: "key" }), field("soort", { kind: "category" })],
      },
    }))
    .on("GET /api/v1/stores/1/categories", () => ({
      categories: paths.map((path) => ({ path, label: path, depth: 0, count: 2, names: {} })),
    }))
    .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [] }))
    .on("GET /api/v1/stores/1/views", () => ({ views: [] }))
    .on("GET /api/v1/stores/1/completeness", () => ({ total: 0, complete: 0, missing: [], needs: [] }))
    .on("GET /api/v1/stores/1/products", () => ({ total: 0, products: [] }))
    .on("POST /api/v1/stores/1/categories/touch", () => ({
      categories: 1,
      products: 2,
      placements: 3,
      formulas: [],
      lossy: false,
    }))
    .on("POST /api/v1/stores/1/categories/edits", () => {
      paths = ["Touw"];
      return { id: 5, moves: { Kabels: "Touw" } };
    });
}

describe("a category in the catalog", () => {
  it("is merged into another, and the way on is told where it was looked at", async () => {
    const fake = server();
    const { router } = draw(<Catalog />, "/s/1/catalog?category=Kabels", "/s/:store/catalog");
    await userEvent.click(await screen.findByRole("button", { name: "Category …" }));
    const offered = screen.getAllByRole("menuitem").map((one) => one.textContent);
    expect(offered).toEqual([
      "Move below another …",
      "Merge into another …",
      "Rename …",
      "Add one below …",
      "Delete …",
    ]);
    await userEvent.click(screen.getByRole("menuitem", { name: "Merge into another …" }));
    const ask = await screen.findByRole("dialog", { name: "Merge: Kabels" });
    await userEvent.type(within(ask).getByRole("combobox"), "Touw{Enter}");
    expect(await within(ask).findByText(/2 products get another category/)).toBeInTheDocument();
    await userEvent.click(within(ask).getByRole("button", { name: "Merge them" }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/stores/1/categories/edits")[0]?.body).toEqual({
        do: "merge",
        path: "Kabels",
        to: "Touw",
      }),
    );
    await userEvent.click(await screen.findByRole("button", { name: "Show all products" }));
    expect(router.state.location.search).toBe("");
  });

  it("has its menu where it stands in the tree", async () => {
    server();
    draw(<Catalog />, "/s/1/catalog", "/s/:store/catalog");
    fireEvent.contextMenu(await screen.findByRole("button", { name: /^Touw/ }));
    await userEvent.click(screen.getByRole("menuitem", { name: "Rename …" }));
    expect(await screen.findByRole("dialog", { name: "Rename: Touw" })).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: "Category …" })).toBeNull();
  });
});
