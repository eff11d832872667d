/** One run: what it would do to the catalog, product by product; apply it, take it back. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { isOpen } from "../../api/deciding";
import { isBusy, useRun, type RunView } from "../../api/hooks";
import { CountTab } from "../../components/CountTab";
import { STATUS_STATE } from "../../components/Mark";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ChangedProduct } from "./ChangedProduct";
import { ChangeList } from "./ChangeList";
import { Again } from "./Again";
import { Decided, DecideShown } from "./Decided";
import { Findings, LetThrough, type Through } from "./Findings";
import { useInstead } from "./instead";
import { RunHeading } from "./RunHeading";
import { inPercent, Spread, type Bounds } from "./Spread";
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
  const status = params.get("status") ?? (params.get("guard") ? "" : firstStatus(run));
  const field = params.get("field") ?? "";
  const search = params.get("search") ?? "";
  const product = params.get("product") ?? "";
  const again = params.get("again") === "1";
  const later = params.get("later") === "1";
  const guard = params.get("guard") ?? "";
  const least = params.get("least") ?? "";
  const most = params.get("most") ?? "";
  const worst = params.get("worst") === "1";
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
          <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
            <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
              <Filters
                run={run}
                summary={summary.data}
                status={status}
                field={field}
                search={search}
                later={later}
                again={again}
                guard={guard}
                least={least}
                most={most}
                worst={worst}
                deciding={deciding}
                onSet={set}
                onThrough={setThrough}
              />
              <Decided run={run} decisions={decisions.data} deciding={deciding} />
              <ChangeList
                key={JSON.stringify([
                  status,
                  field,
                  search,
                  again,
                  later,
                  guard,
                  least,
                  most,
                  worst,
                  run.status,
                ])}
                run={run}
                again={again}
                later={later}
                status={status}
                field={field}
                search={search}
                product={product}
                guard={guard}
                least={least}
                most={most}
                worst={worst}
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
                summary={summary.data}
                status={status}
                chosen={{ field, least, most }}
                onChoose={(bounds) => set({ ...PLAIN, status: "changed", ...bounds })}
              />
            )}
          </Box>
        </>
      )}
    </Box>
  );
}

/** No filter but the status. */
const PLAIN = { field: "", product: "", again: "", later: "", guard: "", least: "", most: "" };

function firstStatus(run: RunView): string {
  const order = ["changed", "new", "held", "rejected", "same", "taken out", "put back", "stays"];
  return order.find((s) => run.counts[s]) ?? "changed";
}

interface FiltersProps {
  run: RunView;
  summary: Schemas["ReviewSummary"] | undefined;
  status: string;
  field: string;
  search: string;
  later: boolean;
  again: boolean;
  guard: string;
  least: string;
  most: string;
  worst: boolean;
  deciding: ReturnType<typeof useDecide>;
  onSet: (change: Record<string, string>) => void;
  onThrough: (through: Through) => void;
}

const DECIDED = ["new", "changed", "gone", ""];

function Filters({ run, summary, deciding, onSet, onThrough, worst, least, most, ...plain }: FiltersProps) {
  const of = { ...plain, ...(least && { least }), ...(most && { most }) };
  const { status, field, search, later, guard } = of;
  const label = summary?.fields.find((f) => f.field === field)?.label ?? "";
  return (
    <Box sx={{ display: "flex", gap: 1, p: 1, flexWrap: "wrap", alignItems: "center", whiteSpace: "nowrap" }}>
      <SearchField
        label="Find products"
        placeholder="Find a key, name or reason"
        width={210}
        value={search}
        onSearch={(text) => onSet({ search: text })}
      />
      {run.kind === "undo" && run.status === "prepared" && status === "stays" && <AllInstead run={run} />}
      {status === "changed" && summary && (
        <TextField
          select
          value={field}
          onChange={(e) => onSet({ field: e.target.value, least: "", most: "" })}
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
      {(least || most) && (
        <Chip
          size="small"
          label={`${label || field} ${inPercent(least, most)}`}
          onDelete={() => onSet({ least: "", most: "" })}
        />
      )}
      {field && summary?.spreads.some((s) => s.field === field) && (
        <FormControlLabel
          control={<Checkbox size="small" checked={worst} />}
          onChange={(_, on) => onSet({ worst: on ? "1" : "" })}
          label="worst first"
        />
      )}
      {status === "changed" && run.kind === "delivery" && run.waits > 0 && (
        <FormControlLabel
          control={<Checkbox size="small" checked={later} />}
          onChange={(_, only) => onSet({ later: only ? "1" : "" })}
          label="only what waits for its day"
        />
      )}
      <Box sx={{ flex: 1 }} />
      {isOpen(run) && guard && (
        <Button color="inherit" onClick={() => onThrough({ of, what: "All lines that are shown." })}>
          Let all shown through
        </Button>
      )}
      {isOpen(run) && DECIDED.includes(status) && (
        <DecideShown of={of} label={status === "new" ? "" : label} deciding={deciding} />
      )}
    </Box>
  );
}

function AllInstead({ run }: { run: RunView }) {
  const choose = useInstead(run);
  return (
    <Button
      color="inherit"
      disabled={choose.isPending}
      onClick={() => choose.mutate({ all: !run.instead.all, fields: [] })}
    >
      {run.instead.all ? "Let all later values stay" : "Put all earlier values back"}
    </Button>
  );
}

interface AsideProps {
  summary: Schemas["ReviewSummary"] | undefined;
  status: string;
  chosen: Bounds;
  onChoose: (bounds: Bounds) => void;
}

function Aside({ summary, status, chosen, onChoose }: AsideProps) {
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
            Numbers that move
          </Typography>
          <Spread spreads={summary.spreads} chosen={chosen} onChoose={onChoose} />
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
