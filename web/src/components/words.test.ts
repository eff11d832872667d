import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { ago, byHand, bytes, capital, count, onDay, signed, titleOf, tomorrow, trialOf } from "./words";

const NOW = new Date("2027-03-02T12:00:00Z");

beforeEach(() => vi.useFakeTimers({ now: NOW }));
afterEach(() => vi.useRealTimers());

describe("numbers and sizes", () => {
  it.each([
    [0, "0 rows"],
    [1, "1 row"],
    [2, "2 rows"],
    [1200000, "1,200,000 rows"],
  ])("%d", (n, said) => {
    expect(count(n, "row", "rows")).toBe(said);
  });

  it.each([
    [0, "0 bytes"],
    [1023, "1023 bytes"],
    [1024, "1.0 KB"],
    [10 * 1024, "10 KB"],
    [1536 * 1024, "1.5 MB"],
    [3 * 1024 ** 3, "3.0 GB"],
    [5000 * 1024 ** 3, "5000 GB"],
  ])("%d bytes", (n, said) => {
    expect(bytes(n)).toBe(said);
  });

  it.each([
    ["4", "+4.0 %"],
    ["-1.5", "−1.5 %"],
    ["0", "±0.0 %"],
    ["1234.56", "+1234.6 %"],
    ["", ""],
    [null, ""],
    [undefined, ""],
  ])("%s percent", (percent, said) => {
    expect(signed(percent)).toBe(said);
  });
});

describe("moments and days", () => {
  it.each([
    ["2027-03-02T11:59:31Z", "just now"],
    ["2027-03-02T11:59:00Z", "1 minute ago"],
    ["2027-03-02T11:00:01Z", "59 minutes ago"],
    ["2027-03-02T11:00:00Z", "1 hour ago"],
    ["2027-03-01T12:00:01Z", "23 hours ago"],
    ["2027-02-14T12:00:00Z", "14 Feb"],
  ])("%s", (moment, said) => {
    expect(ago(moment)).toBe(said);
  });

  it("are those of UTC, wherever one is", () => {
    expect(onDay("2027-01-01")).toBe("1 Jan 2027");
    expect(onDay("2027-12-31")).toBe("31 Dec 2027");
    expect(tomorrow()).toBe("2027-03-03");
    vi.setSystemTime(new Date("2027-12-31T23:59:59Z"));
    expect(tomorrow()).toBe("2028-01-01");
  });
});

describe("what a run is about", () => {
  const run = { kind: "delivery", supplier: "", file_name: "", author: "" };

  it.each([
    [{ supplier: "Aalders", file_name: "lijst.csv" }, "Aalders: lijst.csv"],
    [{ kind: "restore", file_name: "snapshot of 2 Mar" }, "Restore the snapshot of 2 Mar"],
    [{ kind: "dated", author: "Ines" }, "Its day has come, Ines"],
    [{ kind: "dated" }, "Its day has come"],
    [{ kind: "edit", author: "Ines", file_name: "12 products" }, "By hand, Ines: 12 products"],
    [{ kind: "edit" }, "By hand"],
  ])("%j", (more, said) => {
    expect(titleOf({ ...run, ...more })).toBe(said);
  });

  it.each([
    [{ first_row: null, last_row: null, picked_rows: false, scope: null }, ""],
    [{ first_row: 5, last_row: null, picked_rows: false, scope: null }, "trial of rows 5 to the end"],
    [{ first_row: null, last_row: 9, picked_rows: false, scope: null }, "trial of rows 1 to 9"],
    [{ first_row: 2, last_row: 3, picked_rows: true, scope: null }, "picked articles alone"],
    [{ first_row: null, last_row: null, picked_rows: false, scope: { name: "Stock" } }, "Stock alone"],
  ])("%j", (rows, said) => {
    expect(trialOf(rows)).toBe(said);
  });

  it("begins a sentence as one does", () => {
    expect(capital("ürün")).toBe("Ürün");
    expect(capital("")).toBe("");
    expect(byHand({ author: "" })).toBe("By hand");
  });
});
