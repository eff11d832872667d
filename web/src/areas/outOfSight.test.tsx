import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { Start } from "../shell/Start";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { delivery, feedLine, field } from "../test/samples";
import { Arrivals } from "./arrivals/Arrivals";
import { LookupChoice } from "./bench/LookupChoice";
import { Store } from "./store/Store";
import { TreeFromFile } from "./store/files";

/** The upload of a file, which goes by another way than fetch. */
class Upload {
  static answer: unknown = {};
  static sent: string[] = [];
  upload: { onprogress?: unknown } = {};
  status = 200;
  responseType = "";
  onload = () => {};
  private url = "";
  get response() {
    return Upload.answer;
  }
  open(_: string, url: string) {
    this.url = url;
  }
  send(form: FormData) {
    Upload.sent.push(`${this.url} ${(form.get("file") as File).name}`);
    this.onload();
  }
}

function arrivals() {
  const fake = new FakeServer()
    .on("GET /api/v1/stores/1/arrivals", () => ({
      feeds: [
        feedLine({ id: 3, name: "list", supplier: "Kiln" }),
        feedLine({ id: 4, name: "list", supplier: "Clay", deliveries: [] }),
      ],
      upload_limit: 1000,
    }))
    .on("GET /api/v1/demo/feeds/3/next", () => ({ file_name: "" }))
    .on("GET /api/v1/demo/feeds/4/next", () => ({ file_name: "" }));
  draw(<Arrivals />, "/s/1/arrivals", "/s/:store/*");
  return fake;
}

async function choose(menu: string, item: string) {
  await userEvent.click(await screen.findByRole("button", { name: menu }));
  await userEvent.click(screen.getByRole("menuitem", { name: item }));
  return screen.getByRole("dialog");
}

describe("a feed", () => {
  it("is renamed, and back", async () => {
    const fake = arrivals().on("PUT /api/v1/feeds/3/name", () => ({ done: true }));
    const dialog = await choose("More for Kiln, list", "Rename the feed");
    const name = within(dialog).getByLabelText("Feed");
    expect(within(dialog).getByRole("button", { name: "Rename it" })).toBeDisabled();
    await userEvent.clear(name);
    await userEvent.type(name, "Prices{Enter}");
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/3/name").map((s) => s.body)).toEqual([
        { name: "Prices" },
        { name: "list" },
      ]),
    );
  });
});

describe("a delivery on the wrong feed", () => {
  it("is moved to another one, and a refusal is shown where it was asked", async () => {
    let refused = true;
    const fake = arrivals().on("POST /api/v1/deliveries/7/move", () =>
      refused
        ? {
            title: "Conflict",
            status: 409,
            detail: "Run 2 of this delivery is applied.",
            remedy: "Undo it first.",
          }
        : { ...delivery(), feed_id: 4 },
    );
    const dialog = await choose("More for week-1.csv", "Move to another feed");
    await userEvent.click(within(dialog).getByRole("button", { name: "Move it" }));
    expect(await within(dialog).findByText("Undo it first.")).toBeInTheDocument();
    refused = false;
    await userEvent.click(within(dialog).getByRole("button", { name: "Move it" }));
    expect(await screen.findByText("Moved week-1.csv")).toBeInTheDocument();
    expect(fake.calls("POST /api/v1/deliveries/7/move").map((s) => s.body)).toEqual([
      { feed_id: 4 },
      { feed_id: 4 },
    ]);
  });
});

const removed = [
  { kind: "delivery", id: 7, name: "week-1.csv", removed_at: new Date().toISOString() },
  { kind: "feed", id: 3, name: "Kiln, list", removed_at: new Date().toISOString() },
];

describe("what was removed", () => {
  it("is listed under the store and brought back", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/stores/1/removed", () => ({ removed }))
      .on("GET /api/v1/stores/removed", () => ({ removed: [] }))
      .on("DELETE /api/v1/removals/feed/3", () => ({ done: true }));
    draw(<Store />, "/s/1/schema?view=removed", "/s/:store/schema");
    const row = await screen.findByRole("row", { name: /feed Kiln, list/ });
    await userEvent.click(within(row).getByRole("button", { name: "Bring back" }));
    expect(await screen.findByText("Kiln, list is back")).toBeInTheDocument();
    expect(fake.calls("DELETE /api/v1/removals/feed/3")).toHaveLength(1);
  });

  it("is told where nothing was", async () => {
    new FakeServer()
      .on("GET /api/v1/stores/1/removed", () => ({ removed: [] }))
      .on("GET /api/v1/stores/removed", () => ({ removed: [] }));
    draw(<Store />, "/s/1/schema?view=removed", "/s/:store/schema");
    expect(await screen.findByText("Nothing was removed")).toBeInTheDocument();
  });

  it("leaves a way back when it was the last store", async () => {
    const store = { kind: "store", id: 1, name: "Kiln", removed_at: new Date().toISOString() };
    const fake = new FakeServer()
      .on("GET /api/v1/stores", () => ({ stores: [] }))
      .on("GET /api/v1/stores/removed", () => ({ removed: [store] }))
      .on("DELETE /api/v1/removals/store/1", () => ({ done: true }));
    draw(<Start />, "/", "/");
    expect(await screen.findByRole("heading", { name: "No store yet" })).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: "Remove this store" })).toBeNull();
    await userEvent.click(await screen.findByRole("button", { name: "Bring back" }));
    await waitFor(() => expect(fake.calls("DELETE /api/v1/removals/store/1")).toHaveLength(1));
  });
});

