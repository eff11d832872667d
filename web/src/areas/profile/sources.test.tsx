import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { FeedSource, Source } from "../../api/sources";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { KINDS, cleaned, opened } from "./kinds";
import { SourceEditor } from "./SourceEditor";

const PUT = "PUT /api/v1/feeds/3/source";
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

function editor(known: Partial<FeedSource> = {}) {
  const fake = new FakeServer().on(PUT, ({ body }) => ({ ...(body as object), kept: [], said: "" }));
  const whole: FeedSource = { source: null, said: "", kept: [], token: false, ...known };
  draw(<SourceEditor feed={3} known={whole} onClose={() => undefined} />);
  return fake;
}

async function choose(field: string, option: string) {
  await userEvent.click(screen.getByRole("combobox", { name: field }));
  await userEvent.click(screen.getByRole("option", { name: option }));
}

async function fill(field: string, text: string) {
  const box = screen.getByLabelText(field);
  await userEvent.clear(box);
  await userEvent.click(box);
  await userEvent.paste(text);
}

/** What a person chooses and types, and what is sent of it. */
const SAID: [kind: Source["kind"], chosen: [string, string][], typed: [string, string][], sent: object][] = [
  [
    "web",
    [["Sign in", "with a user and a password"]],
    [
      ["Address", "https://lijst.example/{YYYYMMDD}.csv"],
      ["User", "winkel"],
      ["Password", "geheim"],
      ["Sent along", "Accept: text/csv\nX-Shop: a:b"],
      ["Days back", "3"],
    ],
    {
      source: {
        kind: "web",
        addresses: ["https://lijst.example/{YYYYMMDD}.csv"],
        sign_in: "basic",
        user: "winkel",
        headers: [
          { name: "Accept", value: "text/csv" },
          { name: "X-Shop", value: "a:b" },
        ],
        zone,
        days_back: 3,
      },
      secrets: { password: "geheim" },
    },
  ],
  [
    "ftp",
    [
      ["Protection", "TLS from the start"],
      ["Of those, take", "all of them together, as one delivery"],
    ],
    [
      ["Host", "ftp.lijst.example"],
      ["Port", "990"],
      ["User", "winkel"],
      ["Folder", "/uit"],
      ["Files called", "prijs*.csv"],
    ],
    {
      source: {
        kind: "ftp",
        host: "ftp.lijst.example",
        port: 990,
        protection: "tls",
        user: "winkel",
        folder: "/uit",
        names: "prijs*.csv",
        take: "together",
        zone,
        days_back: 0,
      },
      secrets: {},
    },
  ],
  [
    "sftp",
    [["Of those, take", "each new one, as a delivery of its own"]],
    [
      ["Host", "ssh.lijst.example"],
      ["Key of the host", "SHA256:abc"],
      ["User", "winkel"],
      ["Or a private key", "-----BEGIN-----"],
      ["Passphrase of the key", "zin"],
    ],
    {
      source: {
        kind: "sftp",
        host: "ssh.lijst.example",
        port: 22,
        host_key: "SHA256:abc",
        user: "winkel",
        folder: "",
        names: "*",
        take: "each",
        zone,
        days_back: 0,
      },
      secrets: { key: "-----BEGIN-----", passphrase: "zin" },
    },
  ],
  [
    "mail",
    [],
    [
      ["Host", "post.example"],
      ["User", "inkoop"],
      ["Password", "geheim"],
      ["Sent by", "lijst@leverancier.example\n\nprijs@leverancier.example"],
      ["Subject holds", "prijslijst"],
      ["Attachments called", "*.xlsx"],
    ],
    {
      source: {
        kind: "mail",
        host: "post.example",
        port: 993,
        protection: "tls",
        user: "inkoop",
        mailbox: "INBOX",
        senders: ["lijst@leverancier.example", "prijs@leverancier.example"],
        subject: "prijslijst",
        names: "*.xlsx",
        take: "newest",
        zone,
        days_back: 0,
      },
      secrets: { password: "geheim" },
    },
  ],
  [
    "folder",
    [],
    [["Folder", "/srv/lijsten"]],
    {
      source: { kind: "folder", folder: "/srv/lijsten", names: "*", take: "newest", zone, days_back: 0 },
      secrets: {},
    },
  ],
  [
    "bucket",
    [],
    [
      ["Bucket", "lijsten"],
      ["Names begin with", "uit"],
      ["Address of the service", "https://s3.example"],
      ["Id of the key", "AK"],
      ["Secret of the key", "geheim"],
    ],
    {
      source: {
        kind: "bucket",
        bucket: "lijsten",
        folder: "uit",
        endpoint: "https://s3.example",
        region: "",
        user: "AK",
        names: "*",
        take: "newest",
        zone,
        days_back: 0,
      },
      secrets: { password: "geheim" },
    },
  ],
];

describe("each kind of source", () => {
  it.each(SAID)("is said as %s", async (kind, chosen, typed, sent) => {
    const fake = editor();
    await choose("Deliveries come from", KINDS[kind].label);
    for (const [field, option] of chosen) await choose(field, option);
    for (const [field, text] of typed) await fill(field, text);
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    await waitFor(() => expect(fake.calls(PUT)).toHaveLength(1));
    expect(fake.calls(PUT)[0]?.body).toEqual(sent);
  });

  it.each(Object.keys(KINDS) as Source["kind"][])("is sent as it was opened: %s", (kind) => {
    const source = {
      ...KINDS[kind].start,
      ...(kind === "web"
        ? { addresses: ["https://a.example/"], headers: [{ name: "A", value: "b: c" }] }
        : {}),
      ...(kind === "mail" ? { senders: ["a@b.example"] } : {}),
    } as Source;
    expect(cleaned(opened(source))).toEqual(source);
  });

  it("never shows a secret that is kept, and sends none that was not typed", async () => {
    const source = { ...KINDS.ftp.start, host: "ftp.lijst.example", user: "winkel" } as unknown as Source;
    const fake = editor({ source, kept: ["password"] });
    const password = screen.getByLabelText("Password");
    expect(password).toHaveValue("");
    expect(password).toHaveAttribute("type", "password");
    expect(screen.getByText(/It is forgotten when host or user change/)).toBeVisible();
    await fill("Folder", "/anders");
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    await waitFor(() => expect(fake.calls(PUT)).toHaveLength(1));
    expect(fake.calls(PUT)[0]?.body).toEqual({ source: { ...source, folder: "/anders" }, secrets: {} });
  });

  it("that is refused stays as it was typed, with where and why", async () => {
    new FakeServer().on(PUT, () => ({
      title: "This cannot be taken.",
      status: 422,
      detail: "'lijst' is no web address; they begin with http:// or https://",
      where: "source.addresses",
    }));
    const whole: FeedSource = { source: null, said: "", kept: [], token: false };
    draw(<SourceEditor feed={3} known={whole} onClose={() => undefined} />);
    await fill("Address", "lijst");
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    expect(await screen.findByText(/'lijst' is no web address/)).toBeVisible();
    expect(screen.getByText("Where: source.addresses")).toBeVisible();
    expect(screen.getByLabelText("Address")).toHaveValue("lijst");
  });
});
