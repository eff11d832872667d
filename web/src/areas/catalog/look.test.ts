import { describe, expect, it } from "vitest";
import type { Condition } from "../../api/catalog";
import { field } from "../../test/samples";
import { asks, BESIDE, inWords, placeOf, testsOf, usualColumns } from "./look";

const FIELDS = [
  field("sku", { role: "key" }),
  field("naam", { title: "Naam", role: "title" }),
  field("prijs", { title: "Prijs", kind: "money", role: "price" }),
  field("sinds", { title: "Sinds", kind: "date" }),
  field("kleur", { title: "Kleur", kind: "choice", allowed: ["rood"] }),
  field("soort", { title: "Soort", kind: "category" }),
  field("inkoop", { title: "Inkoop", kind: "money", role: "cost" }),
];
const of = (name: string) => FIELDS.find((one) => one.name === name);
const condition = (name: string, test: Condition["test"], value = ""): Condition => ({
  field: name,
  test,
  value,
});

describe("what can be asked of products", () => {
  it.each([
    ["$missing", ["filled", "empty"]],
    ["$problem", ["filled", "empty", "is"]],
    ["$kept", ["filled", "empty"]],
    ["$run", ["is", "is not"]],
    ["$key", ["any of", "contains"]],
    ["$changed", ["least", "most"]],
    ["$margin", ["least", "most", "is"]],
    ["$supplier", ["contains", "is", "is not", "any of", "empty", "filled"]],
    ["prijs", ["least", "most", "is", "empty", "filled"]],
    ["sinds", ["least", "most"]],
    ["kleur", ["contains", "is", "is not", "any of", "empty", "filled"]],
    ["gone", ["contains", "is", "is not", "any of", "empty", "filled"]],
  ])("fits what %s is", (name, wanted) => {
    const tests = testsOf(name, of(name));
    expect(tests.map(([test]) => test)).toEqual(wanted);
    // Each is said in words of its own, so that none is chosen for another.
    expect(new Set(tests.map(([, said]) => said)).size).toBe(tests.length);
  });

  it("has a name for everything beside the fields", () => {
    for (const name of Object.keys(BESIDE)) {
      expect(name.startsWith("$")).toBe(true);
      expect(testsOf(name, undefined).length).toBeGreaterThan(1);
    }
  });

  it("needs a value but where something is there or not", () => {
    const without = (["empty", "filled"] as const).map(asks);
    expect(without).toEqual([false, false]);
    expect((["is", "is not", "contains", "least", "most", "any of"] as const).every(asks)).toBe(true);
  });
});

describe("a condition in words", () => {
  it.each([
    [condition("prijs", "least", "5"), "Prijs at least 5"],
    [condition("kleur", "empty"), "Kleur is empty"],
    [condition("kleur", "any of", "rood\n\nblauw\n"), "Kleur is one of 2 values"],
    [condition("$missing", "filled"), "What it needs is incomplete"],
    [condition("$missing", "empty", "left over"), "What it needs is complete"],
    [condition("$key", "any of", "A\nB"), "2 values SKUs of a list"],
    [condition("$key", "any of", "A"), "A SKU"],
    [condition("$key", "any of"), "no SKU"],
    [condition("$problem", "filled"), "Problems has some"],
    [condition("$problem", "is", "prijs"), "Problems in Prijs"],
    [condition("$problem", "is", "$row"), "Problems in its row in the last delivery"],
    [condition("$run", "is", "12"), "Written by run is 12"],
    [condition("gone", "is", "x"), "gone is x"],
  ])("%j", (one, said) => {
    expect(inWords(one, FIELDS)).toBe(said);
  });

  it("names where a problem is, also in a field that is no more", () => {
    expect(placeOf("naam", FIELDS)).toBe("Naam");
    expect(placeOf("gone", FIELDS)).toBe("gone");
  });
});

describe("the columns that nobody has chosen", () => {
  it("are what a product is sold by, in that order", () => {
    expect(usualColumns(FIELDS)).toEqual(["naam", "soort", "inkoop", "prijs", "$supplier"]);
  });

  it("are the first fields where none of those is there", () => {
    const plain = ["code", "a", "b"].map((name) => field(name));
    expect(usualColumns(plain)).toEqual(["a", "b", "$supplier"]);
  });
});