describe("a tree out of a file", () => {
  it("is looked at before it is added", async () => {
    vi.stubGlobal("XMLHttpRequest", Upload);
    Upload.answer = { paths: ["Garden", "Garden > Spades"], known: 3 };
    const fake = new FakeServer().on("POST /api/v1/stores/1/categories", ({ body }) => body);
    draw(<TreeFromFile store={1} />);
    await userEvent.upload(screen.getByLabelText("File of categories"), new File(["x"], "tree.csv"));
    const dialog = await screen.findByRole("dialog", { name: "Categories of the file" });
    expect(within(dialog).getByText(/2 categories are new; 3 are there already/)).toBeVisible();
    expect(
      within(dialog)
        .getAllByRole("listitem")
        .map((l) => l.textContent),
    ).toEqual(["Garden", "Garden > Spades"]);
    expect(fake.sent).toEqual([]);
    await userEvent.click(within(dialog).getByRole("button", { name: "Add 2 categories" }));
    await waitFor(() => expect(fake.sent[0]?.body).toEqual({ paths: ["Garden", "Garden > Spades"] }));
  });

  it("that brings nothing new adds nothing", async () => {
    vi.stubGlobal("XMLHttpRequest", Upload);
    Upload.answer = { paths: [], known: 3 };
    draw(<TreeFromFile store={1} />);
    await userEvent.upload(screen.getByLabelText("File of categories"), new File(["x"], "tree.csv"));
    expect(await screen.findByRole("button", { name: "Add 0 categories" })).toBeDisabled();
  });
});

describe("a ladder", () => {
  const ladder = { name: "Retail", currency: "EUR", rungs: [{ start: "0", kind: "markup", amount: "50" }] };
  const server = (ladders: unknown[]) =>
    new FakeServer()
      .on("GET /api/v1/stores/1/lookups", () => ({
        lookups: ladders.length
          ? [{ kind: "ladder", name: "Retail", entries: 1, feeds: ["Kiln, list"] }]
          : [],
        rates: [],
        rates_address: "",
        chains: [],
        ladders,
      }))
      .on("GET /api/v1/stores/1/schema", () => ({
        store_id: 1,
        store: "Kiln",
        product_schema: { name: "Pots", key: "sku", fields: [field("sku")] },
      }))
      .on("PUT /api/v1/stores/1/ladders", ({ body }) => body);

  it("is changed under the store, with who uses it, and back", async () => {
    const fake = server([ladder]);
    draw(<Store />, "/s/1/schema?view=ladders", "/s/:store/schema");
    const box = await screen.findByRole("region", { name: "Ladder Retail" });
    expect(within(box).getByText(/Used by Kiln, list/)).toBeInTheDocument();
    const amount = within(box).getByLabelText("Amount");
    await userEvent.clear(amount);
    await userEvent.type(amount, "60{Enter}");
    await userEvent.click(within(box).getByRole("button", { name: "Save the ladder" }));
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    const amounts = () =>
      fake.calls("PUT /api/v1/stores/1/ladders").map((s) => (s.body as typeof ladder).rungs[0]?.amount);
    await waitFor(() => expect(amounts()).toEqual(["60", "50"]));
  });

  it("is made in the step that misses it", async () => {
    const chosen = vi.fn();
    server([]);
    draw(<LookupChoice kind="ladder" label="ladder" value="" onChange={chosen} />, "/s/1/x", "/s/:store/x");
    await userEvent.click(await screen.findByRole("button", { name: "New ladder" }));
    await userEvent.type(screen.getByLabelText("Percent"), "40");
    await waitFor(() => expect(screen.getByRole("button", { name: "Make it" })).toBeEnabled());
    await userEvent.click(screen.getByRole("button", { name: "Make it" }));
    await waitFor(() => expect(chosen).toHaveBeenCalledWith("Retail"));
  });
});
