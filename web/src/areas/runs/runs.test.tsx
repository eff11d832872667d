import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { RunView } from "../../api/hooks";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { feedLine, runView } from "../../test/samples";
import { Runs } from "./Runs";

const LIST = "GET /api/v1/stores/1/runs";

function server(runs: RunView[], total = runs.length) {
  return new FakeServer()
    .on(LIST, ({ query }) => {
      const state = query.get("state");
      return { runs: runs.filter((one) => !state || one.status === state), total };
    })
    .on("GET /api/v1/stores/1/arrivals", () => ({
      feeds: [feedLine({ id: 3, supplier: "Kalvskinn AS", name: "Liste" })],
      upload_limit: 1000,
    }))
    .on("GET /api/v1/stores/1/dated", () => ({ values: [], total: 0 }));
}

const place = (search = "") => draw(<Runs />, `/s/1/runs${search}`, "/s/:store/runs");
const asked = (fake: FakeServer) => Object.fromEntries(fake.calls(LIST).at(-1)?.query ?? []);

describe("the runs of a store", () => {
  it("say what each was of, and what came of it", async () => {
    server([
      runView({
        id: 9,
        status: "applied",
        scope: { name: "Stock", fields: ["stock"] },
        counts: { changed: 4 },
      }),
      runView({ id: 8, status: "failed", error: "There is no room left." }),
      runView({ id: 7, status: "preparing", progress: 40 }),
    ]);
    place();
    const row = (name: string) =>
      within(screen.getByRole("link", { name }).closest("tr") as HTMLTableRowElement);
    expect(await screen.findByText("3 runs")).toBeVisible();
    expect(row("Run 9").getByText(/Stock alone/)).toBeVisible();
    expect(row("Run 9").getByText("4 changed")).toBeVisible();
    expect(row("Run 8").getByText("There is no room left.")).toBeVisible();
    expect(row("Run 7").getByRole("progressbar")).toHaveAttribute("aria-valuenow", "40");
  });

  it("are found by state, feed and file, which the address keeps", async () => {
    const fake = server([runView({ id: 9, status: "applied" }), runView({ id: 8, status: "prepared" })]);
    const { router } = place("?page=2");
    await screen.findByRole("link", { name: "Run 9" });
    expect(asked(fake)).toMatchObject({ offset: "100", limit: "50" });
    await userEvent.click(screen.getByRole("combobox", { name: "State" }));
    await userEvent.click(screen.getByRole("option", { name: "to be looked at" }));
    await waitFor(() => expect(screen.queryByRole("link", { name: "Run 9" })).toBeNull());
    expect(asked(fake)).toMatchObject({ state: "prepared", offset: "0" });
    await userEvent.click(screen.getByRole("combobox", { name: "Feed" }));
    await userEvent.click(screen.getByRole("option", { name: "Kalvskinn AS, Liste" }));
    await userEvent.type(screen.getByRole("searchbox", { name: "Search in file names" }), "uke");
    await waitFor(() =>
      expect(asked(fake)).toMatchObject({ state: "prepared", feed_id: "3", search: "uke" }),
    );
    expect(router.state.location.search).toBe("?page=0&state=prepared&feed=3&search=uke");
  });

  it("go from page to page where there are many", async () => {
    const fake = server([runView({ id: 9 })], 4312);
    place("?state=applied");
    expect(await screen.findByText("1–50")).toBeVisible();
    expect(screen.getByText("4,312 runs")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Later" }));
    await waitFor(() => expect(asked(fake)).toMatchObject({ state: "applied", offset: "50" }));
  });

  it("tell that none is such, with a way back to all", async () => {
    const fake = server([runView({ id: 9, status: "applied" })]);
    place("?state=failed&search=uke");
    await userEvent.click(await screen.findByRole("button", { name: "Show all runs" }));
    expect(await screen.findByRole("link", { name: "Run 9" })).toBeVisible();
    expect(asked(fake)).toMatchObject({ state: "", search: "" });
  });

  it("say of an address that means nothing, or a feed that is gone, what is shown", async () => {
    const fake = server([runView({ id: 9 })]);
    place("?page=last&feed=77&state=asleep");
    expect(await screen.findByRole("combobox", { name: "Feed" })).toHaveTextContent("of a feed out of sight");
    expect(asked(fake)).toMatchObject({ state: "", feed_id: "77", offset: "0" });
  });

  it("lead back from behind the last page", async () => {
    const fake = server([], 3);
    place("?page=4");
    expect(await screen.findByText("No such run")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Show all runs" }));
    await waitFor(() => expect(asked(fake)).toMatchObject({ offset: "0" }));
  });

  it("tell where the first one comes from", async () => {
    server([]);
    place();
    expect(await screen.findByText("No run yet")).toBeVisible();
    expect(screen.queryByRole("button", { name: "Show all runs" })).toBeNull();
  });
});
