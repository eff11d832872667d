import { describe, expect, it } from "vitest";
import { asked, PLAIN, shownIn, type Shown } from "./shown";

const NONE: Shown = {
  status: "changed",
  field: "",
  search: "",
  again: false,
  later: false,
  guard: "",
  reason: "",
  by: "",
  word: "",
  least: "",
  most: "",
  worst: false,
};
const of = (address: string, usual = "changed") => shownIn(new URLSearchParams(address), usual);

describe("what an address shows", () => {
  it.each<[string, Partial<Shown>]>([
    ["", {}],
    ["status=held&search=tw-1", { status: "held", search: "tw-1" }],
    ["status=", { status: "" }],
    ["field=price&least=-5&most=2.5&worst=1", { field: "price", least: "-5", most: "2.5", worst: true }],
    ["again=1&later=1", { again: true, later: true }],
    ["again=0&later=yes&worst=0", {}],
    // A finding, a reason or a word is about all lines that have it, whatever becomes of them.
    ["guard=under_cost", { guard: "under_cost", status: "" }],
    ["reason=not_a_number", { reason: "not_a_number", status: "" }],
    ["by=maker&word=Bos", { by: "maker", word: "Bos", status: "" }],
    ["by=maker&word=", { by: "maker", status: "" }],
    // But among those of one fate, where that is said, too.
    ["by=file:Groep&word=A%26B&status=new", { by: "file:Groep", word: "A&B", status: "new" }],
    ["product=TW-1&step=3&unknown=1", {}],
  ])("%s", (address, wanted) => {
    expect(of(address)).toEqual({ ...NONE, ...wanted });
  });

  it("begins with what is usual for the run", () => {
    expect(of("", "new").status).toBe("new");
  });

  it("is left plain by what takes every filter away", () => {
    const narrow = "field=p&again=1&later=1&guard=g&reason=r&by=b&word=w&least=1&most=2&product=x&step=1";
    const params = new URLSearchParams(narrow);
    for (const [name, value] of Object.entries(PLAIN)) params.set(name, value);
    expect(shownIn(params, "changed")).toEqual({ ...NONE, status: "changed" });
  });
});

describe("what the server is asked for", () => {
  it("is the filter, with bounds only where there are some", () => {
    const { worst, least, most, ...plain } = NONE;
    expect([worst, least, most]).toEqual([false, "", ""]);
    expect(asked(NONE)).toEqual(plain);
    expect(asked({ ...NONE, least: "0", worst: true })).toEqual({ ...plain, least: "0" });
    expect(asked({ ...NONE, least: "-10", most: "5" })).toEqual({ ...plain, least: "-10", most: "5" });
  });

  it("is the same that a decision is about: nothing of how it is sorted", () => {
    expect(Object.keys(asked({ ...NONE, worst: true }))).not.toContain("worst");
  });
});
