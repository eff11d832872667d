import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";
import { FakeServer, type Sent } from "../test/fakeServer";
import { draw } from "../test/render";
import { runView } from "../test/samples";
import { turned } from "./review/instead";
import { Review } from "./review/Review";
import { Snapshots } from "./snapshots/Snapshots";

const snapshot = (id: number, more = {}) => ({
  id,
  status: "ready",
  because: "",
  run_id: null,
  author: "Ines",
  taken_at: "2026-11-03T08:15:00Z",
  products: 4012,
  error: "",
  ...more,
});

function shop(first: ReturnType<typeof snapshot>[]) {
  let kept = first;
  const fake = new FakeServer()
    .on("GET /api/v1/stores/1/snapshots", () => ({ snapshots: kept }))
    .on("POST /api/v1/stores/1/snapshots", () => {
      kept = [snapshot(9, { status: "queued", products: 0 }), ...kept];
      return kept[0];
    })
    .on("DELETE /api/v1/snapshots/3", () => {
      kept = kept.filter((s) => s.id !== 3);
      return { done: true };
    });
  draw(<Snapshots />, "/s/1/snapshots", "/s/:store/snapshots");
  return fake;
}

describe("snapshots", () => {
  it("are taken by one button, and say that they are being taken", async () => {
    const fake = shop([]);
    expect(await screen.findByText("No snapshot yet")).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Take a snapshot" }));
    expect(await screen.findByText("being taken …")).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: /Restore|Remove/ })).toBeNull();
    expect(fake.calls("POST /api/v1/stores/1/snapshots")).toHaveLength(1);
  });

  it("say when, why and how many, lead to their run, and are downloaded", async () => {
    shop([
      snapshot(3, { because: "before run 7", run_id: 7 }),
      snapshot(2, { status: "failed", error: "full" }),
    ]);
    expect(await screen.findByRole("link", { name: "before run 7" })).toHaveAttribute("href", "/s/1/runs/7");
    expect(screen.getByText("4,012")).toBeInTheDocument();
    expect(screen.getByText("failed: full")).toBeInTheDocument();
    expect(screen.getAllByRole("link", { name: "Download" })).toHaveLength(1);
    expect(screen.getByRole("link", { name: "Download" })).toHaveAttribute(
      "href",
      "/api/v1/snapshots/3/file",
    );
  });

  it("are removed only after a question that says what is lost", async () => {
    const fake = shop([snapshot(3)]);
    await userEvent.click(await screen.findByRole("button", { name: "Remove" }));
    expect(screen.getByText(/cannot be undone/)).toBeInTheDocument();
    expect(fake.calls("DELETE /api/v1/snapshots/3")).toHaveLength(0);
    await userEvent.click(screen.getByRole("button", { name: "Remove the snapshot" }));
    expect(await screen.findByText("No snapshot yet")).toBeInTheDocument();
  });

  it("that cannot be brought say so, and the list stays", async () => {
    shop([snapshot(3)]).on("POST /api/v1/stores/1/snapshots/file", () => {
      throw new Error("no snapshot");
    });
    await userEvent.upload(await screen.findByLabelText("Snapshot file"), new File(["sku"], "list.csv"));
    expect(await screen.findByRole("alert")).toBeInTheDocument();
    expect(screen.getByText("4,012")).toBeInTheDocument();
  });
});

const stock = { field: "stock", label: "Stock", before: "7", after: "3", percent: null };
const line = (status: string) => ({
  row: null,
  key: "QP-1",
  title: "Blue",
  status,
  reason: status === "stays" ? "Stock stays as run 6 wrote it" : null,
  changes: [stock],
});

function undoing(first: Record<string, unknown>) {
  let run = runView({ id: 7, kind: "undo", undoes: 4, counts: { changed: 1, stays: 1 }, ...first });
  const fake = new FakeServer()
    .on("GET /api/v1/runs/7", () => run)
    .on("GET /api/v1/runs/7/summary", () => ({
      arrived: 0,
      fields: [],
      groupings: [],
      strange: [],
      made: null,
      spreads: [],
      reasons: [],
    }))
    .on("GET /api/v1/runs/7/rows", ({ query }: Sent) => ({
      total: 1,
      rows: [line(query.get("status") ?? "changed")],
    }))
    .on("POST /api/v1/runs/7/apply", () => run)
    .on("PUT /api/v1/runs/7/instead", ({ body }: Sent) => {
      run = { ...run, instead: body as typeof run.instead };
      return run;
    });
  return fake;
}

