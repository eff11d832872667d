import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { Prepare } from "../shell/Prepare";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { bench, state } from "../test/samples";
import { Arrivals } from "./arrivals/Arrivals";
import { supplierOf } from "./arrivals/pasted";
import { Together } from "./questions/ManyColumns";
import type { Question } from "../api/hooks";

const feed = {
  id: 3,
  name: "list",
  supplier: "Kiln",
  versions: 0,
  questions: 0,
  mapped: 0,
  needs: "calm",
  held: 0,
  joined_to: [],
  rows: [],
  prices: [],
  deliveries: [],
};
const delivery = { id: 9, status: "waiting", complete: true };

function arrivals(feeds: unknown[] = []) {
  const fake = new FakeServer()
    .on("GET /api/v1/stores/1/arrivals", () => ({ feeds, upload_limit: 1000 }))
    .on("GET /api/v1/demo/feeds/3/next", () => ({ file_name: "" }))
    .on("POST /api/v1/stores/1/feeds", () => ({ id: 4 }));
  const drawn = draw(<Arrivals />, "/s/1/arrivals", "/s/:store/*");
  return { fake, drawn };
}

/** What was sent as a form; the upload goes by another way than fetch. */
const sent: { url: string; name: string; text: string }[] = [];
class Upload {
  upload: { onprogress?: unknown } = {};
  status = 201;
  response = delivery;
  responseType = "";
  onload = () => {};
  onerror = () => {};
  private url = "";
  open(_: string, url: string) {
    this.url = url;
  }
  async send(form: FormData) {
    const file = form.get("file") as File;
    sent.push({ url: this.url, name: file.name, text: await file.text() });
    this.onload();
  }
}

