import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import type { Guard, GuardSort } from "../../api/guards";
import { FakeServer } from "../../test/fakeServer";
import { draw } from "../../test/render";
import { feedLine } from "../../test/samples";
import { FeedContext } from "../../shell/feed";
import { Guards } from "./Guards";

const SORTS: GuardSort[] = [
  {
    kind: "rows_fewer",
    name: "Fewer rows",
    holds: "run",
    says: "it has over {limit} % fewer rows",
    limit: "30",
    on: true,
  },
  {
    kind: "price_moved",
    name: "Prices that jump",
    holds: "lines",
    says: "whose price moves by over {limit} %",
    limit: "50",
    on: true,
  },
  {
    kind: "under_cost",
    name: "Under cost",
    holds: "lines",
    says: "whose price is under cost",
    limit: null,
    on: true,
  },
];
const SET: Guard[] = [
  { kind: "rows_fewer", on: true, limit: "30" },
  { kind: "price_moved", on: true, limit: "50" },
  { kind: "under_cost", on: false, limit: "0" },
];
const TRY = "POST /api/v1/feeds/3/guards/tried";
const PUT = "PUT /api/v1/feeds/3/guards";

/** A feed whose guards are as they were set last. */
function server() {
  let set = SET;
  const told = () => ({ guards: set, sorts: SORTS, blind: { under_cost: "The store has no cost." } });
  const found = { kind: "price_moved", field: "price", holds: "lines", said: "2 prices jump", lines: 2 };
  return new FakeServer()
    .on("GET /api/v1/feeds/3/guards", told)
    .on(TRY, () => ({
      runs: [
        { run_id: 9, file_name: "new.csv", at: "2027-01-02T00:00:00Z", findings: [found] },
        { run_id: 8, file_name: "old.csv", at: "2027-01-01T00:00:00Z", findings: [] },
      ],
    }))
    .on(PUT, ({ body }) => {
      set = (body as { guards: Guard[] }).guards;
      return told();
    });
}

function open() {
  const value = { feed: 3, line: feedLine({ id: 3 }), delivery: 7, asking: false, openQuestions: () => {} };
  return draw(
    <FeedContext.Provider value={value}>
      <Guards />
    </FeedContext.Provider>,
    "/s/1/feeds/3/guards",
    "/s/:store/feeds/:feed/guards",
  );
}

describe("the guards of a feed", () => {
  it("stand as sentences, with what they would have held before they are set", async () => {
    const fake = server();
    open();
    expect(await screen.findByText("The store has no cost.")).toBeInTheDocument();
    expect(screen.queryByLabelText("Limit of Under cost")).toBeNull();
    const limit = screen.getByLabelText("Limit of Prices that jump");
    await userEvent.clear(limit);
    await userEvent.type(limit, "12,5");
    await userEvent.click(screen.getByRole("button", { name: "Try on the last deliveries" }));
    expect(await screen.findByText("would have held 1 of 2")).toBeInTheDocument();
    expect(screen.getAllByText("held none")).toHaveLength(1);
    const tried = screen.getByRole("region", { name: "Tried" });
    expect(within(tried).getByRole("link", { name: "new.csv" })).toHaveAttribute("href", "/s/1/runs/9");
    expect(within(tried).getByText("2 prices jump")).toBeInTheDocument();
    expect(fake.calls(TRY)[0]?.body).toEqual({
      guards: [SET[0], { ...SET[1], limit: "12.5" }, SET[2]],
    });
    expect(fake.calls(PUT)).toEqual([]);
    // Another limit: what was tried says nothing of it any more.
    await userEvent.type(limit, "5");
    expect(screen.queryByRole("region", { name: "Tried" })).toBeNull();
  });

  it("are set, refused where a limit is none, put back, and taken back", async () => {
    const fake = server();
    open();
    const save = await screen.findByRole("button", { name: "Save" });
    expect(save).toBeDisabled();
    const limit = () => screen.getByLabelText("Limit of Fewer rows");
    await userEvent.clear(limit());
    expect(save).toBeDisabled();
    await userEvent.type(limit(), "1000000000");
    expect(save).toBeDisabled();
    await userEvent.click(screen.getByRole("button", { name: "Put back" }));
    expect(limit()).toHaveValue("30");
    await userEvent.click(screen.getByRole("switch", { name: "Prices that jump" }));
    await userEvent.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => expect(fake.calls(PUT)).toHaveLength(1));
    expect(fake.calls(PUT)[0]?.body).toEqual({ guards: [SET[0], { ...SET[1], on: false }, SET[2]] });
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    await waitFor(() => expect(screen.getByRole("switch", { name: "Prices that jump" })).toBeChecked());
  });
});
