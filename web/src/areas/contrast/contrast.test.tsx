import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { describe, expect, it } from "vitest";
import type { ContrastLine, ContrastView } from "../../api/contrasts";
import type { Ladder } from "../../api/hooks";
import { FeedContext } from "../../shell/feed";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { feedLine } from "../../test/samples";
import { Prices } from "../prices/Prices";
import { SideBySide } from "./SideBySide";

const MOVES = {
  kind: "field",
  field: "price",
  count: 2,
  before: "",
  after: "",
  said: "Price of 2 products moves: 2 up",
};
const UNDER = {
  kind: "under_cost",
  field: "",
  count: 1,
  before: "",
  after: "",
  said: "1 product falls under cost",
};

const contrast = (more: Partial<ContrastView> = {}): ContrastView => ({
  id: 8,
  feed_id: 1,
  delivery_id: 7,
  file_name: "touw.csv",
  before: "version 3",
  after: "the draft",
  status: "ready",
  progress: 100,
  stage: "",
  error: "",
  rows: 40,
  lines: 3,
  differences: [MOVES, UNDER] as ContrastView["differences"],
  fields: { price: "Prijs" },
  ...more,
});

const LINES: ContrastLine[] = [
  {
    row: 4,
    key: "TW-4",
    other: null,
    title: "Touw 4",
    fate_before: "known",
    fate_after: "known",
    reason_before: null,
    reason_after: null,
    values: [{ field: "price", before: "3.00", after: "4.50", store: "2.90", percent: "50.0" }],
  },
  {
    row: 9,
    key: null,
    other: null,
    title: null,
    fate_before: "rejected",
    fate_after: "new",
    reason_before: "Prijs is empty",
    reason_after: null,
    values: [],
  },
];

const page = () => draw(<SideBySide />, "/s/1/feeds/1/beside/8", "/s/:store/feeds/:feed/beside/:contrast");

describe("two crosswalks side by side", () => {
  it("say in what they differ, and show the lines of what is chosen", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/contrasts/8", () => contrast())
      .on("GET /api/v1/contrasts/8/lines", () => ({ total: 2, lines: LINES }));
    const { router } = page();
    expect(await screen.findByRole("heading", { level: 2 })).toHaveTextContent(
      "What changes from version 3 to the draft",
    );
    const fate = await screen.findByText("rejected →");
    expect(fate).toHaveTextContent("rejected → new");
    expect(screen.getByText("version 3: Prijs is empty")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: MOVES.said }));
    expect(await screen.findByRole("columnheader", { name: "In the store now" })).toBeInTheDocument();
    const cells = within(screen.getAllByRole("row")[1] as HTMLElement).getAllByRole("cell");
    expect(cells.map((cell) => cell.textContent)).toEqual([
      "4",
      "Touw 4 TW-4",
      "3.00",
      "4.50",
      "+50.0 %",
      "2.90",
    ]);
    expect(router.state.location.search).toBe("?about=0");
    await userEvent.type(screen.getByRole("searchbox"), "touw");
    await expect.poll(() => fake.sent.at(-1)?.query.toString()).toContain("search=touw");
    expect(fake.sent.at(-1)?.query.get("about")).toBe("0");
  });

  it("are worked out in the background, and stopped", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/contrasts/8", () =>
        contrast({ status: "working", progress: 40, stage: "version 3: 20 of 40" }),
      )
      .on("POST /api/v1/contrasts/8/stop", () => contrast({ status: "stopped", error: "Stopped by hand." }));
    page();
    expect(await screen.findByText("version 3: 20 of 40")).toBeInTheDocument();
    expect(screen.getByRole("progressbar")).toHaveAttribute("aria-valuenow", "40");
    await userEvent.click(screen.getByRole("button", { name: "Stop" }));
    expect(fake.calls("POST /api/v1/contrasts/8/stop")).toHaveLength(1);
    expect(await screen.findByText("Stopped by hand.")).toBeInTheDocument();
  });

  it("say so where they do the same, and how to ask again where they are not kept any more", async () => {
    new FakeServer().on("GET /api/v1/contrasts/8", () => contrast({ lines: 0, differences: [] }));
    const { unmount } = page();
    expect(await screen.findByText("They do the same")).toBeInTheDocument();
    unmount();
    const lost = { title: "Not found", status: 404, detail: "There is no comparison 8." };
    new FakeServer().on("GET /api/v1/contrasts/8", () => lost);
    page();
    expect(await screen.findByText("There is no comparison 8.")).toBeInTheDocument();
    expect(screen.getByText(/Ask once more: under Prices/)).toBeInTheDocument();
  });
});