describe("a file without a name of its own", () => {
  it.each([
    ["anvil-tools-2026-11.xlsx", "Anvil Tools"],
    ["Preisliste_Müller & Söhne.csv", "Müller Söhne"],
    ["20261126.csv", ""],
    ["price-list.csv", "Price List"],
  ])("%s is of %s, as far as one can tell", (name, supplier) => {
    expect(supplierOf(name)).toBe(supplier);
  });

  it("needs none where a feed begins as another one was saved", async () => {
    const { fake, drawn } = arrivals();
    fake.on("POST /api/v1/stores/1/feeds/from-profile", () => ({ id: 8 }));
    await userEvent.click(await screen.findByRole("button", { name: "New feed" }));
    const choose = screen.getByLabelText("Profile of a feed");
    await userEvent.upload(choose, new File(["[]"], "other.json", { type: "application/json" }));
    expect(await screen.findByText(/other\.json is no profile of a feed/)).toBeVisible();
    const profile = { format: "nomotax-feed-profile", supplier: "Tiemann", name: "Preise" };
    const saved = new File([JSON.stringify(profile)], "feed.json", { type: "application/json" });
    await userEvent.upload(choose, saved);
    expect(await screen.findByText(/It begins as Tiemann, Preise was/)).toBeVisible();
    await userEvent.type(screen.getByLabelText(/^Feed/), " neu");
    await userEvent.click(screen.getByRole("button", { name: "Make it" }));
    await waitFor(() => expect(drawn.router.state.location.pathname).toBe("/s/1/feeds/8/profile"));
    const [made] = fake.calls("POST /api/v1/stores/1/feeds/from-profile");
    expect(made?.body).toEqual({ ...profile, name: "Preise neu" });
  });

  it("is none where a feed begins with an address: that is kept, and fetched at once", async () => {
    const { fake, drawn } = arrivals();
    const wrong = { title: "No", status: 422, detail: "'kiln' is no web address" };
    fake
      .on("PUT /api/v1/feeds/4/source", ({ body }) =>
        JSON.stringify(body).includes("https://")
          ? { source: null, said: "", kept: [], token: false }
          : wrong,
      )
      .on("POST /api/v1/feeds/4/fetches", () => ({ id: 1, status: "queued" }));
    await userEvent.click(await screen.findByRole("button", { name: "New feed" }));
    await userEvent.type(screen.getByLabelText(/^Supplier/), "Kiln");
    const address = screen.getByLabelText("Or where it is on the web");
    await userEvent.type(address, "kiln");
    await userEvent.click(screen.getByRole("button", { name: "Make it" }));
    expect(await screen.findByText("'kiln' is no web address")).toBeVisible();
    await userEvent.clear(address);
    await userEvent.type(address, "https://kiln.example/list.csv");
    await userEvent.click(screen.getByRole("button", { name: "Make it" }));
    await waitFor(() => expect(drawn.router.state.location.pathname).toBe("/s/1/feeds/4/profile"));
    expect(fake.calls("POST /api/v1/stores/1/feeds")).toHaveLength(1);
    expect(fake.calls("PUT /api/v1/feeds/4/source").at(-1)?.body).toEqual({
      source: { kind: "web", addresses: ["https://kiln.example/list.csv"] },
    });
    expect(fake.calls("POST /api/v1/feeds/4/fetches")).toHaveLength(1);
  });

  it("is pasted, given a feed, read, and its bench opened", async () => {
    sent.length = 0;
    vi.stubGlobal("XMLHttpRequest", Upload);
    const { fake, drawn } = arrivals();
    await screen.findByText("No feeds yet");
    fireEvent.paste(document.body, {
      clipboardData: { files: [], getData: () => "Code\tTitle\n1\tCup\n2\tBowl\n" },
    });
    const dialog = await screen.findByRole("dialog", { name: "Whose file is pasted-rows.tsv?" });
    await userEvent.clear(within(dialog).getByLabelText("Supplier", { exact: false }));
    await userEvent.type(within(dialog).getByLabelText("Supplier", { exact: false }), "Kiln");
    await userEvent.click(within(dialog).getByRole("button", { name: "Make it" }));
    await waitFor(() => expect(drawn.router.state.location.pathname).toBe("/s/1/feeds/4/bench"));
    expect(fake.calls("POST /api/v1/stores/1/feeds")[0]?.body).toEqual({
      supplier: "Kiln",
      name: "Price list",
    });
    expect(sent).toEqual([
      { url: "/api/v1/feeds/4/deliveries", name: "pasted-rows.tsv", text: "Code\tTitle\n1\tCup\n2\tBowl\n" },
    ]);
  });

  it("dropped beside the boxes may go to a feed that is there", async () => {
    sent.length = 0;
    vi.stubGlobal("XMLHttpRequest", Upload);
    const { fake, drawn } = arrivals([feed]);
    const heading = await screen.findByRole("heading", { name: "Arrivals" });
    const files = [new File(["a;b\n1;2\n"], "anvil.csv")];
    fireEvent.drop(heading, { dataTransfer: { files } });
    const dialog = await screen.findByRole("dialog", { name: "Whose file is anvil.csv?" });
    expect(within(dialog).getByLabelText("Supplier", { exact: false })).toHaveValue("Anvil");
    await userEvent.click(within(dialog).getByLabelText("Goes to"));
    await userEvent.click(screen.getByRole("option", { name: "Kiln, list" }));
    await userEvent.click(within(dialog).getByRole("button", { name: "Receive it" }));
    await waitFor(() => expect(drawn.router.state.location.pathname).toBe("/s/1/feeds/3/bench"));
    expect(sent.map((s) => s.url)).toEqual(["/api/v1/feeds/3/deliveries"]);
    expect(fake.calls("POST /api/v1/stores/1/feeds")).toEqual([]);
  });

  it("over the limit is refused before it is sent, and the feed is made but once", async () => {
    sent.length = 0;
    vi.stubGlobal("XMLHttpRequest", Upload);
    const { fake } = arrivals();
    fireEvent.drop(await screen.findByRole("heading", { name: "Arrivals" }), {
      dataTransfer: { files: [new File(["x".repeat(2000)], "kiln.csv")] },
    });
    const make = await screen.findByRole("button", { name: "Make it" });
    await userEvent.click(make);
    expect(await screen.findByText(/at most/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Receive it" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/stores/1/feeds")).toHaveLength(1));
    expect(sent).toEqual([]);
  });
});

