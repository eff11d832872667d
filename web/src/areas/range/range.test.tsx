import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { RangeRow, RangeView } from "../../api/range";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { FeedContext, type FeedContextValue } from "../../shell/feed";
import { numbersIn } from "./PasteNumbers";
import { Range } from "./Range";
import { fateInWords, labelsOf, ruleInWords } from "./words";

const NO_COUNTS = {
  all: 0,
  picked: 0,
  in_store: 0,
  not_in_store: 0,
  new: 0,
  changed: 0,
  gone: 0,
  faulty: 0,
};

function view(more: Partial<RangeView> = {}): RangeView {
  return {
    run_id: 4,
    file_name: "list.csv",
    filled_at: null,
    behind: "",
    before: null,
    only_picked: true,
    rules: [],
    picks: 0,
    categories: ["Chains", "Saddles"],
    shown: [
      { name: "name", label: "Name", numeric: false },
      { name: "cost", label: "Cost", numeric: true },
    ],
    counts: { ...NO_COUNTS, all: 3, not_in_store: 2, in_store: 1 },
    ...more,
  };
}

function row(n: number, more: Partial<RangeRow> = {}): RangeRow {
  return {
    row: n,
    article: `A${n}`,
    values: { name: `Chain ${n}`, cost: "4.50" },
    key: `A${n}`,
    in_store: false,
    picked: false,
    by_rule: false,
    since: null,
    status: "left out",
    reason: "an article of the range that is not picked",
    ...more,
  };
}

/** A range of two articles, one of them in the store; what is picked is picked. */
function server(about: Partial<RangeView> = {}) {
  const picked = new Set<string>();
  let rules = about.rules ?? [];
  return new FakeServer()
    .on("GET /api/v1/feeds/1/range", () => view({ ...about, rules }))
    .on("GET /api/v1/feeds/1/range/articles", () => ({
      total: 2,
      rows: [row(1, { picked: picked.has("A1") }), row(2, { in_store: true, status: "same" })],
    }))
    .on("PUT /api/v1/feeds/1/picks", ({ body }) => {
      const { pick = true, articles } = body as { pick?: boolean; articles: string[] | null };
      const named = articles ?? ["A1", "A2"];
      const known = named.filter((one) => one !== "X9");
      known.forEach((one) => (pick ? picked.add(one) : picked.delete(one)));
      return { changed: known.length, articles: known, unknown: named.filter((one) => one === "X9") };
    })
    .on("PUT /api/v1/feeds/1/picking", ({ body }) => {
      const before = rules;
      rules = (body as RangeView).rules;
      return { rules: before };
    });
}

const LINE = { id: 1, deliveries: [] } as unknown as FeedContextValue["line"];

const drawn = (search = "") =>
  draw(
    <FeedContext.Provider
      value={{ feed: 1, line: LINE, delivery: 2, asking: false, openQuestions: () => {} }}
    >
      <Range />
    </FeedContext.Provider>,
    `/s/1/feeds/1/range${search}`,
  );

describe("the range of a feed", () => {
  it("picks an article, takes that back, and tells numbers that it does not have", async () => {
    const user = userEvent.setup();
    server();
    drawn();
    const box = await screen.findByRole("checkbox", { name: "Pick A1" });
    await user.click(box);
    await waitFor(() => expect(box).toBeChecked());
    expect(await screen.findByText("comes with the next run")).toBeVisible();
    await user.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(box).not.toBeChecked());
    await user.click(screen.getByRole("button", { name: "Paste numbers" }));
    await user.type(screen.getByRole("textbox", { name: "Article numbers" }), "A1\nX9\nA1");
    await user.click(screen.getByRole("button", { name: "Pick 2 articles" }));
    expect(await screen.findByText("1 article picked; the range does not have X9")).toBeVisible();
  });

  it("picks all that a filter shows, and goes on by a rule", async () => {
    const user = userEvent.setup();
    const fake = server();
    drawn("?search=chain&category=Chains");
    await user.click(await screen.findByRole("button", { name: "Pick 2 articles" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/1/picks")).toHaveLength(1));
    expect(fake.calls("PUT /api/v1/feeds/1/picks")[0]?.body).toEqual({
      pick: true,
      shown: { group: "all", category: "Chains", search: "chain", field: "", value: "" },
    });
    await user.click(await screen.findByRole("button", { name: "Always pick these" }));
    const rule = await screen.findByText("all in Chains with “chain”");
    await waitFor(() => expect(screen.queryByRole("button", { name: "Always pick these" })).toBeNull());
    await user.click(within(rule.parentElement as HTMLElement).getByTestId("CancelIcon"));
    await waitFor(() => expect(screen.queryByText("all in Chains with “chain”")).toBeNull());
  });

  it("shows those with a value, and goes on picking them", async () => {
    const user = userEvent.setup();
    const fake = server();
    drawn();
    await user.click(await screen.findByRole("button", { name: "Chain 1" }));
    const asked = () => fake.calls("GET /api/v1/feeds/1/range/articles").at(-1)?.query;
    await waitFor(() => expect([asked()?.get("field"), asked()?.get("value")]).toEqual(["name", "Chain 1"]));
    await user.click(screen.getByRole("button", { name: "Always pick these" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/1/picking")).toHaveLength(1));
    expect(fake.calls("PUT /api/v1/feeds/1/picking")[0]?.body).toEqual({
      rules: [{ category: "", search: "", field: "name", value: "Chain 1" }],
    });
    expect(await screen.findByText("all, Name: Chain 1")).toBeVisible();
    const chip = screen.getByText("Name: Chain 1").parentElement as HTMLElement;
    await user.click(within(chip).getByTestId("CancelIcon"));
    await waitFor(() => expect(asked()?.get("field")).toBe(""));
  });

  it("says where it comes from, what is behind, and what is not filled yet", async () => {
    server({ behind: "the crosswalk has changed since", only_picked: false });
    const first = drawn();
    expect(await screen.findByText(/the crosswalk has changed since: prepare a run/)).toBeVisible();
    expect(screen.getByText(/Every article becomes a product/)).toBeVisible();
    expect(screen.queryByRole("tab", { name: /gone/ })).toBeNull();
    first.unmount();
    server({ run_id: null });
    drawn();
    expect(await screen.findByText("The range is not filled yet")).toBeVisible();
  });
});

describe("in words", () => {
  it("takes numbers out of whatever was copied", () => {
    expect(numbersIn('A-1\r\nA 2;"A3"\t\n,A-1')).toEqual(["A-1", "A 2", "A3"]);
  });

  it.each([
    [row(1), "", true],
    [row(1), "comes with the next run", false],
    [row(1, { picked: true }), "comes with the next run", true],
    [row(1, { in_store: true, since: "changed" }), "changed since", true],
    [row(1, { status: "rejected", reason: "Cost: 'four'" }), "Cost: 'four'", true],
    [row(1, { status: "gone" }), "no longer in the list", true],
  ])("says what becomes of an article", (one, said, only_picked) => {
    expect(fateInWords(one, view({ only_picked }))).toBe(said);
  });

  it("says what a rule picks", () => {
    const labels = labelsOf(view());
    expect(ruleInWords({ category: "Chains", search: "" }, labels)).toBe("all in Chains");
    expect(ruleInWords({ field: "name", value: "Kolm" }, labels)).toBe("all, Name: Kolm");
  });
});
