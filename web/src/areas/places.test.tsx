import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FeedPlace } from "../shell/FeedPlace";
import { RunNews } from "../shell/RunNews";
import { watching } from "../shell/watching";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { bench, delivery, feedLine, runView, UNDECIDED } from "../test/samples";
import { Arrivals } from "./arrivals/Arrivals";
import { Review } from "./review/Review";

const newest = delivery({ size: 2048, rows: 10, columns: 3, problems: 1 });
const feed = feedLine({ needs: "question", questions: 2, mapped: 3, deliveries: [newest] });

function server() {
  return new FakeServer()
    .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [feed], upload_limit: 1000 }))
    .on("GET /api/v1/demo/feeds/1/next", () => ({ file_name: "" }));
}

describe("arrivals", () => {
  it("tell what waits, what was noticed and what is open", async () => {
    server();
    draw(<Arrivals />, "/s/1/arrivals", "/s/:store/arrivals");
    expect(await screen.findByText("1 feed waits for you")).toBeInTheDocument();
    expect(screen.getByText("2 open questions")).toBeInTheDocument();
    expect(screen.getByRole("img", { name: "1 things noticed while reading" })).toBeInTheDocument();
    expect(screen.getByRole("link", { name: "Open the bench" })).toHaveAttribute(
      "href",
      "/s/1/feeds/1/bench?delivery=7",
    );
  });

  it("stand by what they wait for, of forty as of four, each beside what it was before", async () => {
    const kinds = [
      "calm",
      "prepare",
      "held",
      "unreadable",
      "apply",
      "map",
      "busy",
      "failed",
      "question",
    ] as const;
    const feeds = kinds.map((needs, n) =>
      feedLine({
        id: n + 1,
        supplier: `Supplier ${n}`,
        needs,
        held: n,
        questions: needs === "calm" ? null : 3,
        rows: [100, 120, 60],
        deliveries: [
          delivery({ id: n + 1, run_id: 40 + n, error: needs === "unreadable" ? "No table." : "" }),
        ],
      }),
    );
    feeds.push(
      feedLine({ id: 10, supplier: "Texts only", mapped: 0, joined_to: ["Supplier 0, Weekly"] }),
      feedLine({
        id: 11,
        supplier: "Stopped",
        needs: "held",
        held: -1,
        deliveries: [delivery({ id: 11 }), delivery({ id: 12, file_name: "older.csv" })],
      }),
    );
    const fake = new FakeServer().on("GET /api/v1/stores/1/arrivals", () => ({ feeds, upload_limit: 1000 }));
    for (const { id } of feeds) fake.on(`GET /api/v1/demo/feeds/${id}/next`, () => ({ file_name: "" }));
    const { router } = draw(<Arrivals />, "/s/1/arrivals", "/s/:store/arrivals");
    expect(await screen.findByText("8 feeds wait for you")).toBeInTheDocument();
    const order = () => screen.getAllByRole("region").map((one) => one.getAttribute("aria-label"));
    const urgent = ["Supplier 3", "Supplier 7", "Supplier 2", "Stopped", "Supplier 8", "Supplier 4"];
    expect(order()).toEqual([
      ...urgent,
      "Supplier 1",
      "Supplier 5",
      "Supplier 6",
      "Supplier 0",
      "Texts only",
    ]);
    const row = (name: string) => within(screen.getByRole("region", { name }));
    const groups = screen.getAllByRole("heading", { level: 2 }).map((one) => one.textContent);
    expect(groups).toEqual([
      "Cannot be read 1",
      "Failed 1",
      "Held by guards 2",
      "Questions to answer 1",
      "To look at and apply 1",
      "To prepare 1",
      "To map 1",
      "At work 1",
      "Nothing to do 2",
    ]);
    expect(row("Supplier 3").getByText("No table.")).toBeInTheDocument();
    expect(row("Supplier 2").getByRole("link", { name: "guards hold 2 products" })).toHaveAttribute(
      "href",
      "/s/1/runs/42",
    );
    expect(row("Stopped").getByText("a guard holds the run")).toBeInTheDocument();
    expect(row("Texts only").getByText("completes Supplier 0, Weekly")).toBeInTheDocument();
    expect(row("Supplier 0").getByText("looking …")).toBeInTheDocument();
    expect(
      row("Supplier 0").getByRole("img", { name: "Rows of the last 3 deliveries: 100, 120, 60" }),
    ).toBeInTheDocument();
    expect(screen.queryByText("older.csv")).toBeNull();
    await userEvent.click(row("Stopped").getByRole("button", { name: /Earlier deliveries/ }));
    expect(screen.getByText("older.csv")).toBeInTheDocument();
    await userEvent.click(screen.getByLabelText("only what waits"));
    expect(order()).toHaveLength(8);
    expect(screen.queryByRole("heading", { name: /Nothing to do/ })).toBeNull();
    await userEvent.type(screen.getByLabelText("Find a feed"), "supplier 8");
    await waitFor(() => expect(order()).toEqual(["Supplier 8"]));
    expect(router.state.location.search).toContain("only=1");
  });

  it("refuse a file over the limit before it is sent, and name the limit", async () => {
    server();
    draw(<Arrivals />, "/s/1/arrivals", "/s/:store/arrivals");
    const chooser = await screen.findByLabelText("File for Quarrow Pigments");
    await userEvent.upload(chooser, new File(["x".repeat(2000)], "big.csv"));
    expect(await screen.findByText(/big.csv has 2.0 KB; at most 1000 bytes are taken/)).toBeInTheDocument();
    expect(screen.getByText(/NOMOTAX_UPLOAD_LIMIT_MB/)).toBeInTheDocument();
  });

  it("say so when the server does not answer, and try again", async () => {
    const broken = new FakeServer().down("GET /api/v1/stores/1/arrivals");
    draw(<Arrivals />, "/s/1/arrivals", "/s/:store/arrivals");
    expect(await screen.findByText("The server does not answer.")).toBeInTheDocument();
    broken
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [], upload_limit: 1 }))
      .on("GET /api/v1/demo/feeds/1/next", () => ({ file_name: "" }));
    await userEvent.click(screen.getByRole("button", { name: "Try again" }));
    expect(await screen.findByText("No feeds yet")).toBeInTheDocument();
  });
});