describe("many lines that differ", () => {
  it("come in pages, and begin with the first where something else is asked", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/contrasts/8", () => contrast({ lines: 250 }))
      .on("GET /api/v1/contrasts/8/lines", ({ query }) => ({
        total: query.get("search") ? 0 : 250,
        lines: query.get("search") ? [] : LINES,
      }));
    const { router } = page();
    expect(await screen.findByText("1–100")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Later" }));
    expect(await screen.findByText("101–200")).toBeInTheDocument();
    expect(router.state.location.search).toBe("?page=1");
    expect(fake.sent.at(-1)?.query.get("offset")).toBe("100");
    await userEvent.click(screen.getByRole("button", { name: UNDER.said }));
    await expect.poll(() => router.state.location.search).toBe("?about=1");
    expect(fake.sent.at(-1)?.query.get("offset")).toBe("0");
    // A difference that is no field of its own shows what becomes of each line.
    expect(screen.getByRole("columnheader", { name: "What becomes of it" })).toBeInTheDocument();
    expect(screen.getByRole("button", { name: UNDER.said })).toHaveAttribute("aria-pressed", "true");
    await userEvent.type(screen.getByRole("searchbox"), "zzz");
    expect(await screen.findByText("Nothing here has what is searched for.")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "All 250 lines" }));
    await expect.poll(() => router.state.location.search).toBe("?search=zzz");
  });

  it("are asked for again where the server was away", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/contrasts/8", () => contrast())
      .down("GET /api/v1/contrasts/8/lines");
    page();
    const again = await screen.findByRole("button", { name: "Try again" });
    fake.on("GET /api/v1/contrasts/8/lines", () => ({ total: 2, lines: LINES }));
    await userEvent.click(again);
    expect(await screen.findByText("Touw 4")).toBeInTheDocument();
  });

  it("show an address of a difference that is not there as all of them", async () => {
    new FakeServer()
      .on("GET /api/v1/contrasts/8", () => contrast())
      .on("GET /api/v1/contrasts/8/lines", () => ({ total: 2, lines: LINES }));
    draw(<SideBySide />, "/s/1/feeds/1/beside/8?about=9", "/s/:store/feeds/:feed/beside/:contrast");
    const all = await screen.findByRole("button", { name: "All 3 lines" });
    expect(all).toHaveAttribute("aria-pressed", "true");
  });
});

const LADDER: Ladder = {
  name: "Touw",
  currency: "EUR",
  ending: "none",
  floor: "0",
  rules: [],
  choose: "first",
  rungs: [{ start: "0", kind: "markup", amount: "100" }],
  tax: "out",
};

/** What the price place shows of a ladder. */
const priced = (ladder: Ladder) => ({
  field: "price",
  levels: { price: "Prijs" },
  fields: {},
  rules: [],
  ladder,
  ladders: ["Touw"],
  used: true,
  products: 0,
  curve: [],
  rungs: [{ count: 0, below: null, here: null, margin_least: null, margin_most: null }],
  margins: [],
  moves: [],
  up: 0,
  down: 0,
  same: 0,
  new: 0,
  worst: [],
  steepest: [],
});

/** The price place of a feed, and the way out of it and back. */
function Feed() {
  const [away, setAway] = useState(false);
  const value = { feed: 1, line: feedLine(), delivery: 7, asking: false, openQuestions: () => undefined };
  return (
    <FeedContext value={value}>
      <button onClick={() => setAway(!away)}>Elsewhere</button>
      {!away && <Prices />}
    </FeedContext>
  );
}

describe("a ladder on trial", () => {
  it("is asked what it would do, and is still there after another place was looked at", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/stores/1/schema", () => ({ product_schema: { fields: [] } }))
      .on("GET /api/v1/feeds/1/prices", () => priced(LADDER))
      .on("POST /api/v1/feeds/1/prices/try", ({ body }) => priced((body as { ladder: Ladder }).ladder))
      .on("POST /api/v1/feeds/1/contrasts", () => contrast({ status: "queued" }))
      .on("GET /api/v1/contrasts/8", () => contrast())
      .on("PUT /api/v1/stores/1/ladders", () => ({ ok: true }));
    draw(<Feed />);
    const amount = await screen.findByLabelText("Amount");
    await userEvent.clear(amount);
    await userEvent.type(amount, "90");
    await userEvent.tab();
    await userEvent.click(await screen.findByRole("button", { name: "What would it do?" }));
    const asked = fake.calls("POST /api/v1/feeds/1/contrasts")[0]?.body as {
      before: unknown;
      after: { ladder: Ladder };
    };
    expect(asked.before).toEqual({ version: 0 });
    expect(asked.after.ladder.rungs[0]?.amount).toBe("90");
    const first = await screen.findByRole("link", { name: MOVES.said });
    expect(first).toHaveAttribute("href", "/s/1/feeds/1/beside/8?about=0");
    expect(fake.calls("PUT /api/v1/stores/1/ladders")).toHaveLength(0);
    await userEvent.click(screen.getByText("Elsewhere"));
    await userEvent.click(screen.getByText("Elsewhere"));
    expect(await screen.findByRole("link", { name: UNDER.said })).toBeInTheDocument();
    expect(screen.getByLabelText("Amount")).toHaveValue("90");
    // What is undone is the ladder that was saved, not the one on trial.
    await userEvent.click(screen.getByRole("button", { name: "Save the ladder" }));
    await userEvent.click(await screen.findByRole("button", { name: /undo/i }));
    await expect.poll(() => fake.calls("PUT /api/v1/stores/1/ladders").length).toBe(2);
    const saved = fake.calls("PUT /api/v1/stores/1/ladders").map((s) => (s.body as Ladder).rungs[0]?.amount);
    expect(saved).toEqual(["90", "100"]);
  });
});
