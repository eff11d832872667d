import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { ColumnTerms, Contract, FeedContract } from "../../api/contracts";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { ContractPart } from "./ContractPart";
import { KINDS, filledOf, kindOf, ofKind, withFilled } from "./kinds";

const PRICE: ColumnTerms = { name: "Pris", type: "number", decimalChar: ",", constraints: { minimum: "0" } };
const CONTRACT: Contract = {
  fields: [{ name: "Artnr", type: "string" }, PRICE],
  file: { format: "delimited", encoding: "utf-8" },
  rows: { least: 40 },
};

const kept = (contract: Contract | null, more: Partial<FeedContract> = {}): FeedContract => ({
  contract,
  file: contract ? ["It is text in lines.", "It has at least 40 rows."] : [],
  columns: (contract?.fields ?? []).map(({ name }) => ({ name, said: `what ${name} is` })),
  delivery_id: 7,
  file_name: "v3.csv",
  breaches: [],
  ...more,
});

/** A server that keeps a contract; a pattern that is none is refused. */
function server(start = kept(null)) {
  let now = start;
  return new FakeServer()
    .on("GET /api/v1/feeds/3/contract", () => now)
    .on("GET /api/v1/feeds/3/contract/draft", () => ({ contract: CONTRACT, deliveries: 3 }))
    .on("PUT /api/v1/feeds/3/contract", ({ body }) => {
      const { contract } = body as { contract: Contract | null };
      if (contract?.fields.some((one) => one.constraints?.pattern === "("))
        return { title: "It does not fit.", status: 422, detail: "'(' is no pattern" };
      return (now = kept(contract));
    });
}

const place = () => draw(<ContractPart feed={3} />, "/s/1/feeds/3/profile", "/s/:store/feeds/:feed/profile");
const sent = (fake: FakeServer, at = 0) =>
  (fake.calls("PUT /api/v1/feeds/3/contract")[at]?.body as { contract: Contract | null }).contract;

