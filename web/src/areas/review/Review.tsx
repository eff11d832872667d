/** One run: what it would do to the catalog, product by product; apply it, take it back. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { isBusy, useRun, type RunView } from "../../api/hooks";
import { Mark, STATUS_STATE } from "../../components/Mark";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { byHand, count, trialOf } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { ChangedProduct } from "./ChangedProduct";
import { ChangeList } from "./ChangeList";
import { MovePlot } from "./MovePlot";

/** What becomes of arriving rows, and of products where a run is taken back. */
const STATUSES = {
  delivery: ["new", "changed", "same", "held", "rejected", "left out", "gone"],
  undo: ["changed", "taken out", "put back", "stays"],
  edit: ["changed"],
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
  const status = params.get("status") ?? firstStatus(run);
  const field = params.get("field") ?? "";
  const search = params.get("search") ?? "";
  const product = params.get("product") ?? "";
  const has = Object.keys(run.counts).length > 0;
  const summary = useQuery({
    queryKey: ["review", run.id, "summary"],
    enabled: has,
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/v1/runs/{run_id}/summary", { params: { path: { run_id: run.id } } })),
  });
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
      <Heading run={run} />
      {isBusy(run.status) && (
        <LinearProgress variant={run.progress > 0 ? "determinate" : "indeterminate"} value={run.progress} />
      )}
      {run.error && <Failure error={new Error(run.error)} />}
      {!has && !isBusy(run.status) && (
        <Nothing title="There is no changeset">
          <Link to={`/s/${run.store_id}/feeds/${run.feed_id}/bench?delivery=${run.delivery_id}`}>
            Open the bench
          </Link>
          , mend what is named above, and prepare again.
        </Nothing>
      )}
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
              <StatusTab
                key={s}
                status={s}
                n={run.counts[s] ?? 0}
                chosen={s === status}
                onChoose={() => set({ status: s, field: "", product: "" })}
              />
            ))}
            <Box sx={{ flex: 1 }} />
            <Typography variant="caption" color="textSecondary">
              {summary.data &&
                run.kind === "delivery" &&
                `${summary.data.arrived.toLocaleString("en")} rows arrived, all accounted for`}
            </Typography>
          </Box>
          <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
            <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
              <Filters
                run={run}
                summary={summary.data}
                status={status}
                field={field}
                search={search}
                onSet={set}
              />
              <ChangeList
                key={`${status} ${field} ${search}`}
                run={run}
                status={status}
                field={field}
                search={search}
                product={product}
                onProduct={(key) => set({ product: key })}
              />
            </Box>
            {product ? (
              <ChangedProduct
                key={product}
                run={run}
                status={status}
                product={product}
                onClose={() => set({ product: "" })}
              />
            ) : (
              <Aside summary={summary.data} status={status} />
            )}
          </Box>
        </>
      )}
    </Box>
  );
}

function firstStatus(run: RunView): string {
  const order = ["changed", "new", "held", "rejected", "same", "taken out", "put back", "stays"];
  return order.find((s) => run.counts[s]) ?? "changed";
}

const SAYS: Record<string, string> = {
  queued: "waiting for a worker",
  preparing: "preparing",
  prepared: "prepared; the catalog is as it was",
  applying: "writing to the catalog",
  applied: "applied to the catalog",
  undone: "undone; what it changed is as before",
  failed: "could not be prepared",
  stopped: "stopped; nothing was changed",
};

function Heading({ run }: { run: RunView }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const navigate = useNavigate();
  const takeBack = useMutation({
    mutationFn: (target: number) =>
      take(api.POST("/api/v1/runs/{run_id}/undo", { params: { path: { run_id: target } } })),
    onError: undo.failed,
    onSuccess: async (made) => {
      await queries.invalidateQueries({ queryKey: ["run", made.id] });
      await queries.invalidateQueries({ queryKey: ["review", made.id] });
      return navigate(`/s/${run.store_id}/runs/${made.id}`);
    },
  });
  const act = useMutation({
    mutationFn: (what: "apply" | "stop") =>
      take(api.POST(`/api/v1/runs/{run_id}/${what}`, { params: { path: { run_id: run.id } } })),
    onError: undo.failed,
    onSettled: () => queries.invalidateQueries({ queryKey: ["run", run.id] }),
  });
  const written = run.kind === "undo" ? ["changed", "taken out", "put back"] : ["new", "changed"];
  const write = written.reduce((sum, status) => sum + (run.counts[status] ?? 0), 0);
  const busy = isBusy(run.status);
  const file = `/api/v1/runs/${run.id}/result?format=csv`;
  const outbound = `/api/v1/stores/${run.store_id}/outbound?run_id=${run.id}`;
  return (
    <Box
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 1.5,
        px: 1.5,
        py: 1,
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h2" component="h1" noWrap>
          {run.feed_id === null ? byHand(run) : `${run.supplier}: ${run.file_name}`}
        </Typography>
        <Typography variant="caption" color="textSecondary" component="div" noWrap>
          Run {run.id} ·{" "}
          {run.undoes === null ? (
            run.version !== null && `crosswalk version ${run.version} · `
          ) : (
            <>
              takes back <Link to={`/s/${run.store_id}/runs/${run.undoes}`}>run {run.undoes}</Link> ·{" "}
            </>
          )}
          {trialOf(run) && `${trialOf(run)} · `}
          <span role="status">
            {busy && run.stage ? `${SAYS[run.status]}: ${run.stage}` : SAYS[run.status]}
          </span>
        </Typography>
      </Box>
      <Box sx={{ flex: 1 }} />
      {run.feed_id !== null && (
        <>
          <Button
            component={Link}
            color="inherit"
            to={`/s/${run.store_id}/feeds/${run.feed_id}/bench?delivery=${run.delivery_id}`}
          >
            Bench
          </Button>
          <Button component="a" href={file} color="inherit">
            Result file
          </Button>
        </>
      )}
      {run.status === "applied" && (
        <>
          <Button component="a" href={outbound} color="inherit">
            What changed, as CSV
          </Button>
          <Button
            variant="outlined"
            color="inherit"
            disabled={takeBack.isPending}
            onClick={() => takeBack.mutate(run.id)}
          >
            Undo this run
          </Button>
        </>
      )}
      {busy && (
        <Button variant="outlined" color="inherit" onClick={() => act.mutate("stop")}>
          Stop
        </Button>
      )}
      {run.status === "prepared" && run.undoes !== null && run.error && (
        <Button
          variant="outlined"
          color="inherit"
          disabled={takeBack.isPending}
          onClick={() => takeBack.mutate(run.undoes ?? 0)}
        >
          Prepare it again
        </Button>
      )}
      {run.status === "prepared" && (
        <Button variant="contained" disabled={act.isPending || !write} onClick={() => act.mutate("apply")}>
          {run.kind === "undo" ? "Take back" : "Apply to"} {count(write, "product", "products")}
        </Button>
      )}
    </Box>
  );
}

