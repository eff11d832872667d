import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { FeedSchedules, ScheduleEdit, ScheduleLine, Scope } from "../../api/sources";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { May } from "./May";
import { Quiet } from "./Quiet";
import { Schedules } from "./Schedules";
import { Scopes } from "./Scopes";
import { useSchedules } from "../../api/sources";

const NEXT = ["2026-11-29T05:00:00Z", "2026-11-30T05:00:00Z"];

const line = (more: Partial<ScheduleLine> = {}): ScheduleLine => ({
  id: 4,
  expression: "0 6 * * *",
  zone: "Europe/Paris",
  scope: "",
  paused: false,
  last_at: null,
  said: "At 06:00",
  next: NEXT,
  ...more,
});

const schedules = (own: ScheduleLine[] = [line()], may: FeedSchedules["may"] = "wait") => ({
  schedules: own,
  may,
  quiet_days: null,
});

const scopes = (...own: Scope[]) => ({
  scopes: own,
  fields: [
    { name: "stock", label: "Stock" },
    { name: "price", label: "Price" },
  ],
});

/** A server that keeps schedules; an expression of four parts is refused. */
function server(start = schedules(), known = scopes()) {
  let now = start;
  let held = known;
  const keep = (own: ScheduleLine[]) => (now = { ...now, schedules: own });
  return new FakeServer()
    .on("GET /api/v1/feeds/3/schedules", () => now)
    .on("POST /api/v1/schedules/times", ({ body }) =>
      (body as ScheduleEdit).expression.split(" ").length === 5
        ? { said: "At a time", next: NEXT }
        : { title: "It does not fit.", status: 422, detail: "a cron expression has five parts" },
    )
    .on("POST /api/v1/feeds/3/schedules", ({ body }) =>
      keep([...now.schedules, line({ id: 9, ...(body as ScheduleEdit), said: "Anew" })]),
    )
    .on("GET /api/v1/feeds/3/scopes", () => held)
    .on("PUT /api/v1/feeds/3/scopes", ({ body }) => {
      const { scopes } = body as { scopes: Scope[] };
      if (!scopes.length)
        return { title: "Not now.", status: 409, detail: "A schedule is of the scope 'Stock'." };
      return (held = { ...held, scopes });
    })
    .on("PUT /api/v1/schedules/4", ({ body }) => keep([line(body as ScheduleEdit)]))
    .on("DELETE /api/v1/schedules/4", () => keep([]))
    .on("PUT /api/v1/feeds/3/may", ({ body }) => (now = { ...now, ...(body as object) }));
}

function Place({ fetched = true }: { fetched?: boolean }) {
  const known = useSchedules(3);
  if (!known.data) return null;
  return (
    <>
      <Schedules feed={3} known={known.data} fetched={fetched} />
      <May feed={3} may={known.data.may} />
    </>
  );
}

describe("when a feed is fetched", () => {
  it("is said in plain words, with the next time as the clocks there show it", async () => {
    server();
    draw(<Place />);
    expect(await screen.findByText(/^At 06:00, Europe\/Paris/)).toBeVisible();
    expect(screen.getByText(/next: Sun, 29 Nov 2026, 06:00/)).toBeVisible();
  });

  it("is paused and goes on, and what is removed is brought back", async () => {
    const fake = server();
    draw(<Place />);
    await userEvent.click(await screen.findByRole("button", { name: "Pause" }));
    await userEvent.click(await screen.findByRole("button", { name: "Go on" }));
    expect(fake.calls("PUT /api/v1/schedules/4").map((c) => (c.body as ScheduleEdit).paused)).toEqual([
      true,
      false,
    ]);
    await userEvent.click(await screen.findByRole("button", { name: "Remove" }));
    await waitFor(() => expect(screen.queryByText(/^At 06:00/)).toBeNull());
    await userEvent.keyboard("{Control>}z{/Control}");
    expect(await screen.findByText(/^Anew/)).toBeVisible();
    expect(fake.calls("POST /api/v1/feeds/3/schedules")[0]?.body).toMatchObject({
      expression: "0 6 * * *",
      zone: "Europe/Paris",
    });
  });

  it("shows the next times of what is typed, and keeps nothing that never comes", async () => {
    const fake = server(schedules([]));
    draw(<Place />);
    await userEvent.click(await screen.findByRole("button", { name: "Fetch it by itself" }));
    const form = screen.getByRole("form", { name: "When it is fetched" });
    expect(await within(form).findByText("At a time")).toBeVisible();
    expect(within(form).getAllByRole("listitem")).toHaveLength(2);
    const typed = within(form).getByLabelText("Cron expression");
    await userEvent.clear(typed);
    await userEvent.type(typed, "0 6 * *");
    expect(await within(form).findByText("a cron expression has five parts")).toBeVisible();
    expect(within(form).getByRole("button", { name: "Fetch it then" })).toBeDisabled();
    await userEvent.click(within(form).getByLabelText("It is fetched"));
    await userEvent.click(screen.getByRole("option", { name: "every hour" }));
    expect(typed).toHaveValue("0 * * * *");
    await waitFor(() => expect(within(form).getByRole("button", { name: "Fetch it then" })).toBeEnabled());
    await userEvent.click(within(form).getByRole("button", { name: "Fetch it then" }));
    expect(await screen.findByText(/^Anew/)).toBeVisible();
    expect(fake.calls("POST /api/v1/feeds/3/schedules")[0]?.body).toMatchObject({ expression: "0 * * * *" });
  });

  it("is changed in place", async () => {
    const fake = server();
    draw(<Place />);
    await userEvent.click(await screen.findByRole("button", { name: "Change" }));
    const zone = screen.getByLabelText("Time zone");
    await userEvent.clear(zone);
    await userEvent.type(zone, "UTC");
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    await waitFor(() =>
      expect(fake.calls("PUT /api/v1/schedules/4")[0]?.body).toMatchObject({ zone: "UTC" }),
    );
    expect(await screen.findByText(/^At 06:00, UTC/)).toBeVisible();
  });

  it("waits for where the deliveries come from", async () => {
    server(schedules([]));
    draw(<Place fetched={false} />);
    expect(await screen.findByText(/Say where its deliveries come from first/)).toBeVisible();
  });
});

