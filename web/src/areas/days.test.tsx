import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";
import { onDay, tomorrow } from "../components/words";
import { Prepare } from "../shell/Prepare";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { runView, UNDECIDED } from "../test/samples";
import { FillRules } from "./bench/FillRules";
import { Review } from "./review/Review";
import { Runs } from "./runs/Runs";

describe("prices that hold from a day on", () => {
  it("are prepared for one, of the articles that are picked", async () => {
    const fake = new FakeServer()
      .on("POST /api/v1/feeds/3/runs", () => ({ id: 12 }))
      .on("GET /api/v1/stores/1/arrivals", () => ({ feeds: [], upload_limit: 1 }));
    draw(<Prepare store={1} feed={3} delivery={7} rows={900} />, "/s/1/feeds/3/bench", "/s/:store/*");
    await userEvent.click(screen.getByRole("button", { name: "Some rows, or from a day" }));
    await userEvent.click(screen.getByRole("radio", { name: /^Articles picked/ }));
    expect(screen.getByLabelText("To row")).toBeDisabled();
    await userEvent.type(screen.getByLabelText("Prices hold from"), tomorrow());
    expect(screen.getByText(/Until then the store keeps the prices/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Prepare this" }));
    await waitFor(() => expect(fake.calls("POST /api/v1/feeds/3/runs")).toHaveLength(1));
    const query = Object.fromEntries(fake.calls("POST /api/v1/feeds/3/runs")[0]!.query);
    expect(query).toEqual({ delivery_id: "7", picked: "true", day: tomorrow() });
  });

  it("are said in a column, or no more", async () => {
    const since = vi.fn();
    const fill = { parts: [{ column: "Net" }], since: { column: "Valid", order: "dmy" as const } };
    const props = { columns: ["Net", "Valid"], onChange: () => {}, onSince: since };
    const { unmount } = draw(<FillRules fill={{ parts: fill.parts }} {...props} />);
    await userEvent.click(screen.getByRole("combobox", { name: "It holds" }));
    await userEvent.click(screen.getByRole("option", { name: /Valid/ }));
    expect(since).toHaveBeenLastCalledWith("Valid");
    unmount();
    draw(<FillRules fill={fill} {...props} />);
    expect(screen.getByText(/Until its day the product keeps/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("combobox", { name: "It holds" }));
    await userEvent.click(screen.getByRole("option", { name: "at once" }));
    expect(since).toHaveBeenLastCalledWith("");
  });

  it("stand in the review with their day, by themselves where that is asked", async () => {
    const run = runView({ waits: 2, day: "2027-03-02", counts: { changed: 2 } });
    const price = { field: "price", label: "Price", before: "4.00", after: "4.50", percent: "12.5" };
    const later = { ...price, day: "2027-03-02" };
    const line = { row: 1, title: "Blue", status: "changed", reason: null };
    const fake = new FakeServer()
      .on("GET /api/v1/runs/4", () => run)
      .on("GET /api/v1/runs/4/decisions", () => UNDECIDED(2))
      .on("GET /api/v1/runs/4/summary", () => ({
        arrived: 2,
        fields: [],
        groupings: [],
        strange: [],
        made: null,
        spreads: [],
        reasons: [],
      }))
      .on("GET /api/v1/runs/4/rows", ({ query }) => {
        const rows = [
          { ...line, key: "Q-1", changes: [later] },
          { ...line, key: "Q-2", changes: [{ ...price, day: null }] },
        ];
        const shown = query.get("later") === "true" ? rows.slice(0, 1) : rows;
        return { total: shown.length, rows: shown };
      });
    draw(<Review />, "/s/1/runs/4", "/s/:store/runs/:run");
    expect(await screen.findAllByRole("listitem")).toHaveLength(2);
    expect(screen.getByText(/prices from 2 Mar 2027 on · 2 values wait for their day/)).toBeInTheDocument();
    expect(screen.getAllByText(/from 2 Mar 2027$/)).toHaveLength(1);
    await userEvent.click(screen.getByRole("checkbox", { name: "only what waits for its day" }));
    await waitFor(() => expect(screen.getAllByRole("listitem")).toHaveLength(1));
    await userEvent.click(screen.getByRole("button", { name: "Changes of Q-1" }));
    expect(await screen.findByText(/from 2 Mar 2027; until then it stays/)).toBeInTheDocument();
    expect(fake.calls("GET /api/v1/runs/4/rows").length).toBeGreaterThan(1);
  });

  it("are listed page by page while they wait", async () => {
    const value = (n: number) => ({
      id: n,
      key: `Q-${n}`,
      title: `Blue ${n}`,
      field: "price",
      label: "Price",
      value: "4.50",
      holds: "4.00",
      day: "2027-03-02",
      author: "run 4",
      reason: "",
    });
    new FakeServer()
      .on("GET /api/v1/stores/1/runs", () => ({ runs: [], total: 0 }))
      .on("GET /api/v1/stores/1/dated", ({ query }) => {
        const begin = Number(query.get("offset"));
        const ids = Array.from({ length: 45 }, (_, n) => n).slice(begin, begin + Number(query.get("limit")));
        return { total: 45, values: ids.map(value) };
      });
    draw(<Runs />, "/s/1/runs", "/s/:store/runs");
    expect(await screen.findByText("Blue 0")).toBeInTheDocument();
    expect(screen.getAllByText(onDay("2027-03-02"))).toHaveLength(20);
    await userEvent.click(screen.getByRole("button", { name: "Later" }));
    await userEvent.click(await screen.findByRole("button", { name: "Later" }));
    expect(await screen.findByText("Blue 44")).toBeInTheDocument();
    expect(screen.getByText("41–45")).toBeInTheDocument();
  });
});
