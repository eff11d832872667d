import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import type { MatchedRow, MatchingView } from "../../api/matching";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { MatchedRows } from "./MatchedRows";
import { Pairings } from "./Pairings";
import { Rules } from "./Rules";
import { wayInWords } from "./words";

const FIELDS = [
  { name: "sku", label: "SKU", filled: true },
  { name: "maker", label: "Maker's number", filled: true },
  { name: "ean", label: "EAN", filled: false },
];

function view(more: Partial<MatchingView> = {}): MatchingView {
  return {
    delivery_id: 7,
    file_name: "list.csv",
    supplier: "Teilehandel",
    revision: 3,
    rows: 10,
    identity: { ways: [{ fields: ["maker"], ignore: ["case"] }] },
    key_label: "SKU",
    makes: true,
    fields: FIELDS,
    columns: ["ArtNr"],
    ways: [{ way: { fields: ["maker"], ignore: ["case"] }, found: 6, several: 1 }],
    paired: 0,
    pairings: 0,
    counts: { all: 10, found: 6, several: 1, none: 3, left_out: 0, lost: 0, key_taken: 0, together: 0 },
    ...more,
  };
}

function row(n: number, more: Partial<MatchedRow> = {}): MatchedRow {
  return {
    row: n,
    article: `A${n}`,
    title: `Chain ${n}`,
    told: { maker: `k${n}` },
    group: "none",
    by: null,
    found: 0,
    products: [
      { key: "P1", title: "Chain one", why: "similar name" },
      { key: "P2", title: "Chain two", why: "same EAN" },
    ],
    ...more,
  };
}

describe("how rows find their products", () => {
  it("is said in words", () => {
    expect(wayInWords({ fields: ["maker", "sku"], ignore: ["case", "leading_zeros"] }, FIELDS)).toBe(
      "Maker's number and SKU, whatever the case and leading zeros",
    );
  });

  it("gives new products a key by a rule", async () => {
    new FakeServer().on("GET /api/v1/feeds/1/matching/ways", () => ({ rows: 10, ways: [] }));
    const changed = vi.fn();
    const props = { feed: 1, delivery: 7, onIdentity: changed, onList: () => {} };
    const { unmount } = draw(<Rules {...props} matching={view()} />);
    const choice = { name: "A new product without a SKU" };
    await userEvent.click(screen.getByRole("combobox", choice));
    expect(screen.getByRole("option", { name: "gets the supplier's number" })).toHaveAttribute(
      "aria-disabled",
      "true",
    );
    await userEvent.click(screen.getByRole("option", { name: "gets the store's next number" }));
    const rule = { by: "number", prefix: "", first: 1, last: null, digits: 5 } as const;
    expect(changed.mock.lastCall).toEqual([
      expect.objectContaining({ new_key: rule }),
      "New products get a number from 1 on",
    ]);
    unmount();
    const identity = { article: "ArtNr", new_key: { ...rule, prefix: "N-", last: 99 } };
    draw(<Rules {...props} matching={view({ identity, ways: [] })} />);
    expect(screen.getByText("N-00001")).toBeInTheDocument();
    await userEvent.clear(screen.getByLabelText("Up to"));
    await userEvent.type(screen.getByLabelText("From"), "{Backspace}20{Enter}");
    expect(changed.mock.lastCall?.[0].new_key).toMatchObject({ first: 20, prefix: "N-" });
    await userEvent.click(screen.getByRole("combobox", { name: "Column with the supplier's own number" }));
    await userEvent.click(screen.getByRole("option", { name: "no column" }));
    expect(changed.mock.lastCall?.[0]).toMatchObject({ article: null, new_key: { by: "number" } });
  });

  it("takes a proposed way, tries another, orders and drops them", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/feeds/1/matching/ways", () => ({
        rows: 10,
        ways: [{ way: { fields: ["sku"], ignore: [] }, found: 4, several: 2 }],
      }))
      .on("POST /api/v1/feeds/1/matching/ways", ({ body }) => {
        const { ways } = body as { ways: { fields: string[]; ignore: string[] }[] };
        return {
          rows: 10,
          ways: ways.map((way) => ({ way, found: 4 + way.ignore.length, several: 2 - way.ignore.length })),
        };
      });
    const changed = vi.fn();
    const props = { feed: 1, delivery: 7, onIdentity: changed, onList: () => {} };
    const { unmount } = draw(<Rules {...props} matching={view()} />);
    expect(screen.getByText(/6 rows find one, 1 several/)).toBeInTheDocument();
    await userEvent.click(await screen.findByRole("button", { name: "Use SKU" }));
    expect(changed.mock.lastCall?.[0].ways).toEqual([
      { fields: ["maker"], ignore: ["case"] },
      { fields: ["sku"], ignore: [] },
    ]);

    await userEvent.click(screen.getByRole("button", { name: "Another way" }));
    const dialog = screen.getByRole("dialog", { name: "A way of finding products" });
    expect(within(dialog).getByLabelText("EAN (nothing fills it)")).toBeDisabled();
    await userEvent.click(within(dialog).getByLabelText("SKU"));
    expect(
      await within(dialog).findByText("Of 10 rows 4 find one product, 2 several, 4 none."),
    ).toBeVisible();
    expect(within(dialog).getAllByText("+1 find one, −1 several")).toHaveLength(4);
    await userEvent.click(within(dialog).getByLabelText(/^blanks/));
    await within(dialog).findByText("Of 10 rows 5 find one product, 1 several, 4 none.");
    await userEvent.click(within(dialog).getByRole("button", { name: "Use this" }));
    expect(changed.mock.lastCall?.[0].ways[1]).toEqual({ fields: ["sku"], ignore: ["blanks"] });
    expect(fake.calls("POST /api/v1/feeds/1/matching/ways").at(-1)?.query.get("delivery_id")).toBe("7");

    const ways = [{ fields: ["maker"] }, { fields: ["sku"] }];
    const both = ways.map((way) => ({ way, found: 1, several: 0 }));
    unmount();
    draw(<Rules {...props} matching={view({ identity: { ways }, ways: both })} />);
    await userEvent.click(screen.getByRole("button", { name: "SKU earlier" }));
    expect(changed.mock.lastCall?.[0].ways).toEqual([ways[1], ways[0]]);
    await userEvent.click(screen.getByRole("button", { name: "Not by Maker's number" }));
    expect(changed.mock.lastCall?.[0]).toMatchObject({ ways: [ways[1]], rows: "refuse", article: null });
  });
});

