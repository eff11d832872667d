/** A field as a form has it, and back. */
import type { StoreField } from "../../api/hooks";

type FieldKind = NonNullable<StoreField["kind"]>;

export interface Typed {
  name: string;
  kind: string;
  measure: string;
  title: string;
  description: string;
  group: string;
  synonyms: string;
  required: boolean;
  unique: boolean;
  spare: boolean;
  max_length: string;
  pattern: string;
  minimum: string;
  maximum: string;
  allowed: string;
  writes: string;
  starts: string;
  ends: string;
}

interface KindForm {
  numeric?: boolean;
  /** It may hold from one day to another. */
  timed?: boolean;
  listed?: boolean;
  /** What else has to be said of such a field: its money or its unit. */
  asks?: string;
}

const KINDS: [FieldKind, string, KindForm][] = [
  ["text", "a text", {}],
  ["rich_text", "a text with marks (HTML)", {}],
  ["integer", "a whole number", { numeric: true }],
  ["decimal", "a number", { numeric: true }],
  ["money", "money", { numeric: true, timed: true, asks: "Currency (ISO 4217)" }],
  ["measure", "a measure", { numeric: true, asks: "Unit" }],
  ["yes_no", "yes or no", {}],
  ["choice", "one word of a list", { listed: true }],
  ["date", "a date", {}],
  ["link", "a web address", {}],
  ["links", "several web addresses", {}],
  ["texts", "several texts", {}],
  ["category", "a category", {}],
  ["categories", "several categories", {}],
  ["gtin", "a barcode (GTIN)", {}],
  ["identifier", "a code", {}],
];

/** What a form asks of a field that holds this. */
export const kindsOf = Object.assign(
  (kind: string): KindForm => KINDS.find(([key]) => key === kind)?.[2] ?? {},
  { all: KINDS.map(([key, label]) => [key, label] as const) },
);

/** Whether a field may be called so in files. */
export const isNewName = (name: string) => /^[a-z][a-z0-9_]{0,62}$/.test(name);

const text = (value: unknown) => (value === null || value === undefined ? "" : String(value));

/** A field, or a blank one, as its form has it. */
export function asTyped(field: StoreField | undefined): Typed {
  return {
    name: field?.name ?? "",
    kind: field?.kind ?? "text",
    measure: text(field?.currency ?? field?.unit),
    title: field?.title ?? "",
    description: field?.description ?? "",
    group: field?.group ?? "",
    synonyms: (field?.synonyms ?? []).join("\n"),
    required: field?.required ?? false,
    unique: field?.unique ?? false,
    spare: field?.spare ?? false,
    max_length: text(field?.max_length),
    pattern: text(field?.pattern),
    minimum: text(field?.minimum),
    maximum: text(field?.maximum),
    allowed: (field?.allowed ?? []).join("\n"),
    writes: field?.writes ?? "always",
    starts: field?.starts ?? "",
    ends: field?.ends ?? "",
  };
}

const lines = (typed: string) => [...new Set(typed.split("\n").map((line) => line.trim()))].filter(Boolean);

/** The field that a form says; what it does not ask about stays as it was. */
export function asField(typed: Typed, was: StoreField | undefined): StoreField {
  const form = kindsOf(typed.kind);
  const measure = typed.measure.trim();
  const fresh = was ?? {
    name: typed.name,
    kind: typed.kind as FieldKind,
    spare: typed.spare,
    ...(typed.kind === "money" ? { currency: measure.toUpperCase() } : {}),
    ...(typed.kind === "measure" ? { unit: measure } : {}),
  };
  return {
    ...fresh,
    title: typed.title.trim(),
    description: typed.description.trim(),
    group: typed.group.trim(),
    synonyms: lines(typed.synonyms),
    required: typed.required,
    unique: typed.unique,
    max_length: typed.max_length ? Number(typed.max_length) : null,
    pattern: typed.pattern || null,
    minimum: number(typed.minimum),
    maximum: number(typed.maximum),
    allowed: form.listed ? lines(typed.allowed) : (was?.allowed ?? []),
    writes: typed.writes as NonNullable<StoreField["writes"]>,
    ...(form.timed ? { starts: typed.starts || null, ends: typed.ends || null } : {}),
  };
}

const number = (typed: string) => typed.trim().replace(",", ".") || null;
