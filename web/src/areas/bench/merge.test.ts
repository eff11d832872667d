import { describe, expect, it } from "vitest";
import type { Crosswalk, Fill } from "../../api/hooks";
import { carried, differences } from "./merge";

const from = (column: string): Fill => ({ parts: [{ column }] });
const walk = (more: Partial<Crosswalk> = {}): Crosswalk => ({
  fills: { name: from("Title"), price: from("Net") },
  parked: { Remark: "spare_1" },
  left_out: ["Note"],
  ...more,
});

describe("two edits of a crosswalk", () => {
  const start = walk();
  const mine = walk({ fills: { ...start.fills, brand: from("Make") }, left_out: ["Note", "Code"] });
  const theirs = walk({ fills: { name: from("Label") }, parked: {}, left_out: [] });

  it("are told apart, part by part", () => {
    expect(differences(start, start)).toEqual([]);
    expect(differences(start, mine)).toEqual(["brand", "column Code"]);
    expect(differences(start, theirs)).toEqual(["name", "price", "column Remark", "column Note"]);
    expect(differences(start, walk({ identity: { ways: [] } }))).toEqual(["identity"]);
  });

  it("go together, whichever comes first, and each can be taken back alone", () => {
    const both = carried(theirs, start, mine);
    expect(both).toEqual({
      fills: { name: from("Label"), brand: from("Make") },
      parked: {},
      left_out: ["Code"],
    });
    expect(carried(mine, start, theirs)).toEqual(both);
    expect(carried(both, mine, start)).toEqual(theirs);
    expect(carried(both, theirs, start)).toEqual({ ...mine, left_out: ["Code", "Note"] });
  });
});