describe("a run that one went away from", () => {
  it("says wherever one is how it has ended, once", async () => {
    let status = "preparing";
    const fake = new FakeServer().on("GET /api/v1/runs/4", () => runView({ status }));
    watching.watch(4);
    const { router } = draw(<RunNews store={1} />, "/s/1/catalog", "/s/:store/*");
    await waitFor(() => expect(fake.calls("GET /api/v1/runs/4").length).toBeGreaterThan(0));
    expect(screen.queryByRole("link")).toBeNull();
    status = "failed";
    const link = await screen.findByRole("link", { name: /could not be prepared/ });
    await userEvent.click(link);
    expect(router.state.location.pathname).toBe("/s/1/runs/4");
    expect(screen.queryByRole("link")).toBeNull();
    expect(watching.runs()).toEqual([]);
  });
});

describe("open questions", () => {
  it("are answered in place with what is proposed, and the answer can be taken back", async () => {
    let word: string | null = null;
    const asked = {
      kind: "value",
      subject: "T",
      touches: 9,
      text: "Colour 'T' has no store value.",
      field: "colour",
      table: "Quarrow colour",
      options: ["Turquoise", "Blue"],
      proposals: [{ place: "Turquoise", score: 75, reason: "only this begins with 'T'" }],
      suggestion: null,
    };
    const fake = server()
      .on("GET /api/v1/feeds/1/questions", () => ({ questions: word ? [] : [asked] }))
      .on("GET /api/v1/feeds/1/bench", () => bench())
      .on("PUT /api/v1/feeds/1/values", ({ body }) => {
        word = (body as { words: Record<string, string | null> }).words["T"] ?? null;
        return { done: true };
      });
    draw(<FeedPlace />);
    await userEvent.click(await screen.findByRole("button", { name: /1 open question/ }));
    const article = await screen.findByRole("article", { name: asked.text });
    expect(within(article).getByText("9 products")).toBeInTheDocument();
    await userEvent.click(within(article).getByRole("button", { name: "Answer" }));
    expect(await screen.findByText("Nothing is open")).toBeInTheDocument();
    expect(fake.calls("PUT /api/v1/feeds/1/values")[0]?.body).toEqual({
      table: "Quarrow colour",
      words: { T: "Turquoise" },
      accepted: false,
    });
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(word).toBeNull());
  });

  it("ask once for the money of several fields, and take the answer for all", async () => {
    const asked = {
      kind: "assumption",
      subject: "currency:cost,list_price",
      touches: 60,
      field: "cost",
      about: "currency",
      fields: ["cost", "list_price"],
      options: ["EUR", "USD"],
      text: "Cost, List price: nothing says in which currency 'Netto' is.",
    };
    let answered = false;
    const fake = server()
      .on("GET /api/v1/feeds/1/questions", () => ({ questions: answered ? [] : [asked] }))
      .on("GET /api/v1/feeds/1/bench", () => bench())
      .on("POST /api/v1/feeds/1/assumptions", () => {
        answered = true;
        return bench({ revision: 4 });
      });
    draw(<FeedPlace />);
    await userEvent.click(await screen.findByRole("button", { name: /1 open question/ }));
    const article = await screen.findByRole("article", { name: asked.text });
    await userEvent.click(within(article).getByRole("combobox"));
    await userEvent.click(screen.getByRole("option", { name: "USD" }));
    await userEvent.click(within(article).getByRole("button", { name: "Answer" }));
    expect(await screen.findByText("Nothing is open")).toBeInTheDocument();
    expect(fake.calls("POST /api/v1/feeds/1/assumptions")[0]?.body).toEqual({
      fields: ["cost", "list_price"],
      about: "currency",
      choice: "USD",
      revision: 3,
    });
  });

  it("leave many columns out together, after a look at which they are", async () => {
    const names = ["Remark", "Flag", "Buyer", "Page"];
    const column = (subject: string) => ({
      kind: "column",
      subject,
      touches: 9,
      text: `Nothing uses the column '${subject}' yet.`,
      suggestion: null,
    });
    let saved: string[] = [];
    server()
      .on("GET /api/v1/feeds/1/questions", () => ({
        questions: names.filter((n) => !saved.includes(n)).map(column),
      }))
      .on("GET /api/v1/feeds/1/bench", () => bench({ undecided: names }))
      .on("PUT /api/v1/feeds/1/draft", ({ body }) => {
        const { crosswalk } = body as { crosswalk: { left_out: string[] } };
        saved = crosswalk.left_out;
        return bench({ undecided: names.filter((n) => !saved.includes(n)), revision: 4 });
      });
    draw(<FeedPlace />);
    await userEvent.click(await screen.findByRole("button", { name: /4 open questions/ }));
    await userEvent.click(await screen.findByRole("button", { name: "Decide together" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "Buyer" }));
    await userEvent.click(screen.getByRole("button", { name: "Do not use 3 columns" }));
    expect(await screen.findByText("3 columns are not used")).toBeInTheDocument();
    expect(saved).toEqual(["Remark", "Flag", "Page"]);
  });

  it("need no mouse: the focus begins on the first, and stays in its place", async () => {
    const answered: Record<string, string | null> = {};
    const asked = (subject: string, proposed: string[]) => ({
      kind: "category",
      subject,
      touches: 9,
      text: `'${subject}' has no store category.`,
      field: "category",
      table: "Groups",
      options: ["Painting"],
      proposals: proposed.map((place) => ({ place, score: 75, reason: "alike" })),
      suggestion: null,
    });
    const all = [
      asked("Oil", ["Painting"]),
      asked("Pens", ["Drawing", "Painting", "Paper"]),
      asked("Gifts", []),
      asked("Wax", []),
    ];
    const put: unknown[] = [];
    server()
      .on("GET /api/v1/feeds/1/questions", () => ({ questions: all.filter((q) => !(q.subject in answered)) }))
      .on("GET /api/v1/feeds/1/bench", () => bench())
      .on("PUT /api/v1/feeds/1/categories", ({ body }) => {
        Object.assign(answered, (body as { places: Record<string, string> }).places);
        return { done: true };
      })
      .on("POST /api/v1/feeds/1/decisions", ({ body }) => {
        put.push(body);
        return { done: true };
      });
    draw(<FeedPlace />);
    await userEvent.click(await screen.findByRole("button", { name: /4 open questions/ }));
    const article = (subject: string) => screen.getByRole("article", { name: new RegExp(subject) });
    await waitFor(() => expect(article("Oil")).toHaveFocus());
    await userEvent.keyboard("{Enter}");
    await waitFor(() => expect(article("Pens")).toHaveFocus());
    expect(within(article("Pens")).getByRole("button", { name: "2 Painting" })).toBeInTheDocument();
    await userEvent.keyboard("4");
    expect(article("Pens")).toHaveFocus();
    await userEvent.keyboard("3");
    await waitFor(() => expect(article("Gifts")).toHaveFocus());
    await userEvent.keyboard("n");
    await waitFor(() => expect(article("Wax")).toHaveFocus());
    expect(answered).toEqual({ Oil: "Painting", Pens: "Paper", Gifts: "" });
    await userEvent.keyboard("e");
    expect(within(article("Wax")).getByRole("combobox")).toHaveFocus();
    await userEvent.keyboard("{Escape}");
    expect(article("Wax")).toHaveFocus();
    await userEvent.keyboard("l");
    await waitFor(() => expect(put).toHaveLength(1));
  });
});

