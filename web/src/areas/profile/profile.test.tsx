import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { FeedSource, FetchLine, Source, Tried } from "../../api/sources";
import { FeedContext } from "../../shell/feed";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { delivery, feedLine, look } from "../../test/samples";
import { KINDS, cleaned } from "./kinds";
import { underWay } from "./Looks";
import { Profile } from "./Profile";

const SSH = {
  ...KINDS.sftp.start,
  host: "files.example",
  user: "shop",
  host_key: "SHA256:known",
} as unknown as Source;

const from = (more: Partial<FeedSource> = {}): FeedSource => ({
  source: SSH,
  said: "the newest file on files.example, by SFTP, as shop",
  kept: ["password"],
  token: false,
  ...more,
});

const tried = (more: Partial<Tried> = {}): Tried => ({
  files: [
    { name: "week-2.csv", size: 2048, modified: new Date().toISOString(), taken: true },
    { name: "week-1.csv", size: 1024, modified: null, taken: false },
  ],
  count: 60,
  sample: {
    name: "week-2.csv",
    size: 2048,
    format: "delimited",
    columns: ["Artikel", "Preis"],
    rows: [["0001", null]],
    said: "",
  },
  error: "",
  remedy: "",
  host_key: "",
  ...more,
});

/** A server that keeps what is set, and answers what is tried with ``found``. */
function server(start = from(), looks: FetchLine[] = [], found: Tried[] = [tried()]) {
  let now = start;
  const fake = new FakeServer()
    .on("GET /api/v1/feeds/3/source", () => now)
    .on("GET /api/v1/feeds/3/schedules", () => ({ schedules: [], may: "wait", quiet_days: null }))
    .on("GET /api/v1/feeds/3/guards", () => ({
      guards: [
        { kind: "rows_fewer", on: true, limit: "30" },
        { kind: "new_words", on: false, limit: "20" },
      ],
      sorts: [{ kind: "rows_fewer", name: "Fewer rows", holds: "run", says: "", limit: "30", on: true }],
      blind: {},
    }))
    .on("GET /api/v1/stores/1/told", () => ({ mail: ["a@b.example"], digest: true, hook: "", secret: false }))
    .on("GET /api/v1/feeds/3/code", () => ({ code: "" }))
    .on("GET /api/v1/feeds/3/people", () => ({ run: [], edit: [] }))
    .on("GET /api/v1/feeds/3/runs", () => ({ runs: [] }))
    .on("GET /api/v1/feeds/3/history", () => ({ changes: [] }))
    .on("GET /api/v1/feeds/3/contract", () => ({
      contract: null,
      file: [],
      columns: [],
      delivery_id: null,
      file_name: "",
      breaches: [],
    }))
    .on("GET /api/v1/feeds/3/scopes", () => ({ scopes: [], fields: [] }))
    .on("GET /api/v1/feeds/3/fetches", () => ({ fetches: looks }))
    .on("POST /api/v1/feeds/3/fetches", () => look({ status: "queued" }))
    .on("POST /api/v1/feeds/3/source/try", () => (found.length > 1 ? found.shift() : found[0]))
    .on("POST /api/v1/feeds/3/token", () => ({ token: "nmx_secret" }))
    .on("DELETE /api/v1/feeds/3/token", () => ({ done: true }))
    .on("POST /api/v1/fetches/5/stop", () => look({ status: "stopped" }))
    .on("PUT /api/v1/feeds/3/source", (sent) => {
      now = { ...now, source: (sent.body as { source: Source | null }).source };
      return now;
    });
  return fake;
}

function place() {
  const line = feedLine({ id: 3, deliveries: [delivery()] });
  const value = { feed: 3, line, delivery: 7, asking: false, openQuestions: () => undefined };
  return draw(
    <FeedContext.Provider value={value}>
      <Profile />
    </FeedContext.Provider>,
    "/s/1/feeds/3/profile",
    "/s/:store/feeds/:feed/profile",
  );
}

