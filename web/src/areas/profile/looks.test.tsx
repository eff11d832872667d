import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { FetchLine } from "../../api/sources";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { look as sample } from "../../test/samples";
import { Looks, underWay } from "./Looks";
import { Sending } from "./Sending";

const LIST = "GET /api/v1/feeds/3/fetches";
const AT = "/s/1/feeds/3/profile";
const ROUTE = "/s/:store/feeds/:feed/profile";
const BEGAN = "2026-11-28T05:00:00Z";
const MB = 1 << 20;
const later = (seconds: number) => new Date(BEGAN).getTime() + seconds * 1000;

const look = (more: Partial<FetchLine> = {}) =>
  sample({ because: "by schedule: Every hour", at: BEGAN, started_at: BEGAN, ...more });

describe("how far a fetch is", () => {
  it.each([
    [{ status: "queued" }, 0, "waits for a worker …"],
    [{ status: "fetching", stage: "" }, 5, "begins …"],
    [{ status: "fetching", stage: "looking", started_at: null, done: 10 }, 5, "looking …"],
    [{ stage: "list.csv", done: 2 * MB }, 4, "list.csv: 2.0 MB, at 512 KB a second"],
    [
      { stage: "list.csv", done: MB, total: 3 * MB },
      8,
      "list.csv: 1.0 MB of 3.0 MB, at 128 KB a second, 16 seconds left",
    ],
    [
      { stage: "list.csv", done: MB, total: 31 * MB },
      8,
      "list.csv: 1.0 MB of 31 MB, at 128 KB a second, 4 minutes left",
    ],
    [{ stage: "list.csv", done: 3 * MB, total: 3 * MB }, 3, "list.csv: 3.0 MB of 3.0 MB, at 1.0 MB a second"],
  ] as [Partial<FetchLine>, number, string][])("%j after %i s", (more, seconds, expected) => {
    expect(underWay(look({ status: "fetching", ...more }), later(seconds))).toBe(expected);
  });
});

describe("the last looks", () => {
  it("say how each ended, what to do, and lead to what came and to its log", async () => {
    new FakeServer().on(LIST, () => ({
      fetches: [
        look({ id: 9, status: "failed", said: "The host does not answer.", remedy: "Check host and port." }),
        look({
          id: 8,
          status: "new",
          said: "uke-2.csv came: 40 rows.",
          deliveries: [11, 12],
          scope: "Stock",
        }),
        look({ id: 7, status: "nothing", said: "No file of that name is there.", by: "Bram" }),
        look({ id: 6, status: "stopped", said: "Stopped by hand." }),
      ],
    }));
    draw(<Looks feed={3} />, AT, ROUTE);
    const [failed, fresh, nothing, stopped] = await screen.findAllByRole("listitem");
    const at = (row?: HTMLElement) => within(row as HTMLElement);
    expect(at(failed).getByRole("img", { name: "failed" })).toBeVisible();
    expect(at(failed).getByText("Check host and port.")).toBeVisible();
    expect(at(fresh).getByRole("link", { name: /uke-2.csv came/ })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/reading?delivery=12",
    );
    expect(at(fresh).getByText("Stock, by schedule: Every hour")).toBeVisible();
    expect(at(nothing).getByText("Bram")).toBeVisible();
    expect(at(nothing).queryByRole("link", { name: /No file/ })).toBeNull();
    expect(at(stopped).getByRole("link", { name: "Log" })).toHaveAttribute(
      "href",
      "/api/v1/fetches/6/log.txt",
    );
  });

  it("are asked for again where they could not be had", async () => {
    new FakeServer().down(LIST);
    draw(<Looks feed={3} />, AT, ROUTE);
    const again = await screen.findByRole("button", { name: "Try again" });
    new FakeServer().on(LIST, () => ({ fetches: [] }));
    await userEvent.click(again);
    expect(await screen.findByText("Nobody has looked there yet.")).toBeVisible();
  });
});

describe("what is sent with a token", () => {
  it("cannot be sent any more once another is made, which is asked first", async () => {
    const fake = new FakeServer().on("POST /api/v1/feeds/3/token", () => ({ token: "nmx_neu" }));
    draw(<Sending feed={3} token />, AT, ROUTE);
    await userEvent.click(screen.getByRole("button", { name: "Make another token" }));
    const asked = within(await screen.findByRole("dialog"));
    expect(asked.getByText(/can send nothing any more/)).toBeVisible();
    await userEvent.click(asked.getByRole("button", { name: "Cancel" }));
    expect(fake.calls("POST /api/v1/feeds/3/token")).toHaveLength(0);
    await userEvent.click(screen.getByRole("button", { name: "Make another token" }));
    await userEvent.click(screen.getByRole("button", { name: "Make another" }));
    await waitFor(() => expect(screen.getAllByText(/nmx_neu/)).toHaveLength(2));
    expect(screen.getByText(/feeds\/3\/incoming\?name=list.csv/)).toHaveTextContent("Bearer nmx_neu");
  });

  it("says why no token could be made", async () => {
    new FakeServer().on("POST /api/v1/feeds/3/token", () => ({
      title: "This is not yours to do.",
      status: 403,
      detail: "This feed may be changed by Anneke alone.",
    }));
    draw(<Sending feed={3} token={false} />, AT, ROUTE);
    await userEvent.click(screen.getByRole("button", { name: "Make a token" }));
    expect(await screen.findByText("This feed may be changed by Anneke alone.")).toBeVisible();
  });
});
