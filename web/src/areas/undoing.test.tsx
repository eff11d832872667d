import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FakeServer } from "../test/fakeServer";
import { draw } from "../test/render";
import { runView, UNDECIDED } from "../test/samples";
import { Review } from "./review/Review";
import { Runs } from "./runs/Runs";

const price = { field: "price", label: "Price", before: "5.95", after: "4.95", percent: "-16.8" };
const lines: Record<string, unknown[]> = {
  changed: [{ row: null, key: "QP-1", title: "Blue", status: "changed", reason: null, changes: [price] }],
  "taken out": [{ row: null, key: "QP-2", title: "Red", status: "taken out", reason: null, changes: [] }],
  stays: [
    {
      row: null,
      key: "QP-1",
      title: "Blue",
      status: "stays",
      reason: "stock stays as run 6 wrote it",
      changes: [{ field: "stock", label: "Stock", before: "7", after: "3", percent: null }],
    },
  ],
};
const undo = runView({
  id: 7,
  kind: "undo",
  undoes: 4,
  status: "prepared",
  counts: { changed: 1, "taken out": 1, "put back": 0, stays: 1 },
});

function server(run = undo) {
  return new FakeServer()
    .on(`GET /api/v1/runs/${run.id}`, () => run)
    .on("GET /api/v1/runs/4/decisions", () => UNDECIDED())
    .on(`GET /api/v1/runs/${run.id}/summary`, () => ({
      arrived: 0,
      fields: [{ field: "price", label: "Price", count: 1 }],
      groupings: [],
      strange: [],
      made: null,
      spreads: [],
      reasons: [],
    }))
    .on(`GET /api/v1/runs/${run.id}/rows`, ({ query }) => {
      const found = lines[query.get("status") ?? ""] ?? [];
      return { total: found.length, rows: found };
    });
}

const review = (id: number) => draw(<Review />, `/s/1/runs/${id}`, "/s/:store/runs/:run");

describe("a run that takes another back", () => {
  it("shows what goes back, what goes out and what stays, before anything is done", async () => {
    const fake = server().on("POST /api/v1/runs/7/apply", () => ({ ...undo, status: "applying" }));
    review(7);
    expect(await screen.findByRole("link", { name: "run 4" })).toHaveAttribute("href", "/s/1/runs/4");
    expect(await screen.findByRole("listitem")).toHaveTextContent(/Price 5\.95 → 4\.95/);
    expect(screen.queryByText(/rows arrived/)).toBeNull();
    expect(screen.queryByRole("tab", { name: /held|rejected|gone/ })).toBeNull();
    expect(screen.getByRole("tab", { name: /0 put back/ })).toBeDisabled();
    await userEvent.click(screen.getByRole("tab", { name: /1 stays/ }));
    expect(await screen.findByText("stock stays as run 6 wrote it")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Changes of QP-1" }));
    const product = within(await screen.findByRole("complementary", { name: "The product's changes" }));
    expect(await product.findByText("7")).toBeInTheDocument();
    expect(product.getByText("stays instead of 3")).toBeInTheDocument();
    expect(product.queryByTitle(/Where/)).toBeNull();
    expect(fake.calls("POST /api/v1/runs/7/apply")).toHaveLength(0);
    await userEvent.click(screen.getByRole("button", { name: "Take back 2 products" }));
    expect(fake.calls("POST /api/v1/runs/7/apply")).toHaveLength(1);
  });

  it("changes what is known of the run that it took back", async () => {
    let [first, second] = ["applied", "prepared"];
    const fake = new FakeServer().on("GET /api/v1/runs/4/decisions", () => UNDECIDED());
    for (const id of [4, 7])
      fake
        .on(`GET /api/v1/runs/${id}/summary`, () => ({
          arrived: 0,
          fields: [],
          groupings: [],
          strange: [],
          made: null,
          spreads: [],
          reasons: [],
        }))
        .on(`GET /api/v1/runs/${id}/rows`, () => ({ total: 0, rows: [] }));
    fake
      .on("GET /api/v1/runs/4", () => runView({ status: first, counts: { changed: 1 } }))
      .on("GET /api/v1/runs/7", () => ({ ...undo, status: second }))
      .on("POST /api/v1/runs/4/undo", () => undo)
      .on("POST /api/v1/runs/7/apply", () => {
        [first, second] = ["undone", "applied"];
        return { ...undo, status: "applying" };
      });
    review(4);
    await userEvent.click(await screen.findByRole("button", { name: "Undo this run" }));
    await userEvent.click(await screen.findByRole("button", { name: /^Take back/ }));
    expect(await screen.findByText("applied to the catalog")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("link", { name: "run 4" }));
    expect(await screen.findByText("undone; what it changed is as before")).toBeInTheDocument();
  });

  it("is made by one key from an applied run, and is the place one comes to", async () => {
    const applied = runView({ status: "applied", counts: { changed: 1 } });
    const fake = server(applied).on("POST /api/v1/runs/4/undo", () => undo);
    server();
    fake.on("GET /api/v1/runs/7", () => undo);
    review(4);
    await userEvent.click(await screen.findByRole("button", { name: "Undo this run" }));
    expect(await screen.findByText(/takes back/)).toBeInTheDocument();
    expect(fake.calls("POST /api/v1/runs/4/undo")).toHaveLength(1);
  });

  it("that is stale is prepared again from its own page", async () => {
    const stale = { ...undo, error: "The catalog has changed where this changeset would." };
    const fake = server(stale).on("POST /api/v1/runs/4/undo", () => ({ ...undo, status: "queued" }));
    review(7);
    await userEvent.click(await screen.findByRole("button", { name: "Prepare it again" }));
    expect(fake.calls("POST /api/v1/runs/4/undo")).toHaveLength(1);
  });

  it("says so where it cannot be made, and the run stays as it is", async () => {
    const applied = runView({ status: "applied", counts: { changed: 1 } });
    server(applied).on("POST /api/v1/runs/4/undo", () => {
      throw new Error("no");
    });
    review(4);
    await userEvent.click(await screen.findByRole("button", { name: "Undo this run" }));
    expect(screen.getByText("applied to the catalog")).toBeInTheDocument();
  });
});

describe("states of runs", () => {
  it.each([
    ["stopped", "stopped; nothing was changed"],
    ["undone", "undone; what it changed is as before"],
    ["failed", "could not be prepared"],
  ])("a run that is %s says so", async (status, says) => {
    server(runView({ status, counts: {}, error: "" }));
    review(4);
    expect(await screen.findByText(says)).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: /Undo|Stop|Apply/ })).toBeNull();
  });

  it("the list tells a delivery's run from one that takes it back", async () => {
    new FakeServer()
      .on("GET /api/v1/stores/1/dated", () => ({ values: [] }))
      .on("GET /api/v1/stores/1/runs", () => ({ runs: [undo, runView()], total: 2 }));
    draw(<Runs />, "/s/1/runs", "/s/:store/runs");
    expect(await screen.findByText("takes back run 4")).toBeInTheDocument();
    expect(screen.getByText(/^version/)).toBeInTheDocument();
  });
});
