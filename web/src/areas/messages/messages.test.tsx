import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { MessageLine, Told, ToldView } from "../../api/messages";
import { MessageBell } from "../../shell/MessageBell";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { MessagesPlace } from "./Messages";

const message = (more: Partial<MessageLine> = {}): MessageLine => ({
  id: 1,
  feed_id: 3,
  feed: "Gewürzhaus Tiemann, Preisliste",
  kind: "failed",
  said: "It could not be fetched: files.example answers 503.",
  remedy: "It may be down.",
  place: "feeds/3/profile",
  times: 4,
  at: new Date().toISOString(),
  last_at: new Date().toISOString(),
  seen: false,
  over: false,
  ...more,
});

const nobody: ToldView = { mail: [], digest: false, hook: "", secret: "", mails: true };

/** A server that keeps what is seen, and who is told. */
function server(start: MessageLine[] = [message()], told: ToldView = nobody) {
  let now = start;
  let known = told;
  const list = () => ({ messages: now, unseen: now.filter((m) => !m.seen).length });
  return new FakeServer()
    .on("GET /api/v1/stores/1/messages", list)
    .on("GET /api/v1/stores/1/told", () => known)
    .on("POST /api/v1/stores/1/messages/seen", ({ body }) => {
      const { ids } = body as { ids: number[] | null };
      now = now.map((m) => (!ids || ids.includes(m.id) ? { ...m, seen: true } : m));
      return list();
    })
    .on("PUT /api/v1/stores/1/told", ({ body }) => {
      known = { ...known, ...(body as Told) };
      return { ...known, secret: known.hook ? "whsec_once" : "" };
    })
    .on("POST /api/v1/stores/1/told/try", () => ({ done: true }));
}

const place = () =>
  draw(
    <>
      <MessageBell store={1} />
      <MessagesPlace />
    </>,
    "/s/1/messages",
    "/s/:store/messages",
  );

describe("messages", () => {
  it("say what is the matter, how often, and lead to where it is looked into", async () => {
    const fake = server([
      message(),
      message({ id: 2, kind: "held", said: "Its delivery is held.", place: "runs/8", times: 1, over: true }),
    ]);
    place();
    const list = await screen.findByRole("list", { name: "Messages" });
    const [first, second] = within(list).getAllByRole("listitem");
    expect(within(first!).getByText("failed, 4 times")).toBeVisible();
    expect(within(first!).getByText("It may be down.")).toBeVisible();
    expect(within(second!).getByText("held, and over")).toBeVisible();
    expect(within(second!).getByRole("link")).toHaveAttribute("href", "/s/1/runs/8");
    expect(screen.getByRole("link", { name: "2 messages are new" })).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "I have seen them all" }));
    expect(await screen.findByRole("link", { name: "Messages: none is new" })).toBeVisible();
    expect(fake.calls("POST /api/v1/stores/1/messages/seen")[0]?.body).toEqual({ ids: null });
  });

  it("are seen by opening what they lead to", async () => {
    const fake = server();
    place();
    await userEvent.click(await screen.findByRole("link", { name: /Gewürzhaus/ }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/stores/1/messages/seen")[0]?.body).toEqual({ ids: [1] }),
    );
  });

  it("tell of what they would be where there are none", async () => {
    server([]);
    place();
    expect(await screen.findByText("No messages")).toBeVisible();
    expect(await screen.findByText("Whoever looks at the messages, and nobody else.")).toBeVisible();
  });
});

describe("who is told", () => {
  it("is set, and the secret of a web address shown once", async () => {
    const fake = server([]);
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Tell somebody" }));
    await userEvent.type(screen.getByLabelText("Mail addresses"), "a@b.example\n\nc@d.example");
    await userEvent.click(screen.getByLabelText(/once a day/));
    await userEvent.type(screen.getByLabelText("Web address"), "https://x.example/hook");
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    expect(await screen.findByText("whsec_once")).toBeVisible();
    expect(fake.calls("PUT /api/v1/stores/1/told")[0]?.body).toEqual({
      mail: ["a@b.example", "c@d.example"],
      digest: true,
      hook: "https://x.example/hook",
    });
    expect(await screen.findByText(/a@b\.example, c@d\.example by mail, once a day; https/)).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Send a trial message" }));
    expect(await screen.findByText("Sent to 3 addresses.")).toBeVisible();
  });

  it("says why a trial did not arrive, and that no mail can be sent", async () => {
    server([], { ...nobody, hook: "https://x.example", mails: false }).on(
      "POST /api/v1/stores/1/told/try",
      () => ({
        title: "A message could not be sent.",
        status: 422,
        detail: "The web address answers 500.",
        remedy: "It is tried again.",
      }),
    );
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Send a trial message" }));
    expect(await screen.findByText("The web address answers 500.")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Change it" }));
    expect(screen.getByText(/cannot send mail yet/)).toBeVisible();
  });
});
