import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Ladder } from "../api/hooks";
import { TraceView } from "../components/Trace";
import { Versions } from "../shell/Versions";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { FormulaEditor } from "./bench/FormulaEditor";
import { LadderLimits } from "./prices/LadderLimits";
import { LadderRules } from "./prices/LadderRules";

afterEach(() => vi.unstubAllGlobals());

const LADDER: Ladder = {
  name: "Standard",
  currency: "EUR",
  ending: "none",
  floor: "0",
  rules: [],
  choose: "first",
  rungs: [{ start: "0", kind: "markup", amount: "100" }],
  tax: "out",
};
const now = new Date().toISOString();

describe("the formula editor", () => {
  const place = { feed: 1, delivery: 7, row: 2, value: "5", columns: ["Stock", "Pack"], fields: ["price"] };
  const help = {
    name: "ROUND",
    group: "number",
    usage: "ROUND(number; places)",
    help: "Rounded.",
    example: "",
    result: "",
    standard: true,
  };

  it("completes, marks a mistake where it stands, and shows the result for the row in hand", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/formula/functions", () => ({ functions: [help] }))
      .on("POST /api/v1/feeds/1/formula", ({ body }) => {
        const { formula } = body as { formula: string };
        return formula.endsWith(")")
          ? { value: "18", wrong: null, mistake: null }
          : {
              value: null,
              wrong: null,
              mistake: {
                message: "It ends too early.",
                remedy: "",
                start: formula.length,
                end: formula.length,
              },
            };
      });
    const done = vi.fn();
    draw(<FormulaEditor place={place} label="formula" value="" onDone={done} />);
    const input = screen.getByLabelText("formula");
    await userEvent.type(input, "rou");
    const offers = await screen.findByRole("listbox", { name: "Completions" });
    expect(within(offers).getByText("ROUND(number; places)")).toBeInTheDocument();
    await userEvent.keyboard("{Enter}");
    expect(input).toHaveValue("ROUND(");
    expect(await screen.findByText("It ends too early.")).toBeInTheDocument();
    await userEvent.type(input, "[[St");
    await userEvent.click(await screen.findByText("Stock"));
    await userEvent.type(input, ")");
    expect(await screen.findByText("18")).toBeInTheDocument();
    await userEvent.keyboard("{Enter}");
    expect(done).toHaveBeenCalledWith("ROUND([Stock])");
    expect(fake.calls("POST /api/v1/feeds/1/formula").at(-1)?.body).toMatchObject({ row: 2, value: "5" });
  });
});

describe("versions", () => {
  const line = {
    id: 5,
    number: 2,
    at: now,
    author: "Inès",
    note: "spring",
    changes: ["price: a -> b"],
    runs: [4],
  };

  it("tell what each changed, save the draft with a note, and come back", async () => {
    const fake = new FakeServer()
      .on("GET /api/v1/feeds/1/versions", () => ({ versions: [line], unsaved: ["name: x -> y"] }))
      .on("POST /api/v1/feeds/1/versions", () => ({ done: true }))
      .on("POST /api/v1/feeds/1/versions/2/restore", () => ({ done: true }))
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [], upload_limit: 1 }));
    const close = vi.fn();
    draw(<Versions feed={1} open onClose={close} />);
    const second = await screen.findByRole("region", { name: "Version 2" });
    expect(second).toHaveTextContent("spring");
    expect(second).toHaveTextContent("Inès, just now");
    expect(within(second).getByRole("link", { name: "run 4" })).toHaveAttribute("href", "/s/1/runs/4");
    expect(screen.getByText("name: x -> y")).toBeInTheDocument();
    await userEvent.type(screen.getByLabelText("Note"), "try");
    await userEvent.click(screen.getByRole("button", { name: "Save a version" }));
    await waitFor(() =>
      expect(fake.calls("POST /api/v1/feeds/1/versions")[0]?.body).toEqual({ note: "try" }),
    );
    await userEvent.click(within(second).getByRole("button", { name: "Bring back" }));
    await waitFor(() => expect(close).toHaveBeenCalled());
  });
});

describe("a trace", () => {
  it("says cells, steps with numbers, the rung, who set it, and the version", () => {
    const traced = {
      file_name: "week.csv",
      received_at: now,
      supplier: "Quarrow",
      version: 3,
      version_author: "Inès",
      decided: [{ step: 1, table: "Standard", at: now, author: "Ada", said: "made" }],
      trace: {
        field: "price",
        title: "Price",
        row: 7,
        value: "5.95",
        cells: [{ column: "Cost", value: "2,78" }],
        fields: [],
        steps: [
          { label: "Cost", value: "2,78", table: "", kind: "", rule: "", numbers: [] },
          {
            label: "price ladder 'Standard'",
            value: "5.95",
            table: "Standard",
            kind: "ladder",
            rule: "from 0: markup 110",
            numbers: [
              { column: "by the rung", value: "5.838" },
              { column: "rung", value: "0" },
            ],
          },
        ],
      },
    };
    draw(<TraceView traced={traced} />);
    expect(
      screen.getByText(/week.csv, row 7 · Quarrow, just now · crosswalk version 3 by Inès/),
    ).toBeInTheDocument();
    expect(screen.getByText("from 0: markup 110; set by Ada just now")).toBeInTheDocument();
    expect(screen.getByText("5.838")).toBeInTheDocument();
    expect(screen.queryByText("rung")).toBeNull();
  });
});

describe("a ladder's rules and limits", () => {
  it("are added with conditions, and told how many products they price", async () => {
    const change = vi.fn();
    draw(
      <LadderRules
        ladder={LADDER}
        fields={{ category: "Category", brand: "Brand" }}
        uses={[]}
        onChange={change}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: "Add a rule" }));
    const made = change.mock.lastCall?.[0] as Ladder;
    expect(made.rules).toMatchObject([
      { name: "Rule 1", when: [{ field: "category" }], rungs: LADDER.rungs },
    ]);
    change.mockClear();
    const use = { name: "Rule 1", count: 12, margin_least: "40.0", margin_most: "52.0" };
    draw(
      <LadderRules
        ladder={made}
        fields={{ category: "Category", brand: "Brand" }}
        uses={[use]}
        onChange={change}
      />,
    );
    const rule = screen.getByRole("region", { name: "Rule 1" });
    expect(within(rule).getByText("12 products, margins 40.0–52.0 %")).toBeInTheDocument();
    await userEvent.type(within(rule).getByRole("combobox", { name: "" }), "Brushes{Enter}");
    expect(change.mock.lastCall?.[0].rules[0].when[0].words).toEqual(["Brushes"]);
  });

  it("take a tax only where the price contains it, and freight only by a weight", async () => {
    const change = vi.fn();
    draw(
      <LadderLimits
        ladder={{ ...LADDER, tax: "in", tax_rate: "20" }}
        fields={{ net_weight: "Net weight", list_price: "List price" }}
        onChange={change}
      />,
    );
    expect(screen.queryByLabelText("freight per kg")).toBeNull();
    const tax = screen.getByLabelText("tax %");
    await userEvent.clear(tax);
    await userEvent.type(tax, "10{Enter}");
    expect(change).toHaveBeenLastCalledWith(expect.objectContaining({ tax_rate: "10" }));
    await userEvent.click(screen.getByRole("combobox", { name: "never above" }));
    await userEvent.click(screen.getByRole("option", { name: "List price" }));
    expect(change).toHaveBeenLastCalledWith(expect.objectContaining({ most_field: "list_price" }));
  });
});
