import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { ContrastView } from "../../api/contrasts";
import { FeedContext } from "../../shell/feed";
import { Versions } from "../../shell/Versions";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { feedLine, runView, summaryOf, UNDECIDED } from "../../test/samples";
import { Review } from "../review/Review";
import { InShort } from "./InShort";

const answer = (more: Partial<ContrastView> = {}): ContrastView => ({
  id: 8,
  feed_id: 1,
  delivery_id: 7,
  file_name: "thee.csv",
  before: "version 2",
  after: "the draft",
  status: "ready",
  progress: 100,
  stage: "",
  error: "",
  rows: 9,
  lines: 0,
  differences: [],
  fields: {},
  ...more,
});

const many = Array.from({ length: 7 }, (_, n) => ({
  kind: "field" as const,
  field: `f${n}`,
  count: 2,
  before: "",
  after: "",
  said: `Veld ${n} of 2 products is another`,
}));

describe("what another crosswalk would do", () => {
  const versions = {
    unsaved: ["name: now filled"],
    versions: [2, 1].map((number) => ({
      id: number,
      number,
      at: "2027-01-01T00:00:00Z",
      author: "Ayşe",
      note: "",
      changes: [],
      runs: [],
    })),
  };

  it("is asked of an earlier version, for the delivery that is looked at", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/feeds/1/versions", () => versions)
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [feedLine()] }))
      .on("POST /api/v1/feeds/1/contrasts", () => answer({ status: "queued" }));
    const feed = { feed: 1, line: feedLine(), delivery: 7, asking: false, openQuestions: () => undefined };
    let closed = 0;
    const { router } = draw(
      <FeedContext value={feed}>
        <Versions feed={1} open onClose={() => closed++} />
      </FeedContext>,
    );
    const first = await screen.findByRole("region", { name: "Version 1" });
    await userEvent.click(within(first).getByRole("button", { name: "Beside the draft" }));
    await waitFor(() => expect(router.state.location.pathname).toBe("/s/1/feeds/1/beside/8"));
    const [asked] = fake.calls("POST /api/v1/feeds/1/contrasts");
    expect(asked?.body).toEqual({ before: { version: 1 }, after: { version: 0 } });
    expect(asked?.query.get("delivery_id")).toBe("7");
    expect(closed).toBe(1);
  });

  it("says why where it cannot be asked, and stays where one was", async () => {
    new FakeServer()
      .on("GET /api/v1/feeds/1/versions", () => versions)
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [feedLine()] }))
      .on("POST /api/v1/feeds/1/contrasts", () => ({
        title: "No",
        status: 422,
        detail: "The draft prices nothing by the ladder 'Raf'.",
      }));
    const { router } = draw(<Versions feed={1} open onClose={() => undefined} />);
    const first = await screen.findByRole("region", { name: "Version 2" });
    await userEvent.click(within(first).getByRole("button", { name: "Beside the draft" }));
    expect(await screen.findByText(/prices nothing by the ladder 'Raf'/)).toBeInTheDocument();
    expect(router.state.location.pathname).toBe("/s/1/feeds/1/bench");
  });

  it("is asked of a prepared run by the version and the delivery that it has", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/runs/4", () => runView({ status: "prepared", version: 3, counts: { changed: 1 } }))
      .on("GET /api/v1/runs/4/summary", () => summaryOf())
      .on("GET /api/v1/runs/4/rows", () => ({ total: 0, rows: [] }))
      .on("GET /api/v1/runs/4/decisions", () => UNDECIDED())
      .on("POST /api/v1/feeds/1/contrasts", () => answer({ status: "queued" }));
    const { router } = draw(<Review />, "/s/1/runs/4", "/s/:store/runs/:run");
    await userEvent.click(await screen.findByRole("button", { name: "(beside the draft)" }));
    await waitFor(() => expect(router.state.location.pathname).toBe("/s/1/feeds/1/beside/8"));
    expect(fake.calls("POST /api/v1/feeds/1/contrasts")[0]?.body).toEqual({
      before: { version: 3 },
      after: { version: 0 },
    });
  });

  it("is told in short, with the way to the rest", async () => {
    new FakeServer().on("GET /api/v1/contrasts/8", () => answer({ lines: 14, differences: many }));
    draw(<InShort id={8} />);
    expect(await screen.findByRole("link", { name: many[0]?.said })).toHaveAttribute(
      "href",
      "/s/1/feeds/1/beside/8?about=0",
    );
    expect(screen.getAllByRole("link")).toHaveLength(6);
    expect(screen.getByText(/and 2 more/)).toBeInTheDocument();
    expect(screen.getByRole("link", { name: "14 lines of 9 side by side" })).toHaveAttribute(
      "href",
      "/s/1/feeds/1/beside/8",
    );
  });

  it.each([
    [answer(), "Nothing becomes another in 9 rows."],
    [answer({ status: "failed", error: "Our fault: no memory. It is in the log." }), /Our fault: no memory/],
  ])("says so where there is nothing to tell", async (told, said) => {
    new FakeServer().on("GET /api/v1/contrasts/8", () => told);
    draw(<InShort id={8} />);
    expect(await screen.findByText(said)).toBeInTheDocument();
    expect(screen.queryByRole("link")).toBeNull();
  });
});
