/** The lines that are shown, product by product: as a shop page beside what changes of it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { Link } from "react-router";
import { api, take } from "../../api/client";
import { isOpen } from "../../api/deciding";
import { useSchema, type RunView, type StoreField } from "../../api/hooks";
import { Mark, STATUS_STATE } from "../../components/Mark";
import { ShopView } from "../../components/ShopView";
import { Failure, Nothing, Waiting } from "../../components/states";
import { pictureAddress } from "../../components/words";
import { Changes } from "./ChangedProduct";
import type { Through } from "./Findings";
import type { Line } from "./LineView";
import { asked, type Shown } from "./shown";
import type { useDecide } from "./useDecide";

interface StepThroughProps {
  run: RunView;
  shown: Shown;
  /** Which of the lines, from 0 on. */
  at: number;
  deciding: ReturnType<typeof useDecide>;
  onStep: (at: number) => void;
  onBack: () => void;
  onThrough: (through: Through) => void;
}

const lineAt = (run: RunView, shown: Shown, at: number) => ({
  queryKey: ["review", run.id, shown, "step", at],
  queryFn: () =>
    take(
      api.GET("/api/v1/runs/{run_id}/rows", {
        params: {
          path: { run_id: run.id },
          query: { ...asked(shown), worst: shown.worst, offset: at, limit: 1 },
        },
      }),
    ),
});

/** One line at a time; arrow keys go on, `d` and `a` decide. */
export function StepThrough({ run, shown, at, deciding, onStep, onBack, onThrough }: StepThroughProps) {
  const queries = useQueryClient();
  const place = useRef<HTMLDivElement>(null);
  const page = useQuery({ ...lineAt(run, shown, at), placeholderData: keepPreviousData });
  const total = page.data?.total ?? 0;
  const line = page.data?.rows[0];
  useEffect(() => {
    if (at + 1 < total) void queries.prefetchQuery(lineAt(run, shown, at + 1));
  }, [queries, run, shown, at, total]);
  useEffect(() => place.current?.focus(), []);
  const open = isOpen(run) && line?.key && line.changes.length > 0;
  const decide = (verdict: "accept" | "decline") => {
    if (!open || !line.key) return;
    if (verdict === "accept" && line.held)
      onThrough({ of: { keys: [line.key] }, what: `${line.key} ${line.title ?? ""}` });
    else {
      const said = verdict === "decline" ? "Declined" : "Accepted";
      deciding.decide({ verdict, of: { keys: [line.key] }, field: "" }, `${said} ${line.key}`);
    }
  };
  const byKey = (event: KeyboardEvent) => {
    const typing =
      event.target instanceof HTMLElement && event.target.closest("input, textarea, [role=combobox]");
    if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "ArrowRight" && at + 1 < total) onStep(at + 1);
    else if (event.key === "ArrowLeft" && at > 0) onStep(at - 1);
    else if (event.key === "d") decide("decline");
    else if (event.key === "a") decide("accept");
    else if (event.key === "Escape") onBack();
    else return;
    event.preventDefault();
  };
  return (
    <Box
      ref={place}
      tabIndex={-1}
      onKeyDown={byKey}
      aria-keyshortcuts="ArrowRight ArrowLeft d a Escape"
      sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column", outline: "none" }}
    >
      <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.5, py: 0.75 }}>
        <Button color="inherit" onClick={onBack}>
          ← All lines
        </Button>
        <Button color="inherit" disabled={at === 0} onClick={() => onStep(at - 1)}>
          Previous
        </Button>
        <Typography aria-live="polite" color="textSecondary">
          {total > 0 && `${(at + 1).toLocaleString("en")} of ${total.toLocaleString("en")}`}
        </Typography>
        <Button color="inherit" disabled={at + 1 >= total} onClick={() => onStep(at + 1)}>
          Next
        </Button>
        <Box sx={{ flex: 1 }} />
        {open && (
          <>
            <Button color="inherit" disabled={deciding.busy} onClick={() => decide("decline")}>
              Decline
            </Button>
            <Button color="inherit" disabled={deciding.busy} onClick={() => decide("accept")}>
              {line.held ? "Let through" : "Accept"}
            </Button>
          </>
        )}
      </Box>
      {page.isPending && <Waiting what="the line" />}
      {page.isError && <Failure error={page.error} retry={() => void page.refetch()} />}
      {page.isSuccess && !line && (
        <Nothing title="There is no such line">Nothing more fits this filter.</Nothing>
      )}
      {line && <OneLine key={`${line.row} ${line.key}`} run={run} line={line} deciding={deciding} />}
    </Box>
  );
}

interface OneLineProps {
  run: RunView;
  line: Line;
  deciding: StepThroughProps["deciding"];
}

