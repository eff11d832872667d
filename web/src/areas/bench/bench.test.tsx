import { fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Assumption, BenchState, Crosswalk, Step } from "../../api/hooks";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { bench, column, state } from "../../test/samples";
import { AssumptionRow } from "./Assumptions";
import { ColumnPanel } from "./ColumnPanel";
import { FieldList } from "./FieldList";
import { OptionRows } from "./OptionRows";
import { SourceEditor } from "./SourceEditor";
import { StepList } from "./StepList";
import { useEdits, type Edits } from "./useEdits";
import { inWords, PLAIN, PolicyLine, type Policy } from "./PolicyLine";

afterEach(() => vi.unstubAllGlobals());

describe("the list of fields", () => {
  it("shows how each is filled, what the row gets and what is wrong; spare ones only in use", async () => {
    const chosen = vi.fn();
    const accept = vi.fn();
    const fields = [
      state("sku", { source: "ArtNo", filled: 5, refused: 2, columns: ["ArtNo"] }, { required: true }),
      state("name"),
      state("spare_1", {}, { spare: true }),
    ];
    draw(
      <FieldList
        bench={bench({ fields })}
        chosen="sku"
        handValue={(f) => (f === "sku" ? "QP-1" : null)}
        onChoose={chosen}
        onAccept={accept}
        onPolicy={() => undefined}
      />,
    );
    const sku = screen.getByRole("option", { name: /Sku/ });
    expect(sku).toHaveAttribute("aria-selected", "true");
    expect(within(sku).getByText("QP-1")).toBeInTheDocument();
    expect(within(sku).getByRole("img", { name: "2 refused" })).toBeInTheDocument();
    expect(screen.getAllByRole("option")).toHaveLength(2);
    await userEvent.click(screen.getByRole("option", { name: /Name/ }));
    expect(chosen).toHaveBeenCalledWith("name");
    await userEvent.click(screen.getByRole("button", { name: "Look at 1" }));
    const list = within(screen.getByRole("dialog", { name: "Suggested columns" }));
    expect(list.getByRole("checkbox", { name: /from '/ })).toBeChecked();
    await userEvent.click(list.getByRole("button", { name: "Accept 1 suggestion" }));
    expect(accept).toHaveBeenCalledWith(bench({ fields }).suggestions);
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    await userEvent.type(screen.getByLabelText("Find a field"), "art");
    expect(screen.getAllByRole("option")).toHaveLength(1);
  });
});

describe("what a feed may do", () => {
  it("is a sentence that opens its choices", async () => {
    const change = vi.fn();
    const { rerender } = render(<PolicyLine policy={PLAIN} hasStock={false} onChange={change} />);
    await userEvent.click(screen.getByRole("button", { name: /^This feed/ }));
    const choices = within(screen.getByRole("dialog", { name: "What this feed may do" }));
    await userEvent.click(choices.getByLabelText("Products it no longer brings"));
    expect(screen.queryByRole("option", { name: "get stock 0" })).toBeNull();
    await userEvent.click(screen.getByRole("option", { name: "are hidden" }));
    const hides: Policy = { ...PLAIN, missing: "hide" };
    expect(change).toHaveBeenLastCalledWith(hides);
    rerender(<PolicyLine policy={hides} hasStock onChange={change} />);
    fireEvent.change(choices.getByLabelText("After"), { target: { value: "0" } });
    expect(change).toHaveBeenCalledTimes(1);
    fireEvent.change(choices.getByLabelText("After"), { target: { value: "3" } });
    expect(change).toHaveBeenLastCalledWith({ ...hides, after: 3 });
    rerender(<PolicyLine policy={{ ...hides, products: "make" }} hasStock onChange={change} />);
    expect(choices.queryByLabelText("Products it no longer brings")).toBeNull();
    rerender(<PolicyLine policy={{ ...hides, products: "change" }} hasStock onChange={change} />);
    expect(choices.queryByLabelText("New products")).toBeNull();
  });

  it.each<[Partial<Policy>, string]>([
    [{}, "makes and changes products"],
    [{ products: "make", state: "hidden" }, "only makes new products; new ones are hidden"],
    [
      { others: "change", products: "change", state: "hidden" },
      "only completes products in the catalog; those of other suppliers are changed, too",
    ],
    [
      { missing: "stock_0", after: 2 },
      "makes and changes products; missing ones get stock 0 after 2 deliveries",
    ],
  ])("says %o", (policy, said) => {
    expect(inWords({ ...PLAIN, ...policy })).toBe(said);
  });
});

describe("the options of a variant", () => {
  it("are named by hand or by a column, added and removed", async () => {
    const change = vi.fn();
    const options = [
      { name: "Size", column: "w" },
      { name_column: "kind", column: "v" },
    ];
    draw(<OptionRows options={options} columns={["w", "v", "kind"]} onChange={change} />);
    const second = within(screen.getByRole("group", { name: "Option 2" }));
    expect(second.getByLabelText("name")).toHaveValue("[kind]");
    const first = within(screen.getByRole("group", { name: "Option 1" }));
    await userEvent.clear(first.getByLabelText("name"));
    await userEvent.type(first.getByLabelText("name"), "[[kind]{Enter}");
    expect(change).toHaveBeenLastCalledWith([{ name: "", name_column: "kind", column: "w" }, options[1]]);
    await userEvent.click(screen.getByRole("button", { name: "Remove option 1" }));
    expect(change).toHaveBeenLastCalledWith([options[1]]);
    await userEvent.click(screen.getByRole("button", { name: "Add an option" }));
    expect(change).toHaveBeenLastCalledWith([...options, { name: "Option 3", column: "" }]);
  });
});

describe("the source of a fill", () => {
  it("is put together from columns and own text, and taken apart", async () => {
    const change = vi.fn();
    const instead = vi.fn();
    draw(
      <SourceEditor
        columns={["Brand", "Name"]}
        parts={[{ column: "Brand" }, { text: ", " }]}
        onChange={change}
        onColumn={instead}
      />,
    );
    await userEvent.type(screen.getByLabelText("Own text"), "new{Enter}");
    expect(change).toHaveBeenLastCalledWith(
      [{ column: "Brand" }, { text: ", " }, { text: "new" }],
      expect.any(String),
    );
    await userEvent.click(screen.getByRole("combobox"));
    await userEvent.click(screen.getByRole("option", { name: "Name" }));
    expect(change).toHaveBeenCalledTimes(1); // a filled field asks first
    await userEvent.click(screen.getByRole("button", { name: "Write behind" }));
    expect(change).toHaveBeenLastCalledWith(
      [{ column: "Brand" }, { text: ", " }, { column: "Name" }],
      expect.any(String),
    );
    await userEvent.click(
      within(screen.getByText("Brand").parentElement as HTMLElement).getByTestId("CancelIcon"),
    );
    expect(change).toHaveBeenLastCalledWith([{ text: ", " }], "took out 'Brand'");
    expect(instead).not.toHaveBeenCalled();
    await userEvent.click(screen.getByRole("combobox"));
    await userEvent.click(screen.getByRole("option", { name: "Name" }));
    await userEvent.click(screen.getByRole("button", { name: "Use instead" }));
    expect(instead).toHaveBeenCalledWith("Name");
  });

  it("takes a column for an empty field at once, with the steps it needs", async () => {
    const change = vi.fn();
    const column = vi.fn();
    draw(<SourceEditor columns={["Brand", "Name"]} parts={[]} onChange={change} onColumn={column} />);
    await userEvent.click(screen.getByRole("combobox"));
    await userEvent.click(screen.getByRole("option", { name: "Name" }));
    expect(column).toHaveBeenCalledWith("Name");
    expect(change).not.toHaveBeenCalled();
  });
});

describe("what a fill takes for granted", () => {
  const row = (more: Partial<Assumption>, onState: (choice: string) => void, choices = ["g", "kg"]) =>
    draw(
      <AssumptionRow
        assumption={{ about: "unit", says: "read as g", choice: "g", state: "taken", ...more }}
        choices={choices}
        onState={onState}
      />,
    );

  it("is shown with its evidence, and changed on demand", async () => {
    const stated = vi.fn();
    row({}, stated);
    expect(screen.getByText("read as g")).toBeVisible();
    expect(screen.queryByRole("combobox")).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Change" }));
    await userEvent.click(screen.getByRole("combobox"));
    await userEvent.click(screen.getByRole("option", { name: "kg" }));
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    expect(stated).toHaveBeenCalledWith("kg");
  });

  it("asks at once while nothing settles it", async () => {
    const stated = vi.fn();
    row({ state: "open", says: "nothing says in which unit it is" }, stated);
    expect(screen.getByLabelText("waits for an answer")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    expect(stated).toHaveBeenCalledWith("g");
  });

  it("takes any currency by its code", async () => {
    const stated = vi.fn();
    row({ about: "currency", choice: "", state: "open" }, stated);
    await userEvent.clear(screen.getByRole("combobox"));
    await userEvent.type(screen.getByRole("combobox"), "isk");
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    expect(stated).toHaveBeenCalledWith("ISK");
  });

  it("sends what is on screen: typed, then cleared and chosen anew", async () => {
    const stated = vi.fn();
    row({ about: "currency", choice: "EUR", state: "open" }, stated);
    const box = screen.getByRole("combobox");
    await userEvent.clear(box);
    expect(screen.getByRole("button", { name: "Answer" })).toBeDisabled();
    await userEvent.type(box, "usd");
    await userEvent.clear(box);
    await userEvent.click(screen.getByRole("option", { name: "kg" }));
    expect(box).toHaveValue("kg");
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    expect(stated).toHaveBeenCalledWith("kg");
  });

  it("says where paths are cut, and takes any sign or none", async () => {
    const stated = vi.fn();
    const says = "each cell is one level: no sign between levels was found";
    row({ about: "path", choice: "", says }, stated, [""]);
    await userEvent.click(screen.getByRole("button", { name: "Change" }));
    const box = screen.getByRole("combobox");
    await userEvent.clear(box);
    await userEvent.type(box, " > ");
    await userEvent.click(screen.getByRole("button", { name: "Answer" }));
    expect(stated).toHaveBeenLastCalledWith(" > ");
  });
});

describe("the steps of a fill", () => {
  const steps: Step[] = [{ do: "trim" }, { do: "number", off: true }, { do: "cut", length: 8 }];
  const stages = ["a", "b", "c", "d"].map((value) => ({ label: "", value }));
  const place = { feed: 1, delivery: 1, row: 1, value: null, columns: ["A"], fields: [] };
  const show = (change: (steps: Step[]) => void) =>
    draw(
      <StepList
        steps={steps}
        stages={stages}
        supplier="Quarrow Pigments"
        fieldLabel="Colour"
        place={place}
        onChange={change}
      />,
    );

  it("stand beside the value each has made; one that is off makes none", () => {
    show(vi.fn());
    const values = ["Trim blanks", "Read a number", "Cut to a length"].map(
      (name) => screen.getByRole("button", { name }).nextElementSibling?.textContent,
    );
    expect(values).toEqual(["b", "off", "c"]);
    expect(screen.getByText("the store keeps").nextElementSibling).toHaveTextContent("d");
  });

  it("are set, moved, removed and added", async () => {
    const change = vi.fn();
    show(change);
    await userEvent.click(screen.getByRole("button", { name: "Cut to a length" }));
    const length = screen.getByLabelText("characters");
    await userEvent.clear(length);
    await userEvent.type(length, "12{Enter}");
    expect(change.mock.lastCall?.[0][2]).toMatchObject({ do: "cut", length: 12 });
    await userEvent.click(screen.getByRole("button", { name: "Earlier" }));
    expect(change.mock.lastCall?.[0].map((s: Step) => s.do)).toEqual(["trim", "cut", "number"]);
    await userEvent.click(screen.getByRole("button", { name: "Remove step" }));
    expect(change.mock.lastCall?.[0]).toHaveLength(2);
    await userEvent.click(screen.getByRole("button", { name: "Add a step" }));
    await userEvent.click(screen.getByRole("menuitem", { name: "Look up in a value table" }));
    expect(change.mock.lastCall?.[0].at(-1)).toEqual({ do: "value_table", table: "Quarrow colour" });
  });
});

describe("an arriving column", () => {
  it("says what it holds and what is odd, and can be sent, parked or not used", async () => {
    const edits = { setFill: vi.fn().mockResolvedValue(undefined), park: vi.fn(), leaveOut: vi.fn() };
    const columns = [column("ArtNo", { odd: ["3 with blanks at an end"], looks_like: "digits" })];
    draw(
      <ColumnPanel
        bench={bench({ columns })}
        name="ArtNo"
        edits={edits as unknown as Edits}
        onField={vi.fn()}
        onClose={vi.fn()}
      />,
    );
    expect(screen.getByText(/10 of 10 \(100 %\)/)).toBeInTheDocument();
    expect(screen.getByText(/3 with blanks/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Use" }));
    expect(edits.setFill).toHaveBeenCalledWith("sku", bench().suggestions[0]?.fill, "'ArtNo' fills Sku");
    await userEvent.click(screen.getByRole("button", { name: "Park it" }));
    expect(edits.park).toHaveBeenCalledWith("ArtNo", "Parked 'ArtNo'");
    await userEvent.click(screen.getByRole("button", { name: "Do not use it" }));
    expect(edits.leaveOut).toHaveBeenCalledWith("ArtNo", true);
  });
});

function Editor({ take }: { take: (edits: Edits) => void }) {
  take(useEdits(bench()));
  return null;
}

describe("edits", () => {
  /** A server that keeps the crosswalk and refuses a stale revision, slowly. */
  function keeper() {
    let kept: BenchState = bench();
    const server = new FakeServer().on("PUT /api/v1/feeds/1/draft", async ({ body }) => {
      const { crosswalk, revision } = body as { crosswalk: Crosswalk; revision: number };
      await new Promise((done) => setTimeout(done, 20));
      if (revision !== kept.revision) return { title: "Stale", status: 409, detail: "edited elsewhere" };
      kept = { ...kept, crosswalk, revision: revision + 1 };
      return kept;
    });
    server.on("GET /api/v1/feeds/1/bench", () => kept);
    /** Somebody else edits it. */
    const elsewhere = (crosswalk: Partial<Crosswalk>) => {
      kept = { ...kept, crosswalk: { ...kept.crosswalk, ...crosswalk }, revision: kept.revision + 1 };
    };
    return { server, now: () => kept, elsewhere };
  }

  const start = () => {
    let edits: Edits | undefined;
    draw(<Editor take={(e) => (edits = e)} />);
    return edits as Edits;
  };
  const constant = (text: string) => ({ parts: [{ text }], steps: [] });

  it("made in quick succession are all kept, each on what the last one left", async () => {
    const { server, now } = keeper();
    const edits = start();
    await Promise.all([
      edits.setFill("name", constant("a"), "one"),
      edits.leaveOut("Remark", true),
      edits.park("ArtNo", "three"),
    ]);
    expect(now().crosswalk).toEqual({
      fills: { name: constant("a") },
      parked: { ArtNo: "spare_1" },
      left_out: ["Remark"],
    });
    expect(server.calls("PUT /api/v1/feeds/1/draft")).toHaveLength(3);
  });

  it("are taken back one by one with Ctrl+Z", async () => {
    const { now } = keeper();
    const edits = start();
    await edits.setFill("name", constant("a"), "one");
    await edits.setFill("name", constant("b"), "two");
    await userEvent.keyboard("{Control>}z{/Control}");
    await waitFor(() => expect(now().crosswalk.fills).toEqual({ name: constant("a") }));
    await userEvent.keyboard("{Control>}z{/Control}");
    await waitFor(() => expect(now().crosswalk.fills).toEqual({}));
  });

  it("of two people are both kept, each can be taken back without the other's", async () => {
    const { now, elsewhere } = keeper();
    const edits = start();
    await edits.setFill("name", constant("a"), "Filled the name");
    elsewhere({ fills: { ...now().crosswalk.fills, sku: constant("theirs") } });
    await edits.setFill("name", constant("b"), "Changed the name");
    expect(now().crosswalk.fills).toEqual({ name: constant("b"), sku: constant("theirs") });
    expect(await screen.findByText("Changed the name. Elsewhere meanwhile: Sku")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() =>
      expect(now().crosswalk.fills).toEqual({ name: constant("a"), sku: constant("theirs") }),
    );
  });

  it("of two people about the same field: the second is told, and keeps its own at hand", async () => {
    const { now, elsewhere } = keeper();
    const edits = start();
    elsewhere({ fills: { name: constant("theirs") } });
    await edits.setFill("name", constant("mine"), "Filled the name");
    expect(await screen.findByText(/^Name was changed elsewhere meanwhile/)).toBeInTheDocument();
    expect(now().crosswalk.fills).toEqual({ name: constant("theirs") });
    await userEvent.click(screen.getByRole("button", { name: "Put mine" }));
    await waitFor(() => expect(now().crosswalk.fills).toEqual({ name: constant("mine") }));
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(now().crosswalk.fills).toEqual({ name: constant("theirs") }));
  });

  it("that the server refuses are told, and nothing is pushed for undo", async () => {
    new FakeServer().on("PUT /api/v1/feeds/1/draft", () => ({
      title: "No",
      status: 409,
      detail: "no such field",
    }));
    const edits = start();
    await edits.setFill("name", constant("a"), "one");
    expect(await screen.findByText("no such field")).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: "Undo" })).toBeNull();
  });
});
