import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { feedServer, inFeed } from "../test/inFeed";
import { Categories } from "./categories/Categories";
import { Values } from "./values/Values";

type Places = Record<string, string | null>;

/** The one suggestion that is sure, after a look at the list. */
async function takeTogether() {
  await userEvent.click(await screen.findByRole("button", { name: /^Look at/ }));
  const list = within(screen.getByRole("dialog"));
  await userEvent.click(list.getByRole("button", { name: "Accept 1 suggestion" }));
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
}

describe("categories", () => {
  const decided: Places = {};
  const view = () => {
    const row = (path: string, depth: number, own: number, proposal: string | null = null) => {
      const place = decided[path] ?? null;
      return {
        path,
        depth,
        label: path.split("/").at(-1),
        count: own || 5,
        own,
        place,
        by: place === null ? null : path,
        proposals:
          proposal && place === null
            ? [{ place: proposal, score: 80, sure: true, reason: "both say 'oil'" }]
            : [],
      };
    };
    const arriving = [row("Paint", 0, 0), row("Paint/Oil", 1, 3, "Painting > Oil"), row("Paint/Wax", 1, 2)];
    const unplaced = arriving.filter((r) => r.place === null).reduce((n, r) => n + r.own, 0);
    return {
      views: [
        {
          field: "category",
          field_label: "Category",
          table: "Quarrow categories",
          separator: "/",
          fallback: "",
          arriving,
          store: ["Painting", "Painting > Oil"],
          unplaced,
        },
      ],
    };
  };
  const start = () => {
    for (const key of Object.keys(decided)) delete decided[key];
    return feedServer()
      .on("GET /api/v1/feeds/1/categories", view)
      .on("PUT /api/v1/feeds/1/categories", ({ body }) => {
        const sent = body as { places?: Places; keep_names?: string[] };
        Object.assign(decided, sent.places);
        for (const path of sent.keep_names ?? []) decided[path] = path.replaceAll("/", " > ");
        return { made: (sent.keep_names ?? []).map((path) => path.replaceAll("/", " > ")), left: [] };
      });
  };

  it("are found by a part of their path, and picked as they are shown", async () => {
    const fake = start();
    inFeed(<Categories />);
    await screen.findByRole("checkbox", { name: "Pick all 3" });
    await userEvent.type(screen.getByRole("searchbox", { name: "Find an arriving category" }), "wax");
    await userEvent.click(await screen.findByRole("checkbox", { name: "Pick all 1" }));
    await userEvent.click(screen.getByRole("button", { name: "Place in Painting" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/1/categories")[0]?.body).toMatchObject({
        places: { "Paint/Wax": "Painting" },
      }),
    );
  });

  it("take suggestions, place many at once, and take it back", async () => {
    const fake = start();
    inFeed(<Categories />);
    expect(await screen.findByText("5 products are not placed")).toBeInTheDocument();
    await takeTogether();
    expect(await screen.findByText("2 products are not placed")).toBeInTheDocument();
    await userEvent.click(screen.getByLabelText("Pick Paint"));
    await userEvent.click(screen.getByLabelText("Pick Paint/Wax"));
    await userEvent.click(screen.getByRole("button", { name: "Place in Painting" }));
    expect(await screen.findByText("every product is placed")).toBeInTheDocument();
    expect(fake.calls("PUT /api/v1/feeds/1/categories")[1]?.body).toEqual({
      table: "Quarrow categories",
      places: { Paint: "Painting", "Paint/Wax": "Painting" },
      accepted: false,
    });
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    expect(await screen.findByText("2 products are not placed")).toBeInTheDocument();
  });

  it("that keep their names have categories made, which go with the undo", async () => {
    const fake = start();
    inFeed(<Categories />);
    await userEvent.click(await screen.findByLabelText("Pick Paint/Wax"));
    await userEvent.click(screen.getByRole("button", { name: "Make them, names kept" }));
    expect(await screen.findByText(/1 branch keeps its name; 1 category was made/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/1/categories")).toHaveLength(2));
    expect(fake.calls("PUT /api/v1/feeds/1/categories").map((s) => s.body)).toEqual([
      { table: "Quarrow categories", keep_names: ["Paint/Wax"] },
      { table: "Quarrow categories", places: { "Paint/Wax": null }, unmake: ["Paint > Wax"] },
    ]);
  });

  it("go out and come in as a file, which can be taken back", async () => {
    const fake = start().on("POST /api/v1/stores/1/category-tables.csv", () => ({
      entries: 1,
      before: { "Paint/Wax": null },
    }));
    inFeed(<Categories />);
    await userEvent.click(await screen.findByRole("button", { name: "Table" }));
    const out = screen.getByRole("menuitem", { name: "Export its placements as CSV" });
    expect(out).toHaveAttribute("href", "/api/v1/stores/1/category-tables.csv?name=Quarrow%20categories");
    await userEvent.keyboard("{Escape}");
    const file = new File(["arriving,store\nPaint/Wax,Painting\n"], "places.csv", { type: "text/csv" });
    await userEvent.upload(screen.getByLabelText("Placements as CSV"), file);
    expect(await screen.findByText("Took 1 placement from places.csv")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/feeds/1/categories").at(-1)?.body).toEqual({
        table: "Quarrow categories",
        places: { "Paint/Wax": null },
      }),
    );
  });

  it("say how far the background is, and show what it found", async () => {
    const looking = [{ done: 20, total: 80 }, null];
    start().on("GET /api/v1/feeds/1/categories", () => {
      const [first] = view().views;
      return { views: [{ ...first, looking: looking.shift() ?? null }] };
    });
    inFeed(<Categories />);
    expect(await screen.findByText("20 of 80 names compared")).toBeInTheDocument();
    await waitFor(() => expect(screen.queryByText(/names compared/)).toBeNull(), { timeout: 4000 });
  });

  it("can be said not to be sold, and only open ones shown", async () => {
    start();
    inFeed(<Categories />);
    await userEvent.click(await screen.findByLabelText("Pick Paint/Wax"));
    await userEvent.click(screen.getByRole("button", { name: "Do not sell" }));
    const wax = screen.getByLabelText("Pick Paint/Wax").closest<HTMLElement>("[role=treeitem]")!;
    await waitFor(() => expect(within(wax).getByRole("img", { name: "not sold" })).toBeInTheDocument());
    await userEvent.click(screen.getByRole("button", { name: "Show open ones" }));
    expect(screen.queryByLabelText("Pick Paint/Wax")).toBeNull();
  });
});