describe("review", () => {
  const run = runView({ counts: { new: 1, changed: 1, rejected: 1 } });
  const rows: Record<string, unknown[]> = {
    changed: [
      {
        row: 3,
        key: "QP-1",
        title: "Blue",
        status: "changed",
        reason: null,
        changes: [
          { field: "price", label: "Price", before: "4.95", after: "5.95", percent: "20.2" },
          { field: "form", label: "Form", before: null, after: "pan", percent: null },
        ],
      },
    ],
    rejected: [{ row: 9, key: "QP-9", title: "Red", status: "rejected", reason: "GTIN: wrong", changes: [] }],
  };

  it("shows old and new with percent, filters by what became of the rows, and applies", async () => {
    let status = "prepared";
    const fake = new FakeServer()
      .on("GET /api/v1/runs/4", () => ({ ...run, status }))
      .on("GET /api/v1/runs/4/decisions", () => UNDECIDED(2))
      .on("GET /api/v1/runs/4/summary", () => ({
        arrived: 3,
        fields: [{ field: "price", label: "Price", count: 1 }],
        groupings: [],
        strange: [],
        made: null,
        spreads: [],
        reasons: [
          { kind: "wrong_check_digit", severity: "refuse", count: 1, example: "GTIN: wrong" },
          { kind: "unlisted_value", severity: "question", count: 1, example: "Colour" },
        ],
      }))
      .on("GET /api/v1/runs/4/rows", ({ query }) => {
        const found = rows[query.get("status") ?? ""] ?? [];
        return { total: found.length, rows: found };
      })
      .on("GET /api/v1/runs/4/trace", () => ({
        file_name: "week-1.csv",
        received_at: run.created_at,
        supplier: "Quarrow",
        version: 2,
        version_author: "",
        decided: [],
        trace: {
          field: "price",
          title: "Blue",
          row: 3,
          value: "5.95",
          cells: [{ column: "Cost", value: "2,78" }],
          fields: [],
          steps: [],
        },
      }))
      .on("POST /api/v1/runs/4/apply", () => {
        status = "applied";
        return { ...run, status };
      });
    draw(<Review />, "/s/1/runs/4", "/s/:store/runs/:run");
    const line = await screen.findByRole("listitem");
    expect(line).toHaveTextContent("Price 4.95 → 5.95 +20.2 %");
    expect(line).toHaveTextContent("1 filled for the first time: Form");
    expect(screen.getByText("3 rows arrived, all accounted for")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Changes of QP-1" }));
    const product = within(await screen.findByRole("complementary", { name: "The product's changes" }));
    await userEvent.click(await product.findByTitle("Where Price comes from"));
    expect(await product.findByText("2,78")).toBeInTheDocument();
    expect(product.getByText(/crosswalk version 2/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("tab", { name: /1 rejected/ }));
    expect(await screen.findByText("1 × wrong check digit")).toBeInTheDocument();
    expect(screen.queryByText(/unlisted value/)).toBeNull();
    await waitFor(() => expect(screen.getByRole("listitem")).toHaveTextContent("GTIN: wrong"));
    await userEvent.click(screen.getByRole("button", { name: "Apply to 2 products" }));
    expect(await screen.findByText("applied to the catalog")).toBeInTheDocument();
    expect(screen.getByRole("button", { name: "Undo this run" })).toBeInTheDocument();
    expect(fake.calls("POST /api/v1/runs/4/apply")).toHaveLength(1);
  });
});
