import { screen, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Schemas } from "../../api/client";
import type { StoreField } from "../../api/hooks";
import { draw } from "../../test/render";
import { ValueHistory } from "./ValueHistory";
import { momentsOf } from "./moments";

type Detail = Schemas["ProductDetail"];
type Entry = Detail["history"][number];

const FIELDS: StoreField[] = [
  { name: "cost", title: "Cost", kind: "money" },
  { name: "price", title: "Price", kind: "money" },
  { name: "trade", title: "Trade price", kind: "money" },
  { name: "stock", title: "Stock", kind: "integer" },
];

function entry(run_id: number, day: string, changes: Entry["changes"], more: Partial<Entry> = {}): Entry {
  return {
    run_id,
    run_kind: "delivery",
    author: "",
    at: `${day}T10:00:00Z`,
    kind: "changed",
    undone_by: null,
    changes,
    ...more,
  };
}

function detail(more: Partial<Detail> = {}): Detail {
  return {
    product: {
      key: "Q-1",
      title: "Blue",
      category: "",
      supplier: "Q",
      state: "live",
      content: { cost: "2.00", price: "4.50", stock: "3" },
      kept: [],
      changed_at: "2027-01-05T10:00:00Z",
    },
    history: [
      entry(9, "2027-01-05", [{ field: "price", before: "4.00", after: "4.50" }]),
      entry(8, "2027-01-04", [{ field: "stock", before: "2", after: "3" }]),
      entry(7, "2027-01-03", [{ field: "price", before: "4.00", after: "9.00" }], { undone_by: 11 }),
      entry(6, "2027-01-02", [{ field: "price", before: "3.00", after: "4.00" }]),
    ],
    variants: [],
    dated: [],
    declined: [],
    coming: [],
    ...more,
  };
}

const MONEY = FIELDS.filter((one) => one.kind === "money");
const waits = (day: string, field: string, value: string | null, reason = "") =>
  ({ id: 1, key: "Q-1", title: "", field, label: "", value, holds: null, day, author: "", reason }) as const;

describe("the prices of a product", () => {
  it("are told at each moment one of them changed, and what was before", () => {
    const { shown, moments } = momentsOf(detail(), MONEY, 4);
    expect(shown.map((f) => f.name)).toEqual(["cost", "price"]);
    expect(moments.map((m) => [m.run, m.values.price, m.moved])).toEqual([
      [null, "3.00", []],
      [6, "4.00", ["price"]],
      [9, "4.50", ["price"]],
    ]);
    const made = entry(5, "2027-01-01", [{ field: "price", before: null, after: "3.00" }], { kind: "new" });
    const whole = momentsOf(detail({ history: [...detail().history, made] }), MONEY, 4).moments;
    expect(whole.map((m) => m.run)).toEqual([5, 6, 9]);
    expect(whole[0]?.values).toEqual({ cost: "2.00", price: "3.00" });
  });

  it("go on with what waits, each day upon the one before", () => {
    const dated = [
      waits("2027-02-01", "price", "5.00"),
      waits("2027-03-01", "trade", "3.50"),
      waits("2027-03-01", "stock", "9"),
      waits("2027-04-01", "price", "6.00", "refused"),
    ];
    const { shown, moments } = momentsOf(detail({ dated }), MONEY, 4);
    expect(shown.map((f) => f.name)).toEqual(["cost", "price", "trade"]);
    expect(moments.slice(-2).map((m) => [m.waits, m.values.price, m.values.trade])).toEqual([
      [true, "5.00", undefined],
      [true, "5.00", "3.50"],
    ]);
  });

  it("stand in a table, the newest first, and nowhere while they never moved", () => {
    const props = { store: 1, fields: MONEY, name: "Prices" };
    const first = draw(<ValueHistory {...props} detail={detail({ history: [] })} />);
    expect(screen.queryByRole("region", { name: "Prices over time" })).toBeNull();
    first.unmount();
    draw(<ValueHistory {...props} detail={detail({ dated: [waits("2027-02-01", "price", "5.00")] })} />);
    const rows = within(screen.getByRole("table")).getAllByRole("row").slice(1);
    expect(rows.map((row) => row.textContent)).toEqual([
      "1 Feb 20272.005.00waits",
      "5 Jan 20272.004.50run 9",
      "2 Jan 20272.004.00run 6",
      "before2.003.00",
    ]);
  });
});