it("says which guards are on, and who is told", async () => {
  server();
  place();
  const part = within(await screen.findByRole("region", { name: "Guards, and who is told" }));
  await waitFor(() =>
    expect(part.getByText(/1 of its 2/)).toHaveTextContent("a whole run is held by Fewer rows."),
  );
  expect(await part.findByText(/a@b.example by mail, once a day/)).toBeVisible();
});

describe("where a feed's deliveries come from", () => {
  it("is said in a sentence, and fetched from at once", async () => {
    const fake = server();
    place();
    expect(await screen.findByText(/^The newest file on files\.example/)).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Fetch now" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/feeds/3/fetches")).toHaveLength(1));
  });

  it("is tried before it is kept, and only what is asked of its kind is sent", async () => {
    const fake = server(from({ source: null, said: "", kept: [] }));
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Say where they come from" }));
    await userEvent.type(
      screen.getByLabelText("Address"),
      "https://x.example/a.csv\nhttps://x.example/b.csv\n",
    );
    await userEvent.click(screen.getByLabelText("Sign in"));
    await userEvent.click(screen.getByRole("option", { name: "with a token" }));
    await userEvent.type(screen.getByLabelText("Token"), "t0ken");
    expect(screen.queryByLabelText("User")).toBeNull();
    expect(screen.queryByLabelText("Days back")).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Try it" }));
    const files = await screen.findByRole("region", { name: "Files there" });
    expect(within(files).getByText("60 files are there")).toBeVisible();
    expect(within(files).getByText("and 58 older ones")).toBeVisible();
    expect(screen.getByRole("cell", { name: "0001" })).toBeVisible();
    expect(fake.calls("PUT /api/v1/feeds/3/source")).toHaveLength(0);
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/3/source")).toHaveLength(1));
    expect(fake.calls("PUT /api/v1/feeds/3/source")[0]?.body).toMatchObject({
      source: {
        kind: "web",
        addresses: ["https://x.example/a.csv", "https://x.example/b.csv"],
        sign_in: "bearer",
      },
      secrets: { password: "t0ken" },
    });
    expect(screen.queryByRole("button", { name: "Try it" })).toBeNull();
  });

  it("asks for days back where a name has a day in it", async () => {
    server();
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Change it" }));
    expect(screen.getByLabelText("Password")).toHaveAttribute("placeholder", "kept");
    await userEvent.clear(screen.getByLabelText("Files called"));
    await userEvent.type(screen.getByLabelText("Files called"), "list-{{YYYYMMDD}.csv");
    expect(screen.getByLabelText("Days back")).toBeVisible();
    expect(screen.getByLabelText("Time zone of the date")).toBeVisible();
  });

  it("trusts a host's key with one click, and looks again with it", async () => {
    const strange = tried({
      files: [],
      count: 0,
      sample: null,
      error: "The host shows the key SHA256:new, which nobody has confirmed yet.",
      remedy: "Compare it with what the supplier says, then trust it.",
      host_key: "SHA256:new",
    });
    const fake = server(from(), [], [strange, tried()]);
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Change it" }));
    await userEvent.click(screen.getByRole("button", { name: "Try it" }));
    await userEvent.click(await screen.findByRole("button", { name: "Trust this key" }));
    expect(await screen.findByRole("region", { name: "The first file" })).toBeVisible();
    expect(screen.getByLabelText("Key of the host")).toHaveValue("SHA256:new");
    const last = fake.calls("POST /api/v1/feeds/3/source/try").at(-1)?.body;
    expect(last).toMatchObject({ source: { host_key: "SHA256:new" } });
  });

  it.each([
    [tried({ files: [], count: 0, sample: null }), "no file of that name is there"],
    [tried({ error: "The server does not let 'shop' in.", remedy: "Check it." }), "does not let"],
    [tried({ sample: { ...tried().sample!, said: "This is a PDF document." } }), "This is a PDF document."],
  ])("says what a try has not found %#", async (found, said) => {
    server(from(), [], [found]);
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Change it" }));
    await userEvent.click(screen.getByRole("button", { name: "Try it" }));
    expect(await screen.findByText(new RegExp(said))).toBeVisible();
  });

  it("is left only after a question, as what signs in is forgotten", async () => {
    const fake = server();
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Bring by hand instead" }));
    expect(fake.calls("PUT /api/v1/feeds/3/source")).toHaveLength(0);
    await userEvent.click(screen.getByRole("button", { name: "Bring by hand" }));
    expect(await screen.findByText("Its files are brought by hand.", { exact: false })).toBeVisible();
  });

  it("shows a token once, and takes it back after a question", async () => {
    const fake = server();
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Make a token" }));
    expect(await screen.findByText("nmx_secret")).toBeVisible();
    expect(screen.getByText(/Authorization: Bearer nmx_secret/)).toBeVisible();
    expect(fake.calls("POST /api/v1/feeds/3/token")).toHaveLength(1);
  });
});