describe("rows without a product", () => {
  const place = { feed: 1, delivery: 7, group: "none" as const, search: "", page: 0, onPage: () => {} };
  const asked = view({ identity: { article: "ArtNr" } });

  function serve(rows: MatchedRow[], total = rows.length) {
    return new FakeServer()
      .on("GET /api/v1/feeds/1/matching/rows", () => ({ total, rows }))
      .on("PUT /api/v1/feeds/1/pairings", ({ body }) => ({
        taken: 1,
        before: (body as { decisions: { article: string }[] }).decisions.map(({ article }) => ({
          article,
          decision: null,
          key: null,
        })),
      }));
  }
  const sent = (fake: FakeServer) => fake.calls("PUT /api/v1/feeds/1/pairings").map((call) => call.body);

  it("are decided by keyboard, and taken back", async () => {
    const fake = serve([row(1), row(2), row(3, { products: [] })]);
    draw(<MatchedRows {...place} matching={asked} />);
    await waitFor(() => expect(screen.getByRole("article", { name: "Row 1: A1 Chain 1" })).toHaveFocus());
    await userEvent.keyboard("2");
    await waitFor(() =>
      expect(sent(fake)).toEqual([{ decisions: [{ article: "A1", decision: "product", key: "P2" }] }]),
    );
    await userEvent.keyboard("{ArrowDown}{ArrowDown}o");
    await waitFor(() =>
      expect(sent(fake).at(-1)).toEqual({ decisions: [{ article: "A3", decision: "leave" }] }),
    );
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(sent(fake).at(-1)).toEqual({ decisions: [{ article: "A3", decision: null, key: null }] }),
    );
  });

  it("are decided together", async () => {
    const fake = serve([row(1), row(2), row(3)]);
    draw(<MatchedRows {...place} matching={asked} />);
    await userEvent.click(await screen.findByLabelText("Pick A2"));
    await userEvent.click(screen.getByLabelText("Pick A3"));
    await userEvent.click(screen.getByRole("button", { name: "Make 2 articles new" }));
    await waitFor(() =>
      expect(sent(fake)).toEqual([
        {
          decisions: [
            { article: "A2", decision: "new" },
            { article: "A3", decision: "new" },
          ],
        },
      ]),
    );
  });

  it("are paired with a product that is searched for", async () => {
    const fake = serve([row(1)]).on("GET /api/v1/stores/1/products", () => ({
      total: 1,
      products: [{ key: "Z9", title: "Chain nine" }],
    }));
    draw(<MatchedRows {...place} matching={asked} />);
    await userEvent.type(await screen.findByLabelText("Product of A1"), "nine");
    await userEvent.click(await screen.findByText("Chain nine"));
    await waitFor(() =>
      expect(sent(fake)).toEqual([{ decisions: [{ article: "A1", decision: "product", key: "Z9" }] }]),
    );
  });

  it("are only shown while nobody has said which column is their number", async () => {
    serve([row(1, { article: null })], 120);
    const turned = vi.fn();
    draw(<MatchedRows {...place} matching={view()} onPage={turned} />);
    expect(await screen.findByText(/choose the column with their own number/)).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: /^Pair with P1/ })).toBeNull();
    expect(screen.getByRole("link", { name: "P1" })).toHaveAttribute("href", "/s/1/catalog/P1");
    expect(screen.getByText("1 to 50 of 120")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Later rows" }));
    expect(turned).toHaveBeenCalledWith(1);
  });
});

describe("decided articles", () => {
  it("are listed, forgotten, and a refused file says why", async () => {
    const now = new Date().toISOString();
    const line = { article: "A1", decision: "lost", key: null, title: "", author: "Inès", at: now };
    const fake = new FakeServer()
      .on("GET /api/v1/feeds/1/pairings", () => ({ total: 1, pairings: [line] }))
      .on("PUT /api/v1/feeds/1/pairings", () => ({ taken: 1, before: [] }))
      .on("POST /api/v1/feeds/1/pairings.csv", () => ({
        title: "It cannot be read.",
        status: 422,
        detail: "'maybe' is no decision.",
        where: "line 2",
        remedy: "Write product, new or leave.",
      }));
    draw(<Pairings feed={1} matching={view()} onClose={() => {}} />);
    expect(await screen.findByText(/waits: its product is no longer in the catalog/)).toBeInTheDocument();
    const file = new File(["x"], "p.csv", { type: "text/csv" });
    await userEvent.upload(screen.getByLabelText("Pairings as CSV"), file);
    expect(await screen.findByText("'maybe' is no decision.")).toBeInTheDocument();
    expect(screen.getByText("Where: line 2")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Forget what is decided of A1" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/1/pairings").at(-1)?.body).toEqual({
        decisions: [{ article: "A1", decision: null }],
      }),
    );
  });
});