interface StatusTabProps {
  status: string;
  n: number;
  chosen: boolean;
  onChoose: () => void;
}

function StatusTab({ status, n, chosen, onChoose }: StatusTabProps) {
  return (
    <Button
      role="tab"
      aria-selected={chosen}
      color="inherit"
      disabled={!n}
      onClick={onChoose}
      sx={{
        borderRadius: 0,
        height: 40,
        borderBottom: "2px solid",
        borderColor: chosen ? "primary.main" : "transparent",
        fontWeight: chosen ? 650 : 450,
        gap: 0.5,
      }}
    >
      <Mark state={STATUS_STATE[status] ?? "computed"} says={status} />
      {n.toLocaleString("en")} {status}
    </Button>
  );
}

interface FiltersProps {
  run: RunView;
  summary: Schemas["ReviewSummary"] | undefined;
  status: string;
  field: string;
  search: string;
  onSet: (change: Record<string, string>) => void;
}

function Filters({ summary, status, field, search, onSet }: FiltersProps) {
  return (
    <Box sx={{ display: "flex", gap: 1, p: 1 }}>
      <SearchField
        label="Find products"
        placeholder="Find a key, name or reason"
        width={240}
        value={search}
        onSearch={(text) => onSet({ search: text })}
      />
      {status === "changed" && summary && (
        <TextField
          select
          value={field}
          onChange={(e) => onSet({ field: e.target.value })}
          slotProps={{ select: { displayEmpty: true }, htmlInput: { "aria-label": "Changed field" } }}
          sx={{ minWidth: 190 }}
        >
          <MenuItem value="">any field changed</MenuItem>
          {summary.fields.map((f) => (
            <MenuItem key={f.field} value={f.field}>
              {f.label} ({f.count})
            </MenuItem>
          ))}
        </TextField>
      )}
    </Box>
  );
}

interface AsideProps {
  summary: Schemas["ReviewSummary"] | undefined;
  status: string;
}

function Aside({ summary, status }: AsideProps) {
  if (!summary) return null;
  const faults = status === "held" || status === "rejected";
  const weight = status === "held" ? "question" : "refuse";
  const reasons = summary.reasons.filter((r) => r.severity === weight);
  return (
    <Box
      component="aside"
      sx={{
        width: 320,
        flex: "none",
        borderLeft: 1,
        borderColor: "divider",
        p: 1.5,
        overflowY: "auto",
        bgcolor: "background.paper",
      }}
    >
      {faults ? (
        <>
          <Typography variant="h3" gutterBottom>
            Why
          </Typography>
          {reasons.map((r) => (
            <Box key={r.kind} sx={{ py: 0.75, borderBottom: 1, borderColor: "divider" }}>
              <Typography sx={{ fontWeight: 550 }}>
                {r.count} × {r.kind.replaceAll("_", " ")}
              </Typography>
              <Typography variant="caption" color="textSecondary">
                {r.example}
              </Typography>
            </Box>
          ))}
        </>
      ) : (
        <>
          <Typography variant="h3" gutterBottom>
            Prices that move
          </Typography>
          <MovePlot moves={summary.moves} currency={summary.currency} />
          <Typography variant="h3" sx={{ mt: 2 }} gutterBottom>
            Fields that change
          </Typography>
          {summary.fields.map((f) => (
            <Box key={f.field} sx={{ display: "flex", height: 22 }}>
              <Typography sx={{ flex: 1 }}>{f.label}</Typography>
              <Typography color="textSecondary">{f.count.toLocaleString("en")}</Typography>
            </Box>
          ))}
        </>
      )}
    </Box>
  );
}