describe("a feed as a document", () => {
  const profile = { format: "nomotax-feed-profile", version: 1, supplier: "A", name: "B", may: "rest" };

  it("is the start of another under another name", async () => {
    const fake = server()
      .on("GET /api/v1/feeds/3/profile.json", () => profile)
      .on("POST /api/v1/stores/1/feeds/from-profile", () => ({ id: 12 }));
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Copy as a new feed" }));
    const name = screen.getByLabelText("Feed");
    expect(name).toHaveValue("Weekly, copy");
    await userEvent.clear(name);
    await userEvent.type(name, "Daily");
    await userEvent.click(screen.getByRole("button", { name: "Make it" }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/stores/1/feeds/from-profile")[0]?.body).toEqual({
        ...profile,
        supplier: "Quarrow Pigments",
        name: "Daily",
      }),
    );
  });

  it("is saved as a file", async () => {
    server();
    place();
    expect(await screen.findByRole("link", { name: "Export as a file" })).toHaveAttribute(
      "href",
      "/api/v1/feeds/3/profile.json",
    );
  });
});

describe("each look", () => {
  it("says what came of it, and leads to the delivery", async () => {
    const looks = [
      look({ id: 9, status: "failed", said: "files.example answers 503.", remedy: "It may be down." }),
      look({ id: 8, status: "new", said: "week-2.csv came: 8 rows.", deliveries: [7] }),
    ];
    server(from(), looks);
    place();
    expect(await screen.findByText("It may be down.")).toBeVisible();
    expect(screen.getByRole("link", { name: "week-2.csv came: 8 rows." })).toHaveAttribute(
      "href",
      "/s/1/feeds/3/reading?delivery=7",
    );
    expect(screen.getAllByRole("link", { name: "Log" })[0]).toHaveAttribute(
      "href",
      "/api/v1/fetches/9/log.txt",
    );
  });

  it("is stopped while it is under way", async () => {
    const fake = server(from(), [look({ status: "fetching", stage: "fetching list.csv" })]);
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Stop" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/fetches/5/stop")).toHaveLength(1));
  });

  it.each([
    [look({ status: "queued" }), "waits for a worker …"],
    [look({ status: "fetching", stage: "looking" }), "looking …"],
    [
      look({ status: "fetching", stage: "fetching a.csv", done: 5 << 20, total: 50 << 20 }),
      "fetching a.csv: 5.0 MB of 50 MB, at 1.0 MB a second, 45 seconds left",
    ],
    [
      look({ status: "fetching", stage: "fetching a.csv", done: 5 << 20 }),
      "fetching a.csv: 5.0 MB, at 1.0 MB a second",
    ],
  ])("says how far it is %#", (one, said) => {
    const now = Date.now();
    const begun = one.done ? new Date(now - 5000).toISOString() : null;
    expect(underWay({ ...one, started_at: begun }, now)).toBe(said);
  });
});

it("sends no empty lines", () => {
  const values = { ...KINDS.mail.start, senders: [" a@b.example ", ""] };
  expect(cleaned(values)).toMatchObject({ kind: "mail", senders: ["a@b.example"] });
});
