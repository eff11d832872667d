/** One product of a changeset: every field that changes, and where each value comes from. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { isOpen } from "../../api/deciding";
import { useRunTrace, type RunView } from "../../api/hooks";
import { Notes } from "../../components/Notes";
import { Panel } from "../../components/Panel";
import { Failure, Nothing, Waiting } from "../../components/states";
import { isText, TextDiff } from "../../components/TextDiff";
import { TraceView } from "../../components/Trace";
import { onDay, signed } from "../../components/words";
import { Correct } from "./Correct";
import { isChosen, turned, useInstead } from "./instead";
import type { useDecide } from "./useDecide";

interface ChangedProductProps {
  run: RunView;
  status: string;
  product: string;
  deciding: ReturnType<typeof useDecide>;
  onClose: () => void;
}

/** Lines whose values can be corrected. */
const CORRECTED = ["new", "changed"];

/** Every change of one product. */
export function ChangedProduct({ run, status, product, deciding, onClose }: ChangedProductProps) {
  const found = useQuery({
    queryKey: ["review", run.id, "product", status, product],
    queryFn: () =>
      take(
        api.GET("/api/v1/runs/{run_id}/rows", {
          params: { path: { run_id: run.id }, query: { status, search: product, limit: 50 } },
        }),
      ),
  });
  const line = found.data?.rows.find((r) => r.key === product);
  return (
    <Panel
      title={line?.title || product}
      subtitle={[product, line?.status ?? status].filter(Boolean).join(", ")}
      label="The product's changes"
      width={400}
      onClose={onClose}
    >
      {found.isPending && <Waiting what="the product" />}
      {found.isError && <Failure error={found.error} />}
      {found.isSuccess && !line && <Nothing title="This product is not among these rows" />}
      {line?.reason && <Typography sx={{ mb: 1 }}>{line.reason}</Typography>}
      {line && <Changes run={run} line={line} product={product} deciding={deciding} />}
      {line && !line.changes.length && !line.reason && (
        <Typography color="textSecondary">Nothing of it changes.</Typography>
      )}
      {line && ["changed", "same", "gone", "stays", "taken out"].includes(line.status) && (
        <Button
          component={Link}
          to={`/s/${run.store_id}/catalog/${encodeURIComponent(product)}`}
          color="inherit"
          sx={{ mt: 1 }}
        >
          Open it in the catalog
        </Button>
      )}
      {line && <Notes store={run.store_id} product={product} run={run.id} />}
    </Panel>
  );
}

interface ChangesProps {
  run: RunView;
  line: Schemas["ReviewRow"];
  product: string;
  deciding: ReturnType<typeof useDecide>;
}

/** The fields that change, each corrected or decided by itself. */
export function Changes({ run, line, product, deciding }: ChangesProps) {
  const [correcting, setCorrecting] = useState("");
  return (
    <>
      {line.changes.map((c) => (
        <Box key={c.field} sx={{ display: "flex", alignItems: "flex-start", flexWrap: "wrap" }}>
          <Box sx={{ flex: 1, minWidth: 0, ...(c.declined && { opacity: 0.6 }) }}>
            <ChangedField run={run} product={product} change={c} status={line.status} />
          </Box>
          {isOpen(run) && CORRECTED.includes(line.status) && (
            <Button
              color="inherit"
              size="small"
              aria-label={`Correct ${c.label}`}
              aria-expanded={correcting === c.field}
              onClick={() => setCorrecting(correcting === c.field ? "" : c.field)}
            >
              Correct
            </Button>
          )}
          {isOpen(run) && line.status !== "new" && (
            <Button
              color="inherit"
              size="small"
              disabled={deciding.busy}
              aria-label={`${c.declined ? "Accept" : "Decline"} ${c.label}`}
              onClick={() =>
                deciding.decide(
                  {
                    verdict: c.declined ? "accept" : "decline",
                    of: { keys: [product] },
                    field: c.field,
                  },
                  `${c.declined ? "Accepted" : "Declined"} ${c.label} of ${product}`,
                )
              }
            >
              {c.declined ? "Accept" : "Decline"}
            </Button>
          )}
          {correcting === c.field && (
            <Correct
              run={run}
              product={product}
              field={c.field}
              label={c.label}
              value={c.after}
              deciding={deciding}
              onDone={() => setCorrecting("")}
            />
          )}
        </Box>
      ))}
    </>
  );
}

interface ChangedFieldProps {
  run: RunView;
  product: string;
  change: Schemas["ReviewRow"]["changes"][number];
  /** Of what *stays*, a later run wrote the value; of what is *gone*, no row says where it is from. */
  status: string;
}

function ChangedField({ run, product, change, status }: ChangedFieldProps) {
  const stays = status === "stays";
  const [open, setOpen] = useState(false);
  const traced = useRunTrace(run.id, product, open ? change.field : null);
  if (run.kind !== "delivery" || status === "gone")
    return (
      <Box sx={{ borderBottom: 1, borderColor: "paper2.line", py: 0.5 }}>
        {stays ? (
          <>
            <Typography variant="caption" color="textSecondary" component="div">
              {change.label}
            </Typography>
            <b className="mono">{change.before ?? "∅"}</b>
            <span className="mono quiet"> stays instead of {change.after ?? "∅"}</span>
          </>
        ) : (
          <BothValues change={change} />
        )}
        {run.kind === "undo" && run.status === "prepared" && (
          <Choice run={run} product={product} change={change} status={status} />
        )}
      </Box>
    );
  return (
    <Box sx={{ borderBottom: 1, borderColor: "paper2.line", py: 0.5 }}>
      <button
        type="button"
        className="plain-button"
        aria-expanded={open}
        title={`Where ${change.label} comes from`}
        onClick={() => setOpen(!open)}
        style={{ display: "block", width: "100%", textAlign: "left" }}
      >
        <BothValues change={change} />
      </button>
      {open && (
        <Box sx={{ pl: 1, pt: 0.5 }}>
          {traced.isPending && <Waiting what="where it comes from" />}
          {traced.isError && <Failure error={traced.error} />}
          {traced.data && <TraceView traced={traced.data} />}
        </Box>
      )}
    </Box>
  );
}

/** The other of two values that a field can have after an undo. */
function Choice({ run, product, change, status }: ChangedFieldProps) {
  const stays = status === "stays";
  const choose = useInstead(run);
  if (!stays && !isChosen(run.instead, product, change.field)) return null;
  return (
    <Button
      color="inherit"
      size="small"
      disabled={choose.isPending}
      onClick={() => choose.mutate(turned(run.instead, product, change.field))}
      sx={{ display: "block", px: 0.5 }}
    >
      {stays ? `Put ${change.after ?? "nothing"} back` : `Let ${change.before ?? "nothing"} stay`}
    </Button>
  );
}

/** What a field holds, and what it gets. */
function BothValues({ change }: { change: ChangedFieldProps["change"] }) {
  return (
    <>
      <Typography variant="caption" color="textSecondary" component="div">
        {change.label} {change.percent && signed(change.percent)}
      </Typography>
      {isText(change.before, change.after) ? (
        <TextDiff before={change.before ?? ""} after={change.after ?? ""} />
      ) : (
        <span className="mono" style={{ overflowWrap: "anywhere" }}>
          {change.before !== null && <span className="quiet">{change.before} → </span>}
          <b>{change.after ?? "∅"}</b>
        </span>
      )}
      {change.corrected && <span className="quiet"> corrected by hand</span>}
      {change.declined && <span className="quiet"> declined; it stays</span>}
      {change.day && <span className="quiet"> from {onDay(change.day)}; until then it stays</span>}
    </>
  );
}
