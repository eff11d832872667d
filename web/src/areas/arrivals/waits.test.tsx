import { screen, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { FeedLine } from "../../api/hooks";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { delivery, feedLine } from "../../test/samples";
import { DeliveryRow } from "./DeliveryRow";
import { FeedRow } from "./FeedRow";

const AT = "/s/1/arrivals";
const ROUTE = "/s/:store/arrivals";

function drawFeed(more: Partial<FeedLine>) {
  new FakeServer().on("GET /api/v1/demo/feeds/3/next", () => ({ file_name: "" }));
  const feed = feedLine({ id: 3, supplier: "Voks og Veke", ...more });
  draw(<FeedRow store={1} feed={feed} feeds={[feed]} limit={1000} />, AT, ROUTE);
  return within(screen.getByRole("region", { name: "Voks og Veke" }));
}

const fetching = (more: Partial<NonNullable<FeedLine["fetch"]>>): FeedLine["fetch"] => ({
  id: 5,
  status: "fetching",
  stage: "",
  said: "",
  done: 0,
  total: null,
  at: "",
  ...more,
});

describe("what a feed waits for", () => {
  const run = { run_id: 9, run_status: "prepared" };
  it.each([
    [{ needs: "held", held: -1, deliveries: [delivery(run)] }, "a guard holds the run", "/s/1/runs/9"],
    [{ needs: "held", held: 12, deliveries: [delivery(run)] }, "guards hold 12 products", "/s/1/runs/9"],
    [{ needs: "apply", deliveries: [delivery(run)] }, "prepared: look at it and apply it", "/s/1/runs/9"],
    [{ needs: "failed", deliveries: [delivery(run)] }, "could not be prepared", "/s/1/runs/9"],
    [{ needs: "question", questions: 2 }, "2 open questions", "/s/1/feeds/3/bench?delivery=7"],
    [{ needs: "unfetched" }, "could not be fetched", "/s/1/feeds/3/profile"],
  ] as [Partial<FeedLine>, string, string][])("%j leads to where that is done", (more, said, place) => {
    expect(drawFeed(more).getByRole("link", { name: said })).toHaveAttribute("href", place);
  });

  it.each([
    [{ needs: "prepare" }, "new: nothing prepared yet"],
    [{ needs: "map" }, "not mapped yet"],
    [{ needs: "calm", deliveries: [] }, "waits for its first file"],
    [{ needs: "calm", questions: null }, "looking …"],
    [{ needs: "calm", mapped: 0, joined_to: ["Kalvskinn, Liste"] }, "completes Kalvskinn, Liste"],
    [
      { needs: "busy", deliveries: [delivery({ status: "reading", stage: "9,000 records read" })] },
      "being read … 9,000 records read",
    ],
    [
      { needs: "unreadable", deliveries: [delivery({ error: "It asks for a password." })] },
      "asks for its password",
    ],
    [{ needs: "unreadable", deliveries: [delivery({ complete: false })] }, "the file broke off"],
  ] as [Partial<FeedLine>, string][])("%j is said in words", (more, said) => {
    expect(drawFeed(more).getAllByText(said)[0]).toBeVisible();
  });
});

describe("what is being fetched", () => {
  it.each([
    [fetching({ status: "queued" }), "looking for the next delivery …"],
    [fetching({ stage: "uke-2.csv" }), "uke-2.csv …"],
    [fetching({ status: "failed", said: "The host does not answer." }), "The host does not answer."],
  ])("%j is told, and leads to the profile", (fetch, said) => {
    expect(drawFeed({ fetch }).getByRole("link", { name: said })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/profile",
    );
  });

  it("is nothing once it has come", () => {
    const row = drawFeed({ fetch: fetching({ status: "new", said: "uke-2.csv came: 40 rows." }) });
    expect(row.queryByText(/uke-2.csv came/)).toBeNull();
  });
});

describe("an earlier delivery", () => {
  it.each([
    [{ status: "unreadable", error: "No table." }, "No table.", "Change the reading", "reading"],
    [{ status: "stopped", error: "Stopped by hand." }, "Stopped by hand.", "Change the reading", "reading"],
    [
      { status: "reading", stage: "waiting for a worker" },
      /waiting for a worker/,
      "Open the reading",
      "reading",
    ],
    [{ complete: false }, /the file broke off/, "Open the reading", "reading"],
    [{}, /nothing prepared yet/, "Open the bench", "bench"],
  ])("%j says what it is, and where it is worked on", (more, said, action, place) => {
    const feed = feedLine({ id: 3 });
    draw(<DeliveryRow store={1} feed={feed} feeds={[feed]} delivery={delivery(more)} />, AT, ROUTE);
    expect(screen.getByText(said)).toBeVisible();
    expect(screen.getByRole("link", { name: action })).toHaveAttribute(
      "href",
      `/s/1/feeds/3/${place}?delivery=7`,
    );
  });
});
