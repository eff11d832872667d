import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { isText, TextDiff } from "../../components/TextDiff";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { field, runView, summaryOf, UNDECIDED } from "../../test/samples";
import { Review } from "./Review";

const FIELDS = [
  field("sku", { role: "key" }),
  field("name", { role: "title" }),
  field("price", { kind: "money", role: "price", currency: "EUR" }),
  field("text", { role: "text", kind: "rich_text" }),
  field("picture", { role: "picture", kind: "link" }),
  field("maker"),
];
const change = (name: string, before: string | null, after: string | null, more = {}) => ({
  field: name,
  label: name,
  before,
  after,
  percent: null,
  day: null,
  declined: false,
  ...more,
});
const OLD_TEXT = "A rope of hemp, laid by hand in our yard";
const NEW_TEXT = "A rope of flax, laid by hand in our yard";
const LINES = [
  {
    row: 1,
    key: "R-1",
    title: "Touw",
    status: "changed",
    reason: null,
    held: false,
    changes: [
      change("price", "4.00", "4.50"),
      change("text", OLD_TEXT, NEW_TEXT),
      change("maker", "Bos", "Aalders", { declined: true }),
      change("picture", "https://files.touw.example/a.svg", "https://files.touw.example/b.svg"),
      change("name", "Touw", "Touw nieuw", { day: "2027-02-01" }),
    ],
  },
  {
    row: 2,
    key: "R-2",
    title: "Lijn",
    status: "new",
    reason: null,
    held: true,
    changes: [change("name", null, "Lijn"), change("price", null, "9.00")],
  },
];

function server() {
  return new FakeServer()
    .on("GET /api/v1/runs/4", () => runView({ counts: { changed: 1, new: 1 } }))
    .on("GET /api/v1/runs/4/summary", () => summaryOf())
    .on("GET /api/v1/runs/4/rows", ({ query }) => {
      const at = Number(query.get("offset"));
      return { total: 2, rows: LINES.slice(at, at + Number(query.get("limit"))) };
    })
    .on("GET /api/v1/runs/4/decisions", () => UNDECIDED(2))
    .on("POST /api/v1/runs/4/decisions", () => ({ id: 1 }))
    .on("GET /api/v1/stores/1/schema", () => ({
      store_id: 1,
      store: "Touw",
      product_schema: { name: "Touw", key: "sku", fields: FIELDS },
    }))
    .on("GET /api/v1/stores/1/products/R-1", () => ({
      product: {
        key: "R-1",
        title: "Touw",
        content: {
          sku: "R-1",
          name: "Touw",
          price: "4.00",
          text: OLD_TEXT,
          maker: "Bos",
          picture: "https://files.touw.example/a.svg",
        },
      },
    }));
}

const open = (at: string) => draw(<Review />, `/s/1/runs/4${at}`, "/s/:store/runs/:run");

describe("stepping through the lines", () => {
  it("shows a product as it will be beside what changes, and as it is", async () => {
    server();
    open("?step=0");
    const shop = await screen.findByRole("region", { name: "As a shop shows it" });
    expect(within(shop).getByText("4.50 EUR")).toBeVisible();
    expect(within(shop).getByText(NEW_TEXT)).toBeVisible();
    // What is declined, and what waits for its day, is not there yet.
    expect(within(shop).getByRole("heading", { name: "Touw" })).toBeVisible();
    const changes = within(screen.getByRole("region", { name: "What changes" }));
    expect(changes.getByText("hemp").tagName).toBe("DEL");
    expect(changes.getByText("flax").tagName).toBe("INS");
    expect(changes.getByRole("img", { name: "picture as it is" })).toHaveAttribute(
      "src",
      "/stand-in/files.touw.example/a.svg",
    );
    expect(changes.getByRole("img", { name: "picture as it will be" })).toBeVisible();
    expect(changes.getByText("R-1", { selector: "dd" })).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "as it is" }));
    expect(
      within(screen.getByRole("region", { name: "As a shop shows it" })).getByText(OLD_TEXT),
    ).toBeVisible();
  });

  it("goes on, decides and leads back by keyboard alone", async () => {
    const fake = server();
    open("");
    await userEvent.click(await screen.findByRole("button", { name: "Step through" }));
    expect(await screen.findByText("1 of 2")).toBeVisible();
    await screen.findByRole("region", { name: "What changes" });
    await userEvent.keyboard("d{ArrowRight}");
    expect(await screen.findByText("2 of 2")).toBeVisible();
    expect(fake.calls("POST /api/v1/runs/4/decisions")[0]?.body).toMatchObject({
      verdict: "decline",
      of: { keys: ["R-1"] },
    });
    await screen.findByText(/new, held by a guard, row 2/);
    await userEvent.keyboard("a");
    expect(await screen.findByRole("dialog", { name: "Let through what a guard holds" })).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "Cancel" }));
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    await userEvent.click(screen.getByRole("button", { name: "Previous" }));
    expect(await screen.findByText("1 of 2")).toBeVisible();
    await userEvent.click(screen.getByRole("button", { name: "← All lines" }));
    expect(await screen.findByRole("button", { name: "Changes of R-1" })).toBeVisible();
  });

  it("says where no line is", async () => {
    server();
    open("?step=7");
    expect(await screen.findByText("There is no such line")).toBeVisible();
  });
});

describe("the differences of texts", () => {
  it("are marked word by word, and what is only a number is none", () => {
    draw(<TextDiff before="red blue" after="red green blue" />);
    expect(screen.getByText("green", { exact: false, selector: "ins" })).toBeVisible();
    expect(document.querySelector("del")).toBeNull();
    expect(isText("4.00", "4.50")).toBe(false);
    expect(isText(null, NEW_TEXT)).toBe(false);
    expect(isText("short text", "another")).toBe(false);
    expect(isText(OLD_TEXT, "")).toBe(true);
  });
});
