/** How the variants of a product stand to each other. */
import type { Schemas } from "../../api/client";

export type Variant = Schemas["Variant"];

/** The options of a variant by their names: `Size: 3 | Colour: Blue`. */
export function optionsOf(variant: Variant): Record<string, string> {
  return Object.fromEntries(
    variant.options
      .split(" | ")
      .filter(Boolean)
      .map((part) => {
        const [name = "", ...value] = part.split(": ");
        return [name, value.join(": ")];
      }),
  );
}

/** Two options as the sides of a table, with the variant at each crossing. */
export interface Crossing {
  down: { name: string; values: string[] };
  across: { name: string; values: string[] };
  at: (down: string, across: string) => Variant | undefined;
}

/** So many columns fit beside each other. */
const WIDE = 6;
const key = (down: string, across: string) => JSON.stringify([down, across]);

/** The crossing of exactly two options that tell all variants apart; null for any others. */
export function crossingOf(variants: Variant[]): Crossing | null {
  const told = variants.map((one) => ({ one, options: optionsOf(one) }));
  const names = [...new Set(told.flatMap(({ options }) => Object.keys(options)))];
  const [first, second] = names;
  if (names.length !== 2 || first === undefined || second === undefined) return null;
  const values = (name: string) => [...new Set(told.map(({ options }) => options[name] ?? ""))];
  const sides = [first, second].map((name) => ({ name, values: values(name) }));
  const [across, down] = sides.sort((a, b) => a.values.length - b.values.length);
  if (!across || !down || across.values.length > WIDE || across.values.length < 2) return null;
  const places = new Map(
    told.map(({ one, options }) => [key(options[down.name] ?? "", options[across.name] ?? ""), one]),
  );
  if (places.size < variants.length) return null;
  return { down, across, at: (a, b) => places.get(key(a, b)) };
}