const open = (at = "") => draw(<Review />, `/s/1/runs/7${at}`, "/s/:store/runs/:run");
const sent = (fake: FakeServer, call: string) => fake.calls(call).map((one) => one.body);

describe("an undo with a field changed since", () => {
  it("lets one value go back all the same, and stay again", async () => {
    const fake = undoing({});
    open("?status=stays&product=QP-1");
    await userEvent.click(await screen.findByRole("button", { name: "Put 3 back" }));
    const chosen = { all: false, fields: [{ key: "QP-1", field: "stock" }] };
    expect(sent(fake, "PUT /api/v1/runs/7/instead")).toEqual([chosen]);
    await userEvent.click(screen.getByRole("button", { name: "Close" }));
    await userEvent.click(screen.getByRole("tab", { name: /changed/ }));
    await userEvent.click(await screen.findByRole("button", { name: "Changes of QP-1" }));
    await userEvent.click(await screen.findByRole("button", { name: "Let 7 stay" }));
    expect(sent(fake, "PUT /api/v1/runs/7/instead").at(-1)).toEqual({ all: false, fields: [] });
  });

  it("puts all the earlier values back at once, or lets all stay", async () => {
    const fake = undoing({});
    open("?status=stays");
    await userEvent.click(await screen.findByRole("button", { name: "Put all earlier values back" }));
    expect(sent(fake, "PUT /api/v1/runs/7/instead")).toEqual([{ all: true, fields: [] }]);
    await userEvent.click(await screen.findByRole("button", { name: "Let all later values stay" }));
    expect(sent(fake, "PUT /api/v1/runs/7/instead").at(-1)).toEqual({ all: false, fields: [] });
  });

  it("has nothing to choose once it is applied", async () => {
    undoing({ status: "applied" });
    open("?status=stays&product=QP-1");
    expect(await screen.findByText("stays instead of 3")).toBeInTheDocument();
    expect(screen.queryByRole("button", { name: /back|stay$/ })).toBeNull();
  });

  it("knows a field by its product and name", () => {
    const one = turned({ all: false, fields: [] }, "a", "stock");
    expect(turned(turned(one, "a", "price"), "a", "stock").fields).toEqual([{ key: "a", field: "price" }]);
    expect(turned(one, "b", "stock").fields).toHaveLength(2);
  });
});

describe("a run that the catalog has overtaken", () => {
  it("says what has changed, and shows only the lines that are other by now", async () => {
    const fake = undoing({ since: "The catalog has changed: QP-1 (stock)", again: 1 });
    open();
    expect(await screen.findByText(/QP-1 \(stock\).*1 line is other than you saw it/)).toBeInTheDocument();
    await userEvent.click(screen.getByRole("button", { name: "Show only these" }));
    await waitFor(() =>
      expect(fake.calls("GET /api/v1/runs/7/rows").at(-1)?.query.get("again")).toBe("true"),
    );
    expect(screen.getByRole("button", { name: "Show all lines" })).toBeInTheDocument();
    // A tab says how many lines of a fate there are, and shows all of them.
    await userEvent.click(screen.getByRole("tab", { name: /changed/ }));
    expect(await screen.findByRole("button", { name: "Show only these" })).toBeInTheDocument();
  });

  it("says nothing of it once it is applied", async () => {
    undoing({ since: "x", again: 1, status: "applied" });
    open();
    expect(await screen.findByText("applied to the catalog")).toBeInTheDocument();
    expect(screen.queryByText(/other than you saw/)).toBeNull();
  });

  it("takes a snapshot first where that is asked for", async () => {
    const fake = undoing({ since: "", again: 0 });
    open();
    const box = await screen.findByRole("checkbox", { name: "Snapshot first" });
    await userEvent.click(box);
    await userEvent.click(screen.getByRole("button", { name: "Take back 1 product" }));
    expect(fake.calls("POST /api/v1/runs/7/apply")[0]?.query.get("snapshot_first")).toBe("true");
    expect(within(document.body).queryByText(/could not/)).toBeNull();
  });
});
