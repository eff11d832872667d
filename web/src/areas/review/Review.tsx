/** One run: what it would do to the catalog, product by product; apply it, take it back. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, take } from "../../api/client";
import { isBusy, useRun, type RunView } from "../../api/hooks";
import { CountTab } from "../../components/CountTab";
import { STATUS_STATE } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ChangedProduct } from "./ChangedProduct";
import { ChangeList } from "./ChangeList";
import { Again } from "./Again";
import { Aside } from "./Aside";
import { Decided } from "./Decided";
import { Filters } from "./Filters";
import { PLAIN, shownIn } from "./shown";
import { Findings, LetThrough, type Through } from "./Findings";
import { RunHeading } from "./RunHeading";
import { StepThrough } from "./StepThrough";
import { useDecide, useSharedDecisions } from "./useDecide";
import { Progress } from "../../components/Progress";

/** What becomes of arriving rows, and of products where a run is taken back. */
const STATUSES = {
  delivery: ["new", "changed", "same", "held", "rejected", "left out", "gone"],
  undo: ["changed", "taken out", "put back", "stays"],
  edit: ["changed", "same", "rejected"],
  restore: ["changed", "put back", "taken out", "stays"],
  dated: ["changed", "stays"],
} as const;

/** What a run would do, or has done. */
export function Review() {
  const id = Number(useParams().run);
  const run = useRun(id);
  if (run.isPending) return <Waiting what="the run" />;
  if (run.isError) return <Failure error={run.error} retry={() => void run.refetch()} />;
  return <Ready run={run.data} />;
}

function Ready({ run }: { run: RunView }) {
  const [params, setParams] = useSearchParams();
  const queries = useQueryClient();
  const shown = shownIn(params, firstStatus(run));
  const { status, again, guard } = shown;
  const product = params.get("product") ?? "";
  const step = params.get("step") ?? "";
  const stepping = /^\d+$/.test(step);
  const [through, setThrough] = useState<Through | null>(null);
  const has = Object.keys(run.counts).length > 0;
  const decisions = useSharedDecisions(run);
  const deciding = useDecide(run);
  const summary = useQuery({
    queryKey: ["review", run.id, "summary"],
    enabled: has,
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/v1/runs/{run_id}/summary", { params: { path: { run_id: run.id } } })),
  });
  const was = useRef(run.status);
  useEffect(() => {
    // Prepared again while it was looked at: its lines may be others.
    if (isBusy(was.current) && run.status === "prepared")
      void queries.invalidateQueries({ queryKey: ["review", run.id] });
    was.current = run.status;
  }, [run.status, run.id, queries]);
  useEffect(() => {
    if (["applied", "undone"].includes(run.status)) {
      void queries.invalidateQueries({ queryKey: ["catalog"] });
      void queries.invalidateQueries({ queryKey: ["arrivals"] });
      // A run that takes another back has changed the state of that one, and of those before it.
      if (run.undoes !== null) void queries.invalidateQueries({ queryKey: ["run"] });
    }
  }, [run.status, run.undoes, queries]);
  const set = (change: Record<string, string>) =>
    setParams((old) => ({ ...Object.fromEntries(old), ...change }), { replace: true });
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <RunHeading run={run} decisions={decisions.data} />
      {isBusy(run.status) && <Progress of={`Run ${run.id}, ${run.status}`} share={run.progress / 100} />}
      {run.error && <Failure error={new Error(run.error)} />}
      {!has && !isBusy(run.status) && (
        <Nothing title="There is no changeset">
          {run.feed_id === null ? (
            "Mend what is named above, and begin anew."
          ) : (
            <>
              <Link to={`/s/${run.store_id}/feeds/${run.feed_id}/bench?delivery=${run.delivery_id}`}>
                Open the bench
              </Link>
              , mend what is named above, and prepare again.
            </>
          )}
        </Nothing>
      )}
      <Again run={run} only={again} onOnly={(only) => set({ again: only ? "1" : "", status: "" })} />
      <Findings
        run={run}
        decisions={decisions.data}
        guard={guard}
        onGuard={(to) => set({ ...PLAIN, guard: to, status: to ? "" : firstStatus(run) })}
        onThrough={setThrough}
      />
      {through && <LetThrough through={through} deciding={deciding} onClose={() => setThrough(null)} />}
      {has && (
        <>
          <Box
            role="tablist"
            aria-label="What becomes of the rows"
            sx={{
              display: "flex",
              px: 1.5,
              gap: 0.5,
              borderBottom: 1,
              borderColor: "divider",
              alignItems: "center",
            }}
          >
            {STATUSES[run.kind].map((s) => (
              <CountTab
                key={s}
                state={STATUS_STATE[s] ?? "computed"}
                said={s === "gone" && run.counts["gone"] && !run.moving ? "gone, stay as they are" : s}
                n={run.counts[s] ?? 0}
                chosen={s === status}
                onChoose={() => set({ ...PLAIN, status: s })}
              />
            ))}
            <Box sx={{ flex: 1 }} />
            <Typography variant="caption" color="textSecondary">
              {summary.data &&
                run.kind === "delivery" &&
                `${summary.data.arrived.toLocaleString("en")} rows arrived, all accounted for`}
            </Typography>
          </Box>
          {stepping ? (
            <StepThrough
              run={run}
              shown={shown}
              at={Number(step)}
              deciding={deciding}
              onStep={(at) => set({ step: String(at) })}
              onBack={() => set({ step: "" })}
              onThrough={setThrough}
            />
          ) : (
            <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
              <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
                <Filters
                  run={run}
                  summary={summary.data}
                  shown={shown}
                  guarded={
                    decisions.data?.findings.some((f) => f.guard === guard && f.holds === "lines") ?? false
                  }
                  deciding={deciding}
                  onSet={set}
                  onThrough={setThrough}
                />
                <Decided run={run} decisions={decisions.data} deciding={deciding} />
                <ChangeList
                  key={JSON.stringify([shown, run.status])}
                  run={run}
                  shown={shown}
                  product={product}
                  guarded={decisions.data?.findings.some((one) => one.held > 0) ?? false}
                  onProduct={(key) => set({ product: key })}
                  onThrough={setThrough}
                  deciding={deciding}
                />
              </Box>
              {product ? (
                <ChangedProduct
                  key={product}
                  run={run}
                  status={status}
                  product={product}
                  deciding={deciding}
                  onClose={() => set({ product: "" })}
                />
              ) : (
                <Aside
                  run={run}
                  summary={summary.data}
                  shown={shown}
                  onSet={set}
                  onOnly={(filter) => set({ ...PLAIN, ...filter })}
                />
              )}
            </Box>
          )}
        </>
      )}
    </Box>
  );
}

function firstStatus(run: RunView): string {
  const order = ["changed", "new", "held", "rejected", "same", "taken out", "put back", "stays"];
  return order.find((s) => run.counts[s]) ?? "changed";
}
