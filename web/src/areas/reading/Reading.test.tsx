import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Route, Routes } from "react-router";
import { describe, expect, it } from "vitest";
import { FeedPlace } from "../../shell/FeedPlace";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { bench, column, delivery, feedLine, field } from "../../test/samples";
import { blank, describe as say, isWhole } from "./changes";
import { ReadingPlace } from "./Reading";

const delimited = {
  format: "delimited",
  encoding: "utf-8",
  delimiter: ";",
  quote: '"',
  header_row: 1,
  decimal: ",",
};
const view = (more: object = {}) => ({
  id: 7,
  feed_id: 1,
  file_name: "week-1.csv",
  size: 60,
  status: "waiting",
  error: "",
  reading: delimited,
  why: { encoding: "all of it is valid UTF-8", delimiter: "a semicolon gives 2 cells" },
  rows: 2,
  columns: ["a", "b"],
  problems: [
    {
      kind: "broken_row",
      level: "broken",
      message: "line 3: 3 cells where the header has 2",
      line: 3,
      row: 2,
    },
  ],
  profile: [column("a"), column("b")],
  offers: [],
  uses: {},
  because: "",
  stage: "",
  complete: true,
  accepted: false,
  has_password: false,
  ...more,
});
const PUT = "PUT /api/v1/deliveries/7/reading";

/** The place inside its feed; the server keeps what is put and shows it from then on. */
function start(first: ReturnType<typeof view>, raw: object = {}) {
  let now = first;
  const fake = new FakeServer()
    .on("GET /api/v1/stores/1/arrivals", () => ({
      feeds: [
        feedLine(),
        {
          id: 2,
          name: "Stock",
          supplier: "Quarrow Pigments",
          versions: 0,
          questions: 0,
          mapped: 0,
          deliveries: [delivery({ id: 8 })],
        },
      ],
      upload_limit: 1000,
    }))
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Ostrelle",
      product_schema: { name: "s", key: "sku", fields: ["sku", "gtin", "stock"].map((n) => field(n)) },
    }))
    .on("GET /api/v1/feeds/1/questions", () => ({ questions: [] }))
    .on("GET /api/v1/feeds/1/bench", () => bench())
    .on("GET /api/v1/deliveries/7", () => now)
    .on("GET /api/v1/deliveries/8", () => view({ id: 8, columns: ["sku", "qty"] }))
    .on("GET /api/v1/deliveries/7/raw", () => ({
      file: "week-1.csv",
      lines: ["a;b", "1;2"],
      cells: [],
      files: [],
      ...raw,
    }))
    .on("GET /api/v1/deliveries/7/rows", () => ({
      offset: 0,
      numbers: [1, 2],
      faults: [null, "line 3"],
      rows: [
        ["1", "2"],
        ["3", "4"],
      ],
    }))
    .on("POST /api/v1/deliveries/7/preview", () => ({
      columns: ["a", "b"],
      rows: [["1", "2"]],
      faults: [null],
      problems: [
        { kind: "reshaped", level: "note", message: "2 rows became 3." },
        { kind: "companion_joined", level: "note", message: "Stock: joined to 2 of 2 rows." },
      ],
    }))
    .on(PUT, ({ body }) => (now = { ...now, reading: (body as { reading: typeof delimited }).reading }));
  draw(
    <Routes>
      <Route path="/s/:store/feeds/:feed" element={<FeedPlace />}>
        <Route path="reading" element={<ReadingPlace />} />
      </Route>
    </Routes>,
    "/s/1/feeds/1/reading",
    "*",
  );
  return fake;
}

const put = (fake: FakeServer, n = 0) =>
  (fake.calls(PUT)[n]?.body as { reading: object } | undefined)?.reading;

