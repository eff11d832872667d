import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { Route, Routes } from "react-router";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { FeedPlace } from "../shell/FeedPlace";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { bench } from "../test/samples";
import { Categories } from "./categories/Categories";
import { Values } from "./values/Values";

class Observer {
  observe() {}
  disconnect() {}
}

beforeEach(() => vi.stubGlobal("ResizeObserver", Observer));
afterEach(() => vi.unstubAllGlobals());

const line = {
  id: 7, file_name: "week-1.csv", size: 60, received_at: new Date().toISOString(), status: "waiting", rows: 2,
  rows_before: null, columns: 2, problems: 0, error: "", same_as: null, run_id: null, run_status: null, counts: {}, complete: true, because: "", stage: "",
};

function server() {
  return new FakeServer()
    .on("GET /api/v1/stores/1/arrivals", () => ({
      feeds: [{ id: 1, name: "Weekly", supplier: "Quarrow Pigments", versions: 0, questions: 0, mapped: 1, deliveries: [line] }],
      upload_limit: 1000,
    }))
    .on("GET /api/v1/feeds/1/questions", () => ({ questions: [] }))
    .on("GET /api/v1/feeds/1/bench", () => bench());
}

/** A place inside its feed, as the router puts it. */
function inFeed(place: React.ReactNode) {
  return draw(
    <Routes>
      <Route path="/s/:store/feeds/:feed" element={<FeedPlace />}>
        <Route path="*" element={place} />
      </Route>
    </Routes>,
    "/s/1/feeds/1/here",
    "*",
  );
}

type Places = Record<string, string | null>;

describe("categories", () => {
  const decided: Places = {};
  const view = () => {
    const row = (path: string, depth: number, own: number, proposal: string | null = null) => {
      const place = decided[path] ?? null;
      return {
        path, depth, label: path.split("/").at(-1), count: own || 5, own, place, by: place === null ? null : path,
        proposals: proposal && place === null ? [{ place: proposal, score: 80, reason: "both say 'oil'" }] : [],
      };
    };
    const arriving = [row("Paint", 0, 0), row("Paint/Oil", 1, 3, "Painting > Oil"), row("Paint/Wax", 1, 2)];
    const unplaced = arriving.filter((r) => r.place === null).reduce((n, r) => n + r.own, 0);
    return { views: [{ field: "category", field_label: "Category", table: "Quarrow categories", separator: "/", fallback: "", arriving, store: ["Painting", "Painting > Oil"], unplaced }] };
  };
  const start = () => {
    for (const key of Object.keys(decided)) delete decided[key];
    return server()
      .on("GET /api/v1/feeds/1/categories", view)
      .on("PUT /api/v1/feeds/1/categories", ({ body }) => {
        Object.assign(decided, (body as { places: Places }).places);
        return { done: true };
      });
  };

  it("take suggestions, place many at once, and take it back", async () => {
    const fake = start();
    inFeed(<Categories />);
    expect(await screen.findByText("5 products are not placed")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Accept 1" }));
    expect(await screen.findByText("2 products are not placed")).toBeInTheDocument();
    await userEvent.click(screen.getByLabelText("Pick Paint"));
    await userEvent.click(screen.getByLabelText("Pick Paint/Wax"));
    await userEvent.click(screen.getByRole("button", { name: "Place in Painting" }));
    expect(await screen.findByText("every product is placed")).toBeInTheDocument();
    expect(fake.calls("PUT /api/v1/feeds/1/categories")[1]?.body).toEqual({
      table: "Quarrow categories",
      places: { Paint: "Painting", "Paint/Wax": "Painting" },
    });
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    expect(await screen.findByText("2 products are not placed")).toBeInTheDocument();
  });

  it("can be said not to be sold, and only open ones shown", async () => {
    start();
    inFeed(<Categories />);
    await userEvent.click(await screen.findByLabelText("Pick Paint/Wax"));
    await userEvent.click(screen.getByRole("button", { name: "Do not sell" }));
    const wax = screen.getByRole("treeitem", { name: "Paint/Wax" });
    await waitFor(() => expect(within(wax).getByRole("img", { name: "not sold" })).toBeInTheDocument());
    await userEvent.click(screen.getByRole("button", { name: "Show open ones" }));
    expect(screen.queryByRole("treeitem", { name: "Paint/Wax" })).toBeNull();
  });
});

describe("values", () => {
  const words: Record<string, string | null> = {};
  const start = () => {
    for (const key of Object.keys(words)) delete words[key];
    const rows = () =>
      [["R", 9, "Red"], ["B", 5, null], ["K", 2, null]].map(([arriving, count, proposal]) => ({
        arriving, count, word: words[arriving as string] ?? null,
        proposals: proposal && !words[arriving as string] ? [{ place: proposal, score: 75, reason: "only this begins so" }] : [],
      }));
    return server()
      .on("GET /api/v1/feeds/1/values", () => ({
        tables: [{ field: "colour", field_label: "Colour", table: "Quarrow colour", otherwise: "ask", allowed: ["Red", "Blue", "Black"], words: rows() }],
      }))
      .on("PUT /api/v1/feeds/1/values", ({ body }) => {
        Object.assign(words, (body as { words: typeof words }).words);
        return { done: true };
      });
  };

  it("are answered by suggestion, one by one, and many at once", async () => {
    start();
    inFeed(<Values />);
    await userEvent.click(await screen.findByRole("button", { name: "Accept 1" }));
    await waitFor(() => expect(words).toEqual({ R: "Red" }));
    const blue = screen.getByRole("listitem", { name: "B" });
    await userEvent.type(within(blue).getByRole("combobox"), "Blu{Enter}");
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
});
