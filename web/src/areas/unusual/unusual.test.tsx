import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { DeliveryBeside, Unusual } from "../../api/unusual";
import { Route, Routes } from "react-router";
import { FeedContext } from "../../shell/feed";
import { FeedPlace } from "../../shell/FeedPlace";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { delivery, feedLine } from "../../test/samples";
import { UnusualPlace } from "./Unusual";

const BEFORE = { id: 6, file_name: "week-4.csv", received_at: new Date().toISOString() };

const thing = (more: Partial<Unusual>): Unusual => ({
  kind: "column_renamed",
  name: "Column renamed",
  severity: "warn",
  column: "Prezzo",
  to: "Netto",
  factor: null,
  rows: 30,
  said: "'Prezzo' is called 'Netto' now.",
  fields: ["Price"],
  since: null,
  ...more,
});

const THINGS = [
  thing({
    kind: "kind_changed",
    name: "Another kind of value",
    severity: "hold",
    column: "Giacenza",
    to: "",
    said: "30 of 30 cells of 'Giacenza' hold 'sì'.",
    fields: ["Stock"],
    since: BEFORE,
  }),
  thing({}),
  thing({ kind: "new_words", name: "New words", severity: "note", column: "Colore", to: "", fields: [] }),
];

const told = (more: Partial<DeliveryBeside> = {}): DeliveryBeside => ({
  id: 7,
  file_name: "week-5.csv",
  rows: 1200,
  before: BEFORE,
  known: 4,
  things: THINGS,
  renames: {},
  breaches: [],
  ...more,
});

/** A server whose delivery is read anew under another name, and back. */
function server(start = told()) {
  let now = start;
  const reading = { format: "delimited", reshape: [] };
  return new FakeServer()
    .on("GET /api/v1/deliveries/7/unusual", () => now)
    .on("GET /api/v1/deliveries/7", () => ({ id: 7, status: "waiting", reading }))
    .on("POST /api/v1/deliveries/7/names", () => {
      now = told({ things: [], renames: { Netto: "Prezzo" } });
      return { id: 7 };
    })
    .on("PUT /api/v1/deliveries/7/reading", () => {
      now = start;
      return { id: 7 };
    });
}

function place(at = 7) {
  const line = feedLine({ id: 3, deliveries: at ? [delivery({ id: at })] : [] });
  return draw(
    <FeedContext.Provider
      value={{ feed: 3, line, delivery: at || undefined, asking: false, openQuestions: () => undefined }}
    >
      <UnusualPlace />
    </FeedContext.Provider>,
    "/s/1/feeds/3/unusual",
  );
}

describe("what is unusual in a delivery", () => {
  it("stands by how grave it is, each with its rows, its fields and since when", async () => {
    server();
    place();
    expect(await screen.findByRole("heading", { name: "Unusual in week-5.csv" })).toBeInTheDocument();
    expect(screen.getByText(/1,200 rows, beside week-4.csv/)).toHaveTextContent(
      "what 4 deliveries were like",
    );
    const holds = within(screen.getByRole("region", { name: "Holds it" }));
    expect(holds.getByText("30 of 30 cells of 'Giacenza' hold 'sì'.")).toBeInTheDocument();
    expect(holds.getByText(/^30 rows · fills Stock · since week-4.csv/)).toBeInTheDocument();
    expect(holds.getByRole("link", { name: "See it" })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/bench?delivery=7&column=Giacenza",
    );
    const notes = within(screen.getByRole("region", { name: "Good to know" }));
    expect(notes.getByRole("link", { name: "Place the words" })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/values?delivery=7",
    );
  });

  it("takes a column's new name with one click, and gives it back", async () => {
    const fake = server();
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Take the new name" }));
    expect(await screen.findByText(/'Netto' is called 'Prezzo', as the reading/)).toBeInTheDocument();
    expect(fake.calls("POST /api/v1/deliveries/7/names")[0]?.body).toEqual({ column: "Prezzo", to: "Netto" });
    expect(screen.getByRole("heading", { name: "Nothing unusual in week-5.csv" })).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/deliveries/7/reading")).toHaveLength(1));
    expect(await screen.findByRole("button", { name: "Take the new name" })).toBeInTheDocument();
  });

  it("says in what the delivery breaks its contract, also where it is the first", async () => {
    const said = "The column 'Netto' is missing.";
    server(told({ before: null, known: 0, things: [], breaches: [{ kind: "column_missing", said }] }));
    place();
    const region = within(await screen.findByRole("region", { name: "Its contract" }));
    expect(region.getByRole("heading")).toHaveTextContent("week-5.csv breaks its contract in 1 point");
    expect(region.getByText(said)).toBeVisible();
    expect(region.getByRole("link", { name: "Open the contract" })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/profile",
    );
  });

  it("waits while it is read anew, however long that takes, and tells of the new reading", async () => {
    let reading = false;
    const line = () =>
      feedLine({ id: 3, deliveries: [delivery({ id: 7, status: reading ? "reading" : "waiting" })] });
    const fake = server()
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [line()], upload_limit: 1000 }))
      .on("GET /api/v1/feeds/3/questions", () => ({ questions: [] }))
      .on("POST /api/v1/deliveries/7/names", () => {
        reading = true;
        return { id: 7 };
      });
    draw(
      <Routes>
        <Route path="/s/:store/feeds/:feed" element={<FeedPlace />}>
          <Route path="unusual" element={<UnusualPlace />} />
        </Route>
      </Routes>,
      "/s/1/feeds/3/unusual",
      "*",
    );
    await userEvent.click(await screen.findByRole("button", { name: "Take the new name" }));
    expect(await screen.findByText(/week-1.csv, which is being read/)).toBeInTheDocument();
    expect(screen.queryByText("Column renamed")).not.toBeInTheDocument();
    reading = false;
    fake.on("GET /api/v1/deliveries/7/unusual", () => told({ things: [], renames: { Netto: "Prezzo" } }));
    expect(
      await screen.findByText(/'Netto' is called 'Prezzo', as the reading/, {}, { timeout: 3000 }),
    ).toBeInTheDocument();
    expect(screen.queryByText("Column renamed")).not.toBeInTheDocument();
  });

  it("says that a first delivery has nothing to be held beside", async () => {
    server(told({ before: null, known: 0, things: [] }));
    place();
    expect(await screen.findByText("Nothing to hold it beside yet")).toBeInTheDocument();
  });

  it("says that there is no delivery, and asks nothing of the server", () => {
    place(0);
    expect(screen.getByText("No delivery that can be read")).toBeInTheDocument();
  });

  it("says what went wrong, and asks again", async () => {
    new FakeServer().down("GET /api/v1/deliveries/7/unusual");
    place();
    const again = await screen.findByRole("button", { name: "Try again" });
    server();
    await userEvent.click(again);
    expect(await screen.findByRole("heading", { name: "Unusual in week-5.csv" })).toBeInTheDocument();
  });
});