describe("a scope", () => {
  it("is made of fields, fetched by itself, and taken back", async () => {
    const fake = server();
    fake.on("POST /api/v1/feeds/3/fetches", () => ({}));
    draw(<Scopes feed={3} fetched />);
    await userEvent.click(await screen.findByRole("button", { name: "Make a scope" }));
    expect(screen.getByRole("button", { name: "Keep it" })).toBeDisabled();
    await userEvent.type(screen.getByLabelText("Name"), " Hourly ");
    await userEvent.click(screen.getByLabelText("Fields"));
    await userEvent.click(screen.getByRole("option", { name: "Stock" }));
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    expect(await screen.findByText("Hourly")).toBeVisible();
    expect(fake.calls("PUT /api/v1/feeds/3/scopes")[0]?.body).toEqual({
      scopes: [{ name: "Hourly", fields: ["stock"] }],
    });
    await userEvent.click(screen.getByRole("button", { name: "Fetch now" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/feeds/3/fetches")).toHaveLength(1));
    expect(fake.calls("POST /api/v1/feeds/3/fetches")[0]?.query.get("scope")).toBe("Hourly");
  });

  it("that a schedule is of stays, with the reason", async () => {
    server(schedules(), scopes({ name: "Hourly", fields: ["stock", "gone"] }));
    draw(<Scopes feed={3} fetched={false} />);
    expect(await screen.findByText("Stock, gone (filled no more)")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Remove" }));
    expect(await screen.findByText("A schedule is of the scope 'Stock'.")).toBeVisible();
    expect(screen.getByText("Hourly")).toBeVisible();
  });

  it("is what a time may be of", async () => {
    const fake = server(schedules([]), scopes({ name: "Hourly", fields: ["stock"] }));
    draw(<Place />);
    await userEvent.click(await screen.findByRole("button", { name: "Fetch it by itself" }));
    await userEvent.click(await screen.findByLabelText("What is taken"));
    await userEvent.click(screen.getByRole("option", { name: "Hourly" }));
    await userEvent.click(screen.getByRole("button", { name: "Fetch it then" }));
    expect(await screen.findByText("Hourly:")).toBeVisible();
    expect(fake.calls("POST /api/v1/feeds/3/schedules")[0]?.body).toMatchObject({ scope: "Hourly" });
  });
});

it("says what becomes of a delivery, and takes that back", async () => {
  const fake = server();
  draw(<Place />);
  const clean = await screen.findByRole("radio", { name: /applied when nothing at all is open/ });
  await userEvent.click(clean);
  await waitFor(() => expect(clean).toBeChecked());
  await userEvent.keyboard("{Control>}z{/Control}");
  await waitFor(() => expect(screen.getByRole("radio", { name: /waits to be looked at/ })).toBeChecked());
  expect(fake.calls("PUT /api/v1/feeds/3/may").map((c) => c.body)).toEqual([
    { may: "clean" },
    { may: "wait" },
  ]);
});

it("says when silence is told, and takes that back", async () => {
  const sent: unknown[] = [];
  server().on("PUT /api/v1/feeds/3/quiet", ({ body }) => {
    sent.push(body);
    return { done: true };
  });
  draw(<Quiet feed={3} days={null} />);
  await userEvent.click(screen.getByRole("combobox", { name: "When silence is told" }));
  await userEvent.click(screen.getByRole("option", { name: "after eight days" }));
  await waitFor(() => expect(sent).toEqual([{ days: 8 }]));
  await userEvent.keyboard("{Control>}z{/Control}");
  await waitFor(() => expect(sent).toEqual([{ days: 8 }, { days: null }]));
});