function OneLine({ run, line, deciding }: OneLineProps) {
  const [when, setWhen] = useState<"then" | "now">("then");
  const schema = useSchema(run.store_id);
  const there = line.status !== "new" && line.key !== null;
  const product = useQuery({
    queryKey: ["catalog", run.store_id, "product", line.key],
    enabled: there,
    retry: false,
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/products/{key}", {
          params: { path: { store_id: run.store_id, key: line.key ?? "" } },
        }),
      ),
  });
  if (schema.isPending || (there && product.isPending)) return <Waiting what="the product" />;
  if (schema.isError) return <Failure error={schema.error} />;
  const fields = schema.data.product_schema.fields;
  const now = product.data?.product.content ?? {};
  const then = written(now, line);
  const content = when === "then" ? then : now;
  const title = fields.find((f) => f.role === "title");
  const untouched = fields.filter(
    (f) => now[f.name] && !line.changes.some((change) => change.field === f.name),
  );
  return (
    <Box
      sx={{
        flex: 1,
        minHeight: 0,
        overflowY: "auto",
        display: "grid",
        gridTemplateColumns: "minmax(380px, 1fr) minmax(420px, 1fr)",
        gap: 4,
        px: 2.5,
        pb: 2.5,
      }}
    >
      <Box sx={{ minWidth: 0 }}>
        {there && (
          <ToggleButtonGroup
            exclusive
            size="small"
            value={when}
            aria-label="Which state is shown"
            onChange={(_, to: typeof when | null) => setWhen(to ?? when)}
            sx={{ mb: 1, "& button": { py: 0.25, px: 1 } }}
          >
            <ToggleButton value="then">as it will be</ToggleButton>
            <ToggleButton value="now">as it is</ToggleButton>
          </ToggleButtonGroup>
        )}
        <ShopView
          key={when}
          title={(title && content[title.name]) || line.title || line.key || ""}
          content={content}
          fields={fields}
          heading="h2"
        />
      </Box>
      <Box component="section" aria-label="What changes" sx={{ minWidth: 0 }}>
        <Typography>
          <Mark
            state={line.held ? "question" : (STATUS_STATE[line.status] ?? "computed")}
            says={line.held ? "held by a guard" : line.status}
          />{" "}
          <b className="mono">{line.key ?? "no key"}</b>{" "}
          <Typography component="span" color="textSecondary">
            {line.held ? `${line.status}, held by a guard` : line.status}
            {line.row && `, row ${line.row}`}
          </Typography>
        </Typography>
        {line.reason && <Typography sx={{ my: 1 }}>{line.reason}</Typography>}
        <Pictures line={line} fields={fields} />
        {line.key && <Changes run={run} line={line} product={line.key} deciding={deciding} />}
        {untouched.length > 0 && (
          <Box component="dl" aria-label="What stays" sx={STAYS}>
            {untouched.map((f) => (
              <Box key={f.name} sx={{ display: "contents" }}>
                <dt>{f.title || f.name}</dt>
                <dd className="mono">{now[f.name]}</dd>
              </Box>
            ))}
          </Box>
        )}
        {there && (
          <Button
            component={Link}
            to={`/s/${run.store_id}/catalog/${encodeURIComponent(line.key ?? "")}`}
            color="inherit"
          >
            Open it in the catalog
          </Button>
        )}
      </Box>
    </Box>
  );
}

const STAYS = {
  display: "grid",
  gridTemplateColumns: "150px 1fr",
  rowGap: 0.25,
  mt: 2,
  color: "text.secondary",
  "& dd": { m: 0, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" },
} as const;

/** What a product holds once its line is written: without what is declined, or waits for its day. */
function written(content: Record<string, string>, line: Line): Record<string, string> {
  const then = { ...content };
  for (const { field, after, declined, day } of line.changes) {
    // Of what stays, the changes name what an undo leaves alone.
    if (declined || day || line.status === "stays") continue;
    if (after === null) delete then[field];
    else then[field] = after;
  }
  return then;
}

/** Pictures that change, the old one beside the new one. */
function Pictures({ line, fields }: { line: Line; fields: StoreField[] }) {
  const roles = fields.filter((f) => f.role === "picture" || f.role === "pictures").map((f) => f.name);
  const changed = line.changes.filter((change) => roles.includes(change.field) && change.before !== null);
  if (!changed.length) return null;
  const several = (value: string | null) =>
    (value ?? "").split(" | ").flatMap((link) => pictureAddress(link) ?? []);
  return changed.map((change) => (
    <Box key={change.field} sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1, my: 1 }}>
      {(["before", "after"] as const).map((side) => (
        <Box key={side}>
          <Typography variant="caption" color="textSecondary">
            {change.label}, {side === "before" ? "as it is" : "as it will be"}
          </Typography>
          <Box sx={{ display: "flex", flexWrap: "wrap", gap: 0.5 }}>
            {several(change[side] ?? null).map((address) => (
              <img
                key={address}
                src={address}
                alt={`${change.label} ${side === "before" ? "as it is" : "as it will be"}`}
                style={{ maxWidth: "100%", height: 110, background: "#f4f1ea", borderRadius: 4 }}
              />
            ))}
          </Box>
        </Box>
      ))}
    </Box>
  ));
}
