import { describe, expect, it } from "vitest";
import { offersAt } from "./completion";

const functions = ["ROUND", "ROUNDUP", "IF"].map((name) => ({
  name,
  group: "number",
  usage: `${name}(a)`,
  help: "",
  example: "",
  result: "",
  standard: true,
}));
const at = (text: string) => offersAt(text, text.length, ["Stock", "A ] b"], ["price"], functions);

describe("completion of a formula", () => {
  it("offers columns within brackets, fields behind =, functions for a word", () => {
    expect(at("IF([sto").found.map((o) => o.put)).toEqual(["[Stock]"]);
    expect(at("IF([sto").start).toBe(3);
    expect(at("[=pr").found.map((o) => o.put)).toEqual(["[=price]"]);
    expect(at("1 + rou").found.map((o) => o.put)).toEqual(["ROUND(", "ROUNDUP("]);
    expect(at("[a").found.map((o) => o.put)).toEqual(["[A ]] b]"]);
  });

  it("offers nothing inside a text or behind a value", () => {
    expect(at('"rou').found).toEqual([]);
    expect(at("[Stock] ").found).toEqual([]);
  });
});
