import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FakeServer, type Sent } from "../test/fakeServer";
import { draw } from "../test/render";
import { runView } from "../test/samples";
import { Product } from "./catalog/Product";
import { Publish } from "./catalog/Publish";
import { Review } from "./review/Review";
import { Runs } from "./runs/Runs";

const fields = [
  { name: "sku", title: "SKU", kind: "identifier", role: "key", required: true, allowed: [] },
  { name: "price", title: "Price", kind: "money", currency: "EUR", role: "price", allowed: [] },
  { name: "colour", title: "Colour", kind: "choice", allowed: ["Red", "Blue"] },
];

const DAY = "2031-03-05";

const waits = (more = {}) => ({
  id: 5,
  key: "QP-1",
  title: "Cobalt",
  field: "price",
  label: "Price",
  value: "9.50",
  holds: "8.95",
  day: DAY,
  author: "Ines",
  reason: "",
  ...more,
});

function shop(refuse = false) {
  let content: Record<string, string> = { sku: "QP-1", price: "8.95" };
  let dated: ReturnType<typeof waits>[] = [];
  const detail = () => ({
    product: {
      key: "QP-1",
      title: "Cobalt",
      category: "Paint",
      supplier: "Quarrow",
      state: "live",
      content,
      changed_at: new Date().toISOString(),
      kept: [],
    },
    history:
      content["price"] === "9.50"
        ? [
            {
              run_id: 9,
              at: new Date().toISOString(),
              kind: "changed",
              run_kind: "edit",
              author: "Ines",
              undone_by: null,
              changes: [{ field: "price", before: "8.95", after: "9.50" }],
            },
          ]
        : [],
    variants: [],
    declined: [],
    coming: [],
    dated,
  });
  return new FakeServer()
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Ostrelle",
      product_schema: { name: "Products", key: "sku", fields },
    }))
    .on("GET /api/v1/stores/1/offers/QP-1", () => ({ offers: [], fields: [] }))
    .on("GET /api/v1/stores/1/products/QP-1", detail)
    .on("PUT /api/v1/stores/1/products/QP-1", ({ body }: Sent) => {
      if (refuse) throw new Error("Price: 'dear' is no number");
      const { values, day } = body as { values: Record<string, string | null>; day?: string };
      if (day) {
        dated = [waits({ day, value: values["price"] })];
        return detail();
      }
      for (const [name, value] of Object.entries(values)) {
        content = { ...content, [name]: value === "9.5" ? "9.50" : (value ?? "") };
        if (value === null) content = Object.fromEntries(Object.entries(content).filter(([n]) => n !== name));
      }
      return detail();
    })
    .on("DELETE /api/v1/stores/1/dated/5", () => {
      dated = [];
      return { done: true };
    });
}

async function opened(title: string) {
  draw(<Product />, "/s/1/catalog/QP-1", "/s/:store/catalog/:key");
  const record = within(await screen.findByRole("region", { name: "Record" }));
  await userEvent.click(record.getByTitle(`Change ${title}, and where it comes from`));
  return record;
}

describe("a value of a product", () => {
  it("is written by Enter, says what was seen, and comes back by one key", async () => {
    const fake = shop();
    const record = await opened("Price");
    const box = record.getByLabelText("Value of Price");
    expect(record.getByRole("button", { name: "Write" })).toBeDisabled();
    await userEvent.clear(box);
    await userEvent.type(box, "9.5{Enter}");
    expect(await record.findByTitle("9.50")).toBeInTheDocument();
    expect(await record.findByText(/By hand, Ines, in/)).toBeInTheDocument();
    const asked = fake.calls("PUT /api/v1/stores/1/products/QP-1");
    expect(asked[0]?.body).toEqual({ values: { price: "9.5" }, saw: { price: "8.95" } });
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    expect(await record.findByTitle("8.95")).toBeInTheDocument();
    expect(asked[1]?.body ?? fake.calls("PUT /api/v1/stores/1/products/QP-1")[1]?.body).toEqual({
      values: { price: "8.95" },
      saw: { price: "9.50" },
    });
  });

  it("is chosen where the store has a list, also where there was none", async () => {
    const fake = shop();
    draw(<Product />, "/s/1/catalog/QP-1", "/s/:store/catalog/:key");
    const record = within(await screen.findByRole("region", { name: "Record" }));
    await userEvent.click(record.getByRole("button", { name: /Show 1 empty field/ }));
    await userEvent.click(record.getByTitle("Change Colour, and where it comes from"));
    await userEvent.click(record.getByRole("combobox", { name: "Value of Colour" }));
    await userEvent.click(await screen.findByRole("option", { name: "Blue" }));
    await userEvent.click(record.getByRole("button", { name: "Write" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/stores/1/products/QP-1")[0]?.body).toEqual({
        values: { colour: "Blue" },
        saw: { colour: null },
      }),
    );
  });

  it("stays as it is where it is refused, with what was typed still there", async () => {
    shop(true);
    const record = await opened("Price");
    const box = record.getByLabelText("Value of Price");
    await userEvent.clear(box);
    await userEvent.type(box, "dear{Enter}");
    await waitFor(() => expect(record.getByRole("button", { name: "Write" })).toBeEnabled());
    expect(box).toHaveValue("dear");
    expect(record.getByTitle("8.95")).toBeInTheDocument();
  });
});