describe("the contract of a feed", () => {
  it("is drafted, changed and kept, and taken back", async () => {
    const fake = server();
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Draft it from the last deliveries" }));
    expect(await screen.findByText("Drafted: the last 3 deliveries keep it.")).toBeVisible();
    await userEvent.click(screen.getByLabelText("What stands in Pris"));
    await userEvent.click(screen.getByRole("option", { name: "text" }));
    await userEvent.click(screen.getByLabelText("No two of Artnr alike"));
    await userEvent.type(screen.getByLabelText("Filled share of Artnr"), "100");
    await userEvent.click(screen.getByRole("button", { name: "More of Artnr" }));
    await userEvent.type(screen.getByLabelText("One of these words"), "a{Enter}b{Enter}a");
    await userEvent.click(screen.getByLabelText("Further columns may follow"));
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    expect(await screen.findByText("keeps it.")).toBeVisible();
    const [article, price] = sent(fake)?.fields ?? [];
    expect(article?.constraints).toEqual({ unique: true, required: true, enum: ["a", "b"] });
    expect(price).toMatchObject({ type: "string", constraints: { minimum: null } });
    expect(sent(fake)).toMatchObject({ others: false, rows: { least: 40 } });
    await userEvent.keyboard("{Control>}z{/Control}");
    await waitFor(() => expect(sent(fake, 1)).toBeNull());
  });

  it("says in what the newest delivery breaks it, and gives it to the supplier", async () => {
    const said = "In 'Pris' 60 cells are no numbers.";
    server(kept(CONTRACT, { breaches: [{ kind: "type", column: "Pris", rows: 60, said }] }));
    place();
    expect(await screen.findByText("breaks it in 1 point.")).toBeVisible();
    expect(screen.getByText(said)).toBeVisible();
    expect(screen.getByText("It is text in lines. It has at least 40 rows.")).toBeVisible();
    expect(screen.getByText("what Pris is")).toBeVisible();
    expect(screen.getByRole("link", { name: "Page for the supplier" })).toHaveAttribute(
      "href",
      "/api/v1/feeds/3/contract.html",
    );
  });

  it("that cannot be kept stays to be mended, with the reason", async () => {
    const fake = server(kept(CONTRACT));
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Change it" }));
    await userEvent.click(screen.getByRole("button", { name: "More of Artnr" }));
    await userEvent.type(screen.getByLabelText("Of the form"), "(");
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    expect(await screen.findByText("'(' is no pattern")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Leave Artnr out" }));
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    await waitFor(() => expect(sent(fake, 1)?.fields).toHaveLength(1));
    expect(await screen.findByText("keeps it.")).toBeVisible();
  });

  it("is taken from a file, and a file that is none is told", async () => {
    const fake = server();
    place();
    const input = await screen.findByLabelText("Contract file");
    await userEvent.upload(input, new File(["{"], "x.json"));
    expect(await screen.findByText("x.json is no JSON document.")).toBeVisible();
    await userEvent.upload(input, new File([JSON.stringify(CONTRACT)], "c.json"));
    expect(await screen.findByText("keeps it.")).toBeVisible();
    expect(sent(fake)).toEqual(CONTRACT);
    expect(screen.queryByText("x.json is no JSON document.")).toBeNull();
  });

  it("tells some of many columns first", async () => {
    const many = Array.from({ length: 9 }, (_, n) => ({ name: `c${n}` }));
    server(kept({ fields: many }));
    place();
    await userEvent.click(await screen.findByRole("button", { name: "All 9 columns" }));
    const list = screen.getByText("c8").closest("dl");
    expect(within(list ?? document.body).getAllByRole("term")).toHaveLength(9);
  });
});

describe("what stands in a column", () => {
  it.each(KINDS)("$label is known again", (kind) => {
    const column = ofKind({ name: "a", constraints: { minimum: "1", pattern: "x" } }, kind);
    expect(kindOf(column)?.id).toBe(kind.id);
    expect(column.constraints).toMatchObject({ minimum: null, pattern: "x" });
  });

  it("keeps its bounds where only the writing changes, and knows no writing that is none", () => {
    const [point] = KINDS.filter(({ id }) => id === "point");
    expect(point && ofKind(PRICE, point).constraints).toEqual({ minimum: "0" });
    expect(kindOf({ name: "a", type: "date", format: "%y%j" })).toBeUndefined();
  });

  it.each([
    ["100", { filled: null, constraints: { required: true } }],
    ["95.5", { filled: "95.5", constraints: { required: false } }],
    ["", { filled: null, constraints: { required: false } }],
  ])("filled in %s percent of the rows", (share, expected) => {
    const column = withFilled({ name: "a" }, share);
    expect(column).toMatchObject(expected);
    expect(filledOf(column)).toBe(share);
  });
});

describe("a column that is changed", () => {
  /** What is sent once a draft was changed by ``change`` and kept. */
  async function afterwards(change: () => Promise<void>): Promise<Contract | null | undefined> {
    const fake = server(kept(CONTRACT));
    place();
    await userEvent.click(await screen.findByRole("button", { name: "Change it" }));
    await change();
    await userEvent.click(screen.getByRole("button", { name: "Keep it" }));
    await waitFor(() => expect(fake.calls("PUT /api/v1/feeds/3/contract")).toHaveLength(1));
    return sent(fake);
  }

  it("has bounds only where one value is more than another", async () => {
    const contract = await afterwards(async () => {
      await userEvent.click(screen.getByRole("button", { name: "More of Artnr" }));
      expect(screen.queryByLabelText("At least")).toBeNull();
      await userEvent.click(screen.getByRole("button", { name: /^More of Pris/ }));
      expect(screen.getByLabelText("At least")).toHaveValue("0");
      await userEvent.clear(screen.getByLabelText("At least"));
      await userEvent.type(screen.getByLabelText("At most"), "999.50");
      await userEvent.type(screen.getByLabelText("Said to the supplier"), "Without tax.");
      await userEvent.tab();
    });
    expect(contract?.fields[1]).toMatchObject({
      constraints: { minimum: null, maximum: "999.50" },
      description: "Without tax.",
    });
  });

  it("may be missing, or filled to a share", async () => {
    const contract = await afterwards(async () => {
      await userEvent.click(screen.getByLabelText("Artnr may be missing"));
      await userEvent.type(screen.getByLabelText("Filled share of Artnr"), "97.5");
    });
    expect(contract?.fields[0]).toMatchObject({
      optional: true,
      filled: "97.5",
      constraints: { required: false },
    });
  });

  it("is of a file of so many rows, written in any way", async () => {
    const contract = await afterwards(async () => {
      await userEvent.clear(screen.getByLabelText("Rows at least"));
      await userEvent.type(screen.getByLabelText("Rows at most"), "5000");
      await userEvent.click(screen.getByLabelText("Its format and encoding stay"));
      await userEvent.type(screen.getByLabelText("Said to the supplier above all"), "Every Monday.");
    });
    expect(contract).toMatchObject({
      rows: { least: null, most: 5000 },
      file: {},
      description: "Every Monday.",
    });
  });
});