describe("the reading", () => {
  it("shows the reasons, what was noticed, and reads again at once when a choice changes", async () => {
    const fake = start(view());
    expect(await screen.findByText("all of it is valid UTF-8")).toBeInTheDocument();
    expect(screen.getByText(/line 3: 3 cells/)).toBeInTheDocument();
    expect(screen.getByText("The table it becomes: 2 rows, 2 columns, all text")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("combobox", { name: /Encoding/ }));
    await userEvent.click(screen.getByRole("option", { name: "cp1252" }));
    await waitFor(() => expect(put(fake)).toEqual({ ...delimited, encoding: "cp1252" }));
    const header = screen.getByLabelText("Header row (0: none)");
    await userEvent.clear(header);
    await userEvent.type(header, "3{Enter}");
    await waitFor(() => expect(put(fake, 1)).toMatchObject({ header_row: 3, encoding: "cp1252" }));
  });

  it("shows the cells of a workbook and lets its sheets be chosen", async () => {
    const reading = {
      format: "workbook",
      sheets: ["One"],
      header_row: 2,
      header_height: 1,
      hidden_rows: true,
    };
    const offers = [
      { kind: "sheet", name: "One", count: 9, detail: "" },
      { kind: "sheet", name: "Two", count: 4, detail: "" },
    ];
    const fake = start(view({ reading, offers }), {
      lines: [],
      cells: [
        ["Our list", null],
        ["Code", "Price"],
        ["007", "1.5"],
      ],
    });
    const cells = await screen.findByRole("table", { name: "Cells as they are" });
    expect(within(cells).getByText("Code").closest("tr")).toHaveClass("header");
    expect(within(cells).getByText("Our list").closest("tr")).toHaveClass("above");
    await userEvent.click(screen.getByLabelText(/^Two/));
    await waitFor(() => expect(put(fake)).toMatchObject({ sheets: ["One", "Two"] }));
  });

  it("offers the elements of an XML file with their counts", async () => {
    const offers = [
      { kind: "records", name: "shop/item", count: 12, detail: "no, name", more: true },
      { kind: "records", name: "shop/item/size", count: 30, detail: "code", more: false },
    ];
    const fake = start(view({ reading: { format: "xml", records: "shop/item", decimal: "." }, offers }));
    await userEvent.click(await screen.findByRole("combobox", { name: /Element that becomes a row/ }));
    await userEvent.click(screen.getByRole("option", { name: "size · 30" }));
    await waitFor(() => expect(put(fake)).toMatchObject({ records: "shop/item/size" }));
  });

  it("lists an archive's files and folders of pictures", async () => {
    const files = [
      { name: "in/items.csv", size: 100, kind: "table", encrypted: false },
      { name: "in/pics/1.png", size: 10, kind: "picture", encrypted: false },
      { name: "in/pics/2.png", size: 10, kind: "picture", encrypted: false },
    ];
    start(view(), { files });
    expect(await screen.findByRole("button", { name: /in\/items.csv/ })).toBeEnabled();
    expect(screen.getByText("2 pictures")).toBeInTheDocument();
  });

  it("reshapes: says it, sees it, keeps it, takes it away", async () => {
    const fake = start(view());
    await userEvent.click(await screen.findByRole("button", { name: "Change the shape" }));
    await userEvent.click(screen.getByRole("menuitem", { name: /^Carry down/ }));
    const dialog = screen.getByRole("dialog");
    await userEvent.click(await within(dialog).findByLabelText("Column"));
    await userEvent.click(screen.getByRole("option", { name: "a" }));
    expect(await within(dialog).findByText(/2 rows became 3/)).toBeInTheDocument();
    await userEvent.click(within(dialog).getByRole("button", { name: "Keep it" }));
    await waitFor(() =>
      expect(put(fake)).toMatchObject({ reshape: [{ do: "carry", column: "a", into: "Group" }] }),
    );
    await userEvent.click(await screen.findByRole("button", { name: "Remove Carry down" }));
    await waitFor(() => expect(put(fake, 1)).toMatchObject({ reshape: [] }));
  });

  it("takes the names from the first of records that are lists", async () => {
    const json = { format: "json", records: "rows", header: false, decimal: "." };
    const fake = start(view({ reading: json, columns: ["Column 1", "Column 2"] }));
    await userEvent.click(await screen.findByLabelText("The first list holds the names"));
    await waitFor(() => expect(put(fake)).toMatchObject({ records: "rows", header: true }));
  });

  it("sums alike problems up, the gravest kinds first", async () => {
    const hint = (n: number) => ({ kind: "formula", level: "doubt", message: `K${n}: no result` });
    const broken = { kind: "broken_row", level: "broken", message: "line 3 is short" };
    start(view({ problems: [...Array.from({ length: 9 }, (_, n) => hint(n)), broken] }));
    const box = await screen.findByRole("region", { name: "Noticed while reading" });
    const said = () => within(box).getAllByText(/is short|no result/);
    expect(said().map((e) => e.textContent)).toEqual(["line 3 is short", "K0: no result", "K1: no result"]);
    await userEvent.click(within(box).getByRole("button", { name: "7 more like this" }));
    expect(said()).toHaveLength(10);
  });

  it("joins the newest delivery of another feed on a key", async () => {
    const fake = start(view());
    await userEvent.click(await screen.findByRole("button", { name: "Join a second table" }));
    const pick = async (label: string, option: RegExp) => {
      await userEvent.click(screen.getByLabelText(label));
      await userEvent.click(await screen.findByRole("option", { name: option }));
    };
    await pick("Table", /Stock \(its newest delivery\)/);
    await pick("Column here", /^a$/);
    await pick("Column there", /^sku$/);
    expect(await screen.findByText(/joined to 2 of 2 rows/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Join it" }));
    await waitFor(() =>
      expect(put(fake)).toMatchObject({
        companions: [{ name: "Stock", feed: 2, keys: [{ column: "a", theirs: "sku" }] }],
      }),
    );
  });

  it("joins the store's catalog by one of its fields, with those that come along", async () => {
    const fake = start(view());
    await userEvent.click(await screen.findByRole("button", { name: "Join a second table" }));
    const pick = async (label: string, option: RegExp) => {
      await userEvent.click(screen.getByLabelText(label));
      await userEvent.click(await screen.findByRole("option", { name: option }));
    };
    await pick("Table", /The store's catalog/);
    expect(screen.getByLabelText("Called")).toHaveValue("Catalog");
    await pick("Column here", /^a$/);
    await pick("Column there", /^gtin$/);
    await userEvent.click(screen.getByLabelText("Fields that come along"));
    await userEvent.click(await screen.findByRole("option", { name: "stock" }));
    await userEvent.keyboard("{Escape}");
    await userEvent.click(screen.getByRole("button", { name: "Join it" }));
    await waitFor(() =>
      expect(put(fake)).toMatchObject({
        companions: [
          { name: "Catalog", catalog: ["stock"], reading: null, keys: [{ column: "a", theirs: "gtin" }] },
        ],
      }),
    );
  });

  it("says why a file does not become a table, and asks for a password", async () => {
    const fake = start(
      view({
        status: "unreadable",
        error: "The archive is protected by a password.",
        rows: 0,
        columns: [],
        profile: [],
      }),
    )
      .on("PUT /api/v1/feeds/1/password", () => ({}))
      .on("POST /api/v1/deliveries/7/read", () => view());
    expect(await screen.findByText(/protected by a password/)).toBeInTheDocument();
    expect(screen.getByText("It does not become a table")).toBeInTheDocument();
    await userEvent.type(screen.getByLabelText(/Password of this feed/), "cobalt{Enter}");
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/1/password")[0]?.body).toEqual({ password: "cobalt" }),
    );
    await waitFor(() => expect(fake.calls("POST /api/v1/deliveries/7/read")).toHaveLength(1));
  });

  it("holds a file that broke off until a person takes it as it is", async () => {
    const fake = start(view({ complete: false })).on("POST /api/v1/deliveries/7/accept", () =>
      view({ complete: false, accepted: true }),
    );
    await userEvent.click(await screen.findByRole("button", { name: "Use what is here" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/deliveries/7/accept")).toHaveLength(1));
  });

  it("shows the head while a worker reads the rest, and can stop it", async () => {
    const fake = start(view({ status: "reading", stage: "50,000 records read" })).on(
      "POST /api/v1/deliveries/7/stop",
      () => view(),
    );
    expect(await screen.findByText(/50,000 records read/)).toBeInTheDocument();
    expect(await screen.findByRole("table", { name: "The head of the table" })).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Stop" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/deliveries/7/stop")).toHaveLength(1));
  });
});

describe("a change of shape", () => {
  it("is said in words, and is whole only when it says enough", () => {
    for (const kind of ["unfold", "gather", "bundle", "attributes", "keep"] as const)
      expect(isWhole(blank(kind))).toBe(false);
    expect(isWhole(blank("take"))).toBe(true);
    expect(say({ do: "unfold", columns: ["size"], separator: "|" })).toBe(
      "a row for each entry of size, cut at |",
    );
    expect(say({ do: "gather", by: ["id"], columns: { a: "align", b: "join" } })).toBe(
      "a row for each id; 1 columns as lists",
    );
    expect(say({ do: "keep", column: "state", test: "is_not", values: ["old"] })).toBe(
      "state is none of old",
    );
    expect(say({ do: "take", first: 3, last: null })).toBe("3 to the end");
  });
});