describe("a value from a day on", () => {
  it("waits beside the one that holds until then, and is taken back by one key", async () => {
    const fake = shop();
    const record = await opened("Price");
    await userEvent.type(record.getByLabelText("Day from which Price holds"), DAY);
    await userEvent.clear(record.getByLabelText("Value of Price"));
    await userEvent.type(record.getByLabelText("Value of Price"), "12");
    await userEvent.click(record.getByRole("button", { name: "Have it wait" }));
    const list = within(await record.findByRole("list", { name: "Waiting for their day" }));
    expect(list.getByRole("listitem")).toHaveTextContent("5 Mar 2031Price 8.95 → 12 by Ines");
    expect(fake.calls("PUT /api/v1/stores/1/products/QP-1")[0]?.body).toEqual({
      values: { price: "12" },
      saw: { price: "8.95" },
      day: DAY,
    });
    expect(record.getByTitle("8.95")).toBeInTheDocument();
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(record.queryByRole("list", { name: "Waiting for their day" })).toBeNull());
  });

  it("of any product stands above the runs, says why it was refused, and may wait again", async () => {
    const fake = shop()
      .on("GET /api/v1/stores/1/runs", () => ({
        total: 1,
        runs: [runView({ id: 8, kind: "dated", supplier: "", author: "Ines", version: null })],
      }))
      .on("GET /api/v1/stores/1/dated", () => ({
        total: 2,
        values: [waits(), waits({ id: 6, field: "$state", label: "State", value: "live", reason: "Out." })],
      }));
    draw(<Runs />, "/s/1/runs", "/s/:store/runs");
    expect(await screen.findByText("Its day has come, Ines")).toBeInTheDocument();
    const [price, state] = await screen.findAllByRole("listitem");
    expect(within(price!).getByRole("link", { name: "Cobalt" })).toHaveAttribute("href", "/s/1/catalog/QP-1");
    expect(state).toHaveTextContent("Out.");
    fake.on("DELETE /api/v1/stores/1/dated/6", () => ({ done: true }));
    await userEvent.click(screen.getByRole("button", { name: "Take back State of QP-1" }));
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/stores/1/products/QP-1")[0]?.body).toEqual({
        state: "live",
        day: DAY,
      }),
    );
  });
});

describe("a run by hand", () => {
  const edit = runView({
    id: 9,
    kind: "edit",
    feed_id: null,
    delivery_id: null,
    version: null,
    supplier: "",
    file_name: "",
    author: "Ines",
    status: "applied",
    counts: { changed: 1 },
  });

  it("says who wrote it, and has neither bench nor crosswalk", async () => {
    new FakeServer()
      .on("GET /api/v1/runs/9", () => edit)
      .on("GET /api/v1/runs/9/summary", () => ({
        arrived: 0,
        fields: [],
        groupings: [],
        strange: [],
        made: null,
        spreads: [],
        reasons: [],
      }))
      .on("GET /api/v1/runs/9/rows", () => ({ total: 0, rows: [] }));
    draw(<Review />, "/s/1/runs/9", "/s/:store/runs/:run");
    expect(await screen.findByRole("heading", { name: "By hand, Ines" })).toBeInTheDocument();
    expect(screen.queryByRole("link", { name: "Bench" })).toBeNull();
    expect(screen.queryByText(/crosswalk version/)).toBeNull();
    expect(screen.getByRole("button", { name: "Undo this run" })).toBeEnabled();
  });

  it("stands in the list beside the others", async () => {
    const fake = new FakeServer().on("GET /api/v1/stores/1/dated", () => ({ total: 0, values: [] }));
    fake.on("GET /api/v1/stores/1/runs", () => ({
      total: 1,
      runs: [edit, runView({ id: 8 }), { ...edit, id: 7, author: "" }],
    }));
    draw(<Runs />, "/s/1/runs", "/s/:store/runs");
    expect(await screen.findByText("By hand, Ines")).toBeInTheDocument();
    expect(screen.getByText("By hand")).toBeInTheDocument();
    expect(screen.getAllByText(/^version/)).toHaveLength(1);
  });
});

describe("the state of many products", () => {
  it("is a run that is looked at first, over what is shown", async () => {
    const fake = new FakeServer()
      .on("POST /api/v1/stores/1/states", ({ body }) =>
        (body as { to: string }).to === "archived"
          ? { title: "Conflict", status: 409, detail: "All 12 products are archived already." }
          : { id: 31 },
      )
      .on("GET /api/v1/stores/1/runs", () => ({ runs: [], total: 0 }));
    const look = {
      category: "Paint",
      search: "co",
      state: "hidden",
      where: [],
      columns: [],
      sort: "key",
      descending: false,
    };
    const { router } = draw(<Publish store={1} total={12} look={look} />);
    const choose = async (name: string) => {
      await userEvent.click(screen.getByRole("button", { name: "State of all" }));
      await userEvent.click(screen.getByRole("menuitem", { name }));
    };
    await choose("Make 12 products archived …");
    expect(await screen.findByText("All 12 products are archived already.")).toBeInTheDocument();
    await choose("Make 12 products live …");
    await waitFor(() => expect(router.state.location.pathname).toBe("/s/1/runs/31"));
    expect(fake.calls("POST /api/v1/stores/1/states").at(-1)?.body).toEqual({
      to: "live",
      where: [],
      category: "Paint",
      search: "co",
      state: "hidden",
    });
  });
});
