import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { feedServer, inFeed } from "../../test/inFeed";
import { bench } from "../../test/samples";

type Places = Record<string, string | null>;

describe("a question", () => {
  const base = { touches: 4, text: "", options: [], proposals: [], suggestion: null };
  const asked = (questions: object[]) =>
    feedServer()
      .on("GET /api/v1/feeds/1/questions", () => ({ questions }))
      .on("GET /api/v1/feeds/1/bench", () => bench());
  const open = async () => {
    inFeed(<p>a place</p>);
    await userEvent.click(await screen.findByRole("button", { name: /open question/ }));
  };

  it("about a column sends it to a field in place", async () => {
    const fill = { parts: [{ column: "Remark" }] };
    const fake = asked([{ ...base, kind: "column", subject: "Remark", text: "Nothing uses it." }])
      .on("GET /api/v1/feeds/1/fill", () => ({ fill }))
      .on("PUT /api/v1/feeds/1/draft", () => bench({ revision: 4 }));
    await open();
    await userEvent.type(await screen.findByLabelText("Field that Remark fills"), "name{Enter}");
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/1/draft")[0]?.body).toMatchObject({
        crosswalk: { fills: { name: fill } },
      }),
    );
    const made = Object.fromEntries(fake.calls("GET /api/v1/feeds/1/fill")[0]!.query);
    expect(made).toMatchObject({ field: "name", column: "Remark" });
  });

  it("about a word of no list takes what is typed, not what was suggested", async () => {
    const one = { ...base, kind: "value", subject: "R", field: "brand", table: "Brands" };
    const proposals = [{ place: "Rowan", score: 75, sure: true, reason: "only this begins with 'R'" }];
    const fake = asked([{ ...one, proposals }]).on("PUT /api/v1/feeds/1/values", () => ({ done: true }));
    await open();
    const box = await screen.findByLabelText("Store word for R");
    expect(box).toHaveValue("Rowan");
    await userEvent.clear(box);
    await userEvent.type(box, "Ridge");
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/1/values")).toHaveLength(1));
    expect(fake.calls("PUT /api/v1/feeds/1/values")[0]?.body).toEqual({
      table: "Brands",
      words: { R: "Ridge" },
      accepted: false,
    });
  });

  it("about a word of a closed list takes what is typed over the suggestion, or adds it", async () => {
    const one = { ...base, kind: "value", subject: "R", field: "colour", table: "Colours" };
    const proposals = [{ place: "Red", score: 75, sure: true, reason: "only this begins with 'R'" }];
    const fake = asked([{ ...one, options: ["Red", "Rose", "Blue"], proposals }])
      .on("PUT /api/v1/feeds/1/values", () => ({ done: true }))
      .on("POST /api/v1/stores/1/schema/fields/colour/words", () => ({ field: { name: "colour" } }));
    await open();
    const box = await screen.findByLabelText("Store word for R");
    await userEvent.clear(box);
    await userEvent.type(box, "rose");
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/1/values")).toHaveLength(1));
    await userEvent.clear(box);
    await userEvent.type(box, "Rust");
    expect(box).toHaveValue("Rust");
    await userEvent.click(screen.getByRole("button", { name: "Add it and answer" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/1/values")).toHaveLength(2));
    const words = fake.calls("PUT /api/v1/feeds/1/values").map((s) => (s.body as { words: object }).words);
    expect(words).toEqual([{ R: "Rose" }, { R: "Rust" }]);
    // Typed as far as it is clear, and taken with Enter.
    await userEvent.clear(box);
    await userEvent.type(box, "Bl{Enter}");
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/1/values")).toHaveLength(3));
    expect(fake.calls("PUT /api/v1/feeds/1/values")[2]?.body).toMatchObject({ words: { R: "Blue" } });
    expect(fake.calls("POST /api/v1/stores/1/schema/fields/colour/words")).toHaveLength(1);
  });

  it("about a path is answered by one of the tree at once, by a new one after a second look", async () => {
    const one = { ...base, kind: "category", subject: "Wax", field: "category", table: "Groups" };
    const fake = asked([{ ...one, options: ["Painting", "Paper"] }]).on(
      "PUT /api/v1/feeds/1/categories",
      () => ({ made: [], left: [] }),
    );
    const sent = () =>
      fake.calls("PUT /api/v1/feeds/1/categories").map((s) => (s.body as { places: Places }).places);
    await open();
    const box = await screen.findByLabelText("Store category for Wax");
    await userEvent.type(box, "Pap");
    await userEvent.click(screen.getByRole("option", { name: "Paper" }));
    await waitFor(() => expect(sent()).toEqual([{ Wax: "Paper" }]));
    await userEvent.clear(box);
    await userEvent.type(box, "Candles{Enter}");
    expect(sent()).toHaveLength(1);
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    await waitFor(() => expect(sent()[1]).toEqual({ Wax: "Candles" }));
  });

  it("about a joined table is asked once for all its columns", async () => {
    const columns = ["stock: shelf", "stock: bin"];
    const fake = asked([{ ...base, kind: "table", subject: "stock", text: "2 columns", options: columns }])
      .on("GET /api/v1/feeds/1/bench", () => bench({ undecided: columns }))
      .on("PUT /api/v1/feeds/1/draft", () => bench({ revision: 4 }));
    await open();
    await userEvent.click(await screen.findByRole("button", { name: "Decide together" }));
    expect(screen.getByRole("group", { name: "Columns of stock that feed nothing" })).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Do not use 2 columns" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/1/draft")[0]?.body).toMatchObject({
        crosswalk: { left_out: columns },
      }),
    );
  });
});
