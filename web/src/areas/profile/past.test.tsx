import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { FeedPeople } from "../../api/profiles";
import { FeedContext } from "../../shell/feed";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { feedLine, runView } from "../../test/samples";
import { Called } from "./Called";
import { History, LastRuns } from "./Past";
import { WhoMay } from "./WhoMay";

const AT = "/s/1/feeds/3/profile";
const ROUTE = "/s/:store/feeds/:feed/profile";

describe("what a feed is called", () => {
  it("is a code for programs, which may be another feed's already", async () => {
    let code = "";
    const fake = new FakeServer()
      .on("GET /api/v1/feeds/3/code", () => ({ code }))
      .on("PUT /api/v1/feeds/3/code", ({ body }) => {
        const wanted = (body as { code: string }).code;
        if (wanted === "taken")
          return { title: "Not now.", status: 409, detail: "Another feed is called taken." };
        return { code: (code = wanted) };
      });
    const value = { feed: 3, line: feedLine({ id: 3 }), delivery: 7, asking: false };
    draw(
      <FeedContext.Provider value={{ ...value, openQuestions: () => undefined }}>
        <Called />
      </FeedContext.Provider>,
      AT,
      ROUTE,
    );
    await userEvent.click(await screen.findByRole("button", { name: "Give it a code" }));
    await userEvent.type(screen.getByLabelText("Code", { selector: "input" }), "taken{Enter}");
    expect(await screen.findByText("Another feed is called taken.")).toBeVisible();
    await userEvent.clear(screen.getByLabelText("Code", { selector: "input" }));
    await userEvent.type(screen.getByLabelText("Code", { selector: "input" }), "kiem{Enter}");
    expect(await screen.findByText("kiem")).toBeVisible();
    await userEvent.keyboard("{Control>}z{/Control}");
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/3/code").at(-1)?.body).toEqual({ code: "" }));
  });
});

it("says who may, and why one may not shut oneself out", async () => {
  let people: FeedPeople = { run: [], edit: [] };
  new FakeServer()
    .on("GET /api/v1/feeds/3/people", () => people)
    .on("PUT /api/v1/feeds/3/people", ({ body }) => {
      const wanted = body as FeedPeople;
      if (wanted.edit?.length) return { title: "Not now.", status: 409, detail: "Not yourself any more." };
      return (people = wanted);
    });
  draw(<WhoMay feed={3} />, AT, ROUTE);
  await userEvent.type(await screen.findByLabelText("May be run by"), " Bram {Enter}");
  expect(await screen.findByText("Bram")).toBeVisible();
  expect(people).toEqual({ run: ["Bram"], edit: [] });
  await userEvent.type(screen.getByLabelText("May be changed by"), "Cor{Enter}");
  expect(await screen.findByText("Not yourself any more.")).toBeVisible();
  expect(people.edit).toEqual([]);
});

it("tells the last runs, each with its log", async () => {
  const run = runView({ id: 12, status: "applied", author: "Weekly list, by itself" });
  new FakeServer().on("GET /api/v1/feeds/3/runs", () => ({ runs: [run] }));
  draw(<LastRuns feed={3} />, AT, ROUTE);
  expect(await screen.findByRole("link", { name: "Run 12" })).toHaveAttribute("href", "/s/1/runs/12");
  expect(screen.getByRole("link", { name: "Log of run 12" })).toHaveAttribute(
    "href",
    "/api/v1/runs/12/log.txt",
  );
  expect(screen.getByText("Weekly list, by itself")).toBeVisible();
});

it("tells what was changed by whom, some of many first", async () => {
  const at = new Date().toISOString();
  const changes = Array.from({ length: 10 }, (_, n) => ({
    at,
    author: "Anneke",
    said: `change ${n}`,
    version: n === 1 ? 4 : null,
  }));
  new FakeServer().on("GET /api/v1/feeds/3/history", () => ({ changes }));
  draw(<History feed={3} />, AT, ROUTE);
  const list = within(await screen.findByRole("list"));
  expect(list.getAllByRole("listitem")).toHaveLength(8);
  expect(list.getByText("Version 4 of the crosswalk: change 1")).toBeVisible();
  await userEvent.click(screen.getByRole("button", { name: "All 10 changes" }));
  expect(list.getAllByRole("listitem")).toHaveLength(10);
});
