import { describe, expect, it } from "vitest";
import { field } from "../../test/samples";
import { asCells, asText, blockOf, moved, pasted } from "./grid";
import { inWords } from "./look";

describe("cells as text", () => {
  it.each([
    [
      [
        ["a", "b"],
        ["c", "d"],
      ],
      "a\tb\nc\td",
    ],
    [
      [
        ["a\tb", 'say "x"'],
        ["two\nlines", ""],
      ],
      '"a\tb"\t"say ""x"""\n"two\nlines"\t',
    ],
    [[[""]], ""],
  ])("come back as they were copied", (cells, text) => {
    expect(asText(cells)).toBe(text);
    expect(asCells(text)).toEqual(cells);
  });

  it("are read as other programs write them", () => {
    expect(asCells("a\tb\r\nc\td\r\n")).toEqual([
      ["a", "b"],
      ["c", "d"],
    ]);
    expect(asCells('5" pipe\tx')).toEqual([['5" pipe', "x"]]);
    expect(asCells("a\t\n\tb")).toEqual([
      ["a", ""],
      ["", "b"],
    ]);
  });

  it("fill what is selected, as often as they fit", () => {
    const all = (cells: string[][], rows: number, cols: number) => {
      const block = pasted(cells, blockOf({ row: 0, col: 0 }, { row: rows - 1, col: cols - 1 }));
      return Array.from({ length: block.rows }, (_, r) =>
        Array.from({ length: block.width }, (_, c) => block.at(r, c)),
      );
    };
    expect(all([["x"]], 2, 2)).toEqual([
      ["x", "x"],
      ["x", "x"],
    ]);
    expect(all([["x", "y"]], 2, 1)).toEqual([
      ["x", "y"],
      ["x", "y"],
    ]);
    expect(all([["x"], ["y"]], 3, 1)).toEqual([["x"], ["y"]]);
  });

  it("are gone to by keys, and not beyond the sheet", () => {
    const at = { row: 1, col: 1 };
    expect(moved("ArrowDown", at, 2, 3, false)).toEqual({ row: 1, col: 1 });
    expect(moved("End", at, 2, 3, true)).toEqual({ row: 1, col: 2 });
    expect(moved("PageUp", at, 2, 3, false)).toEqual({ row: 0, col: 1 });
    expect(moved("x", at, 2, 3, false)).toBeNull();
  });
});

describe("a condition", () => {
  it.each([
    [{ field: "price", test: "least", value: "5" }, "Price at least 5"],
    [{ field: "$missing", test: "filled", value: "" }, "What it needs is incomplete"],
    [{ field: "$key", test: "any of", value: "A\nB\n" }, "2 values SKUs of a list"],
    [{ field: "gone", test: "is", value: "x" }, "gone is x"],
  ] as const)("is said in words", (one, said) => {
    expect(inWords(one, [field("price", { kind: "money" })])).toBe(said);
  });
});