describe("values", () => {
  const words: Record<string, string | null> = {};
  const marked = new Set<string>();
  const start = () => {
    for (const key of Object.keys(words)) delete words[key];
    marked.clear();
    const rows = () =>
      [
        ["R", 9, "Red"],
        ["B", 5, null],
        ["K", 2, null],
      ].map(([arriving, count, proposal]) => ({
        arriving,
        count,
        word: words[arriving as string] ?? null,
        accepted: marked.has(arriving as string),
        proposals:
          proposal && !words[arriving as string]
            ? [{ place: proposal, score: 75, sure: true, reason: "only this begins so" }]
            : [],
      }));
    return feedServer()
      .on("GET /api/v1/feeds/1/values", () => ({
        tables: [
          {
            field: "colour",
            field_label: "Colour",
            table: "Quarrow colour",
            otherwise: "ask",
            allowed: ["Red", "Blue", "Black"],
            words: rows(),
          },
        ],
      }))
      .on("PUT /api/v1/feeds/1/values", ({ body }) => {
        const sent = body as { words: typeof words; accepted: boolean };
        Object.assign(words, sent.words);
        for (const word of Object.keys(sent.words)) {
          if (sent.accepted) marked.add(word);
          else marked.delete(word);
        }
        return { done: true };
      })
      .on("PUT /api/v1/feeds/1/seen", ({ body }) => {
        const { seen, back } = body as { seen: Record<string, string>; back: boolean };
        for (const subject of Object.keys(seen)) {
          const word = subject.replace("value:Quarrow colour:", "");
          if (back) marked.add(word);
          else marked.delete(word);
        }
        return { done: true };
      });
  };

  it("that were taken together are marked until somebody says to have looked at them", async () => {
    start();
    inFeed(<Values />);
    expect(await screen.findByRole("listitem", { name: "K" })).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: /to look at/ })).toBeNull();
    await takeTogether();
    await userEvent.click(await screen.findByRole("button", { name: "Show 1 to look at" }));
    expect(screen.queryByRole("listitem", { name: "K" })).toBeNull();
    // One of the two lists is shown, never what is in both.
    await userEvent.click(screen.getByRole("button", { name: "Show open ones" }));
    expect(await screen.findByRole("listitem", { name: "K" })).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Show 1 to look at" }));
    const red = within(screen.getByRole("listitem", { name: "R" }));
    expect(red.getByRole("img", { name: /nobody has looked at it/ })).toBeInTheDocument();
    await userEvent.click(red.getByRole("button", { name: "Looked at" }));
    await waitFor(() => expect(marked.size).toBe(0));
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect([...marked]).toEqual(["R"]));
    await userEvent.click(await screen.findByRole("button", { name: "All looked at" }));
    await waitFor(() => expect(marked.size).toBe(0));
    await userEvent.click(screen.getByRole("button", { name: "Show all" }));
    expect(await screen.findByRole("listitem", { name: "K" })).toBeInTheDocument();
    const kept = within(screen.getByRole("listitem", { name: "R" }));
    expect(kept.getByRole("img", { name: "decided" })).toBeInTheDocument();
  });

  it("are answered by suggestion, one by one, and many at once", async () => {
    start();
    inFeed(<Values />);
    await takeTogether();
    await waitFor(() => expect(words).toEqual({ R: "Red" }));
    const blue = screen.getByRole("listitem", { name: "B" });
    await userEvent.type(within(blue).getByRole("combobox"), "Blu{Enter}");
    expect(within(blue).getByRole("combobox")).toHaveFocus();
    await waitFor(() => expect(words["B"]).toBe("Blue"));
    await userEvent.click(screen.getByLabelText("Pick K"));
    await userEvent.click(screen.getByLabelText("Pick B"));
    expect(screen.getByText("2 words picked become")).toBeInTheDocument();
    const all = screen.getByText("2 words picked become").parentElement as HTMLElement;
    await userEvent.type(within(all).getByRole("combobox"), "Black{Enter}");
    await waitFor(() => expect(words).toEqual({ R: "Red", B: "Black", K: "Black" }));
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(words).toEqual({ R: "Red", B: "Blue", K: null }));
  });

  it("show their answer while it is being kept, and not when it could not be", async () => {
    let decide: (kept: boolean) => void = () => undefined;
    start().on("PUT /api/v1/feeds/1/values", async () => {
      const kept = await new Promise<boolean>((resolve) => (decide = resolve));
      return kept ? { done: true } : { status: 409, title: "The feed is locked", detail: "Wait." };
    });
    inFeed(<Values />);
    await takeTogether();
    const red = () => within(screen.getByRole("listitem", { name: "R" }));
    await waitFor(() => expect(red().getByRole("img", { name: /taken as suggested/ })).toBeInTheDocument());
    const blue = screen.getByRole("listitem", { name: "B" });
    await userEvent.type(within(blue).getByRole("combobox"), "Blu");
    expect(within(blue).getByRole("combobox")).toHaveValue("Blu");
    decide(false);
    await waitFor(() => expect(red().getByRole("img", { name: "no store word yet" })).toBeInTheDocument());
    expect(within(blue).getByRole("combobox")).toHaveValue("Blu");
  });

  it("may get a word that the store does not have yet, and both are taken back", async () => {
    const glaze = { name: "colour", kind: "choice", allowed: ["Red", "Blue", "Black", "Petrol"] };
    const fake = start()
      .on("POST /api/v1/stores/1/schema/fields/colour/words", () => ({ field: glaze }))
      .on("POST /api/v1/stores/1/schema/fields", () => ({}));
    inFeed(<Values />);
    const blue = await screen.findByRole("listitem", { name: "B" });
    await userEvent.type(within(blue).getByRole("combobox"), "Petrol");
    await userEvent.click(screen.getByRole("option", { name: /Add to the store's words/ }));
    await waitFor(() => expect(words["B"]).toBe("Petrol"));
    const added = fake.calls("POST /api/v1/stores/1/schema/fields/colour/words");
    expect(added.map((s) => s.body)).toEqual([{ words: ["Petrol"] }]);
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(words["B"]).toBeNull());
    await userEvent.keyboard("{Control>}z{/Control}");
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/stores/1/schema/fields")[0]?.body).toMatchObject({
        was: glaze,
        field: { allowed: ["Red", "Blue", "Black"] },
      }),
    );
  });

  it("are found, shown while open, and picked as they are shown", async () => {
    start();
    inFeed(<Values />);
    await screen.findByRole("checkbox", { name: "Pick all 3" });
    await userEvent.type(screen.getByRole("searchbox", { name: "Find a word" }), "k");
    await userEvent.click(await screen.findByRole("checkbox", { name: "Pick all 1" }));
    expect(screen.getByText("1 word picked become")).toBeInTheDocument();
    await userEvent.clear(screen.getByRole("searchbox", { name: "Find a word" }));
    await screen.findByRole("checkbox", { name: "Pick all 3" });
    expect(screen.getByLabelText("Pick K")).toBeChecked();
    await takeTogether();
    await userEvent.click(screen.getByRole("button", { name: "Show open ones" }));
    await waitFor(() => expect(screen.queryByLabelText("Pick R")).toBeNull());
    expect(screen.getByRole("checkbox", { name: "Pick all 2" })).toBeInTheDocument();
  });
});
