/** What there is to say of each kind of source. */
import type { SecretName, Source } from "../../api/sources";

export interface Entry {
  /** The name of the value in the source. */
  key: string;
  label: string;
  kind?: "text" | "number" | "lines" | "choice";
  choices?: [value: string, label: string][];
  help?: string;
  /** Beside another one on its line. */
  half?: boolean;
  /** Only where this holds. */
  when?: (values: Values) => boolean;
}

export interface SecretEntry {
  key: SecretName;
  label: string;
  long?: boolean;
  when?: (values: Values) => boolean;
}

/** A source while it is edited. */
export type Values = Record<string, unknown> & { kind: Source["kind"] };

export interface Kind {
  label: string;
  start: Values;
  entries: Entry[];
  secrets: SecretEntry[];
}

const HERE = Intl.DateTimeFormat().resolvedOptions().timeZone;

/** How a place that lists its files begins. */
const LISTED = { names: "*", take: "newest", zone: HERE, days_back: 0 };

const TAKE: Entry = {
  key: "take",
  label: "Of those, take",
  kind: "choice",
  choices: [
    ["newest", "the newest one"],
    ["together", "all of them together, as one delivery"],
    ["each", "each new one, as a delivery of its own"],
  ],
};

const hasDate = (values: Values) =>
  [values["names"], ...((values["addresses"] as string[] | undefined) ?? [])].some((name) =>
    /\{[YMD]/.test(String(name ?? "")),
  );

const DAYS: Entry[] = [
  {
    key: "days_back",
    label: "Days back",
    kind: "number",
    help: "Where today's is not there, of so many days before.",
    when: hasDate,
  },
  { key: "zone", label: "Time zone of the date", when: hasDate },
];

const NAMES: Entry = {
  key: "names",
  label: "Files called",
  help: "* and ? stand for anything; {YYYY-MM-DD} for the day.",
};

const PROTECTION: Entry["choices"] = [
  ["tls", "TLS from the start"],
  ["starttls", "TLS, begun on the way (STARTTLS)"],
  ["none", "none: the password goes openly"],
];

const host = (port: number): Entry[] => [
  { key: "host", label: "Host", half: true },
  { key: "port", label: "Port", kind: "number", help: `${port} is usual.`, half: true },
];

/** Each kind of source, in the order in which they are offered. */
export const KINDS: Record<Source["kind"], Kind> = {
  web: {
    label: "a web address",
    start: { kind: "web", addresses: [""], sign_in: "none", headers: [], zone: HERE, days_back: 0 },
    entries: [
      {
        key: "addresses",
        label: "Address",
        kind: "lines",
        help: "Several, one a line, make one delivery. {YYYY-MM-DD} stands for the day.",
      },
      {
        key: "sign_in",
        label: "Sign in",
        kind: "choice",
        choices: [
          ["none", "not at all"],
          ["basic", "with a user and a password"],
          ["bearer", "with a token"],
          ["header", "with a secret in a header"],
        ],
      },
      { key: "user", label: "User", when: (v) => v["sign_in"] === "basic" },
      { key: "header", label: "Header", help: "Such as X-Api-Key.", when: (v) => v["sign_in"] === "header" },
      {
        key: "headers",
        label: "Sent along",
        kind: "lines",
        help: "Headers that are no secret, one a line, such as Accept: text/csv. May stay empty.",
      },
      ...DAYS,
    ],
    secrets: [
      { key: "password", label: "Password", when: (v) => v["sign_in"] === "basic" },
      { key: "password", label: "Token", when: (v) => v["sign_in"] === "bearer" },
      { key: "password", label: "Secret", when: (v) => v["sign_in"] === "header" },
    ],
  },
  ftp: {
    label: "an FTP server",
    start: {
      kind: "ftp",
      host: "",
      port: 21,
      protection: "starttls",
      user: "",
      folder: "/",
      ...LISTED,
    },
    entries: [
      ...host(21),
      { key: "protection", label: "Protection", kind: "choice", choices: PROTECTION },
      { key: "user", label: "User" },
      { key: "folder", label: "Folder" },
      NAMES,
      TAKE,
      ...DAYS,
    ],
    secrets: [{ key: "password", label: "Password" }],
  },
  sftp: {
    label: "an SSH server (SFTP)",
    start: {
      kind: "sftp",
      host: "",
      port: 22,
      user: "",
      host_key: "",
      folder: "",
      ...LISTED,
    },
    entries: [
      ...host(22),
      { key: "host_key", label: "Key of the host", help: "As SHA256:…; Try it shows what the host has." },
      { key: "user", label: "User" },
      { key: "folder", label: "Folder" },
      NAMES,
      TAKE,
      ...DAYS,
    ],
    secrets: [
      { key: "password", label: "Password" },
      { key: "key", label: "Or a private key", long: true },
      { key: "passphrase", label: "Passphrase of the key" },
    ],
  },
  mail: {
    label: "a mailbox",
    start: {
      kind: "mail",
      host: "",
      port: 993,
      protection: "tls",
      user: "",
      mailbox: "INBOX",
      senders: [""],
      subject: "",
      ...LISTED,
    },
    entries: [
      ...host(993),
      { key: "protection", label: "Protection", kind: "choice", choices: PROTECTION },
      { key: "user", label: "User" },
      { key: "mailbox", label: "Mailbox" },
      { key: "senders", label: "Sent by", kind: "lines", help: "Addresses, one a line. No other counts." },
      { key: "subject", label: "Subject holds", help: "May stay empty." },
      { ...NAMES, label: "Attachments called" },
      TAKE,
      ...DAYS,
    ],
    secrets: [{ key: "password", label: "Password" }],
  },
  folder: {
    label: "a folder that is watched",
    start: { kind: "folder", folder: "/", ...LISTED },
    entries: [
      { key: "folder", label: "Folder", help: "On the machine of every worker, from / on." },
      NAMES,
      TAKE,
      ...DAYS,
    ],
    secrets: [],
  },
  bucket: {
    label: "a bucket (S3)",
    start: {
      kind: "bucket",
      bucket: "",
      endpoint: "",
      region: "",
      user: "",
      folder: "",
      ...LISTED,
    },
    entries: [
      { key: "bucket", label: "Bucket" },
      { key: "folder", label: "Names begin with", help: "A folder, without the bucket." },
      { key: "endpoint", label: "Address of the service", help: "https://…, where it is no public one." },
      { key: "region", label: "Region" },
      { key: "user", label: "Id of the key", help: "None for a bucket that anybody may read." },
      NAMES,
      TAKE,
      ...DAYS,
    ],
    secrets: [{ key: "password", label: "Secret of the key", when: (v) => v["user"] !== "" }],
  },
};

/** A source as it is edited: headers stand on lines, as they are sent. */
export function opened(source: Source): Values {
  if (source.kind !== "web") return { ...source };
  return { ...source, headers: (source.headers ?? []).map(({ name, value }) => `${name}: ${value ?? ""}`) };
}

/** What is sent of a source: lines that are empty are none. */
export function cleaned(values: Values): Source {
  const lines = Object.entries(values).map(([key, value]) => [
    key,
    Array.isArray(value) ? value.map((one) => String(one).trim()).filter(Boolean) : value,
  ]);
  const source = Object.fromEntries(lines) as Source & { headers?: string[] };
  return source.headers ? ({ ...source, headers: source.headers.map(header) } as Source) : source;
}

function header(line: string): { name: string; value: string } {
  const [name = "", ...rest] = line.split(":");
  return { name: name.trim(), value: rest.join(":").trim() };
}