describe("a trial", () => {
  it("is prepared of the rows that are named, and of no others", async () => {
    const fake = new FakeServer()
      .on("POST /api/v1/feeds/3/runs", () => ({ id: 12 }))
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [], upload_limit: 1 }));
    draw(<Prepare store={1} feed={3} delivery={7} rows={900} />, "/s/1/feeds/3/bench", "/s/:store/*");
    await userEvent.click(screen.getByRole("button", { name: "Some rows, or from a day" }));
    const last = screen.getByLabelText("To row");
    await userEvent.clear(last);
    await userEvent.type(last, "0x");
    expect(screen.getByRole("button", { name: "Prepare this" })).toBeDisabled();
    await userEvent.clear(last);
    await userEvent.type(last, "50{Enter}");
    await waitFor(() => expect(fake.calls("POST /api/v1/feeds/3/runs")).toHaveLength(1));
    const query = Object.fromEntries(fake.calls("POST /api/v1/feeds/3/runs")[0]!.query);
    expect(query).toEqual({ delivery_id: "7", first: "1", last: "50" });
  });
});

describe("many columns", () => {
  const asked = (subject: string, suggestion: Question["suggestion"] = null): Question => ({
    kind: "column",
    subject,
    touches: 1,
    text: "",
    suggestion,
  });
  const spares = ["spare_1", "spare_2"].map((name) => state(name, {}, { spare: true }));
  const saved = (fake: FakeServer) =>
    (fake.calls("PUT /api/v1/feeds/1/draft").at(-1)?.body as { crosswalk: unknown } | undefined)?.crosswalk;

  function together(questions: Question[]) {
    const names = questions.map((q) => q.subject);
    const now = bench({ undecided: names, fields: [state("sku"), state("name"), ...spares] });
    const fake = new FakeServer().on("PUT /api/v1/feeds/1/draft", () => now);
    draw(<Together questions={questions} bench={now} />);
    return fake;
  }

  it("are parked together while so many spare fields are free", async () => {
    const fake = together(["a", "b", "c"].map((name) => asked(name)));
    await userEvent.click(screen.getByRole("button", { name: "Decide together" }));
    await userEvent.click(screen.getByRole("button", { name: "Park them" }));
    expect(await screen.findByText(/Only 2 spare fields are free for 3 columns/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Decide together" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "b" }));
    await userEvent.click(screen.getByRole("button", { name: "Park them" }));
    await waitFor(() => expect(saved(fake)).toMatchObject({ parked: { a: "spare_1", c: "spare_2" } }));
  });

  it("take their suggestions together, but for those unticked", async () => {
    const fill = (column: string) => ({ parts: [{ column }] });
    const one = (column: string, to: string, shapes = false) =>
      asked(column, {
        field: to,
        column,
        score: 60,
        sure: false,
        shapes,
        reasons: ["alike"],
        fill: fill(column),
      });
    // The same suggestion asked about as a field, and one that would price by itself.
    const field = { ...one("a", "sku"), kind: "field" as const, subject: "sku" };
    const fake = together([
      field,
      one("a", "sku"),
      one("b", "name"),
      one("c", "spare_1"),
      one("d", "spare_2", true),
    ]);
    expect(screen.getByText("4 fields have a suggestion.")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Look at them together" }));
    expect(screen.getByRole("checkbox", { name: "d → Spare_2" })).not.toBeChecked();
    expect(screen.getByText("makes other values; alike")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("checkbox", { name: "b → Name" }));
    await userEvent.click(screen.getByRole("button", { name: "Accept 2 suggestions" }));
    await waitFor(() => expect(saved(fake)).toMatchObject({ fills: { sku: fill("a"), spare_1: fill("c") } }));
    expect(saved(fake)).not.toMatchObject({ fills: { name: fill("b") } });
  });
});
