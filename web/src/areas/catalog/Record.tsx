/** A product's fields as the store keeps them, to be changed by hand, and what became of them. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { useCatalogTrace, type StoreField } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Failure } from "../../components/states";
import { TraceView } from "../../components/Trace";
import { ago, byHand, count, STATE } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { Dated } from "./Dated";
import { DeclinedBefore } from "./DeclinedBefore";
import { ValueHistory } from "./ValueHistory";
import { WriteState } from "./WriteState";
import { WriteValue } from "./WriteValue";

type Detail = Schemas["ProductDetail"];
type Entry = Detail["history"][number];

interface RecordProps {
  store: number;
  detail: Detail;
  fields: StoreField[];
}

/** The record, the field asked about, and the history. */
export function Record({ store, detail, fields }: RecordProps) {
  const { content, supplier } = detail.product;
  const [asked, setAsked] = useState<string | null>(null);
  const [all, setAll] = useState(false);
  const queries = useQueryClient();
  const undo = useUndo();
  const keep = useMutation({
    mutationFn: (body: Schemas["KeptField"]) =>
      take(api.PUT("/api/v1/stores/{store_id}/kept", { params: { path: { store_id: store } }, body })),
    onSuccess: (_, body) => {
      undo.did(body.keep ? "Kept by hand" : "Feeds may change it again", () =>
        keep.mutateAsync({ ...body, keep: !body.keep }),
      );
      return queries.invalidateQueries({ queryKey: ["catalog", store] });
    },
    onError: undo.failed,
  });
  const field = fields.find((f) => f.name === asked);
  const last = new Map(
    detail.history
      .filter((h) => h.undone_by === null)
      .flatMap((h) => h.changes.map((c): [string, Entry] => [c.field, h]))
      .reverse(),
  );
  const writer = asked === null ? undefined : last.get(asked);
  const brought = writer?.run_kind === "delivery";
  const traced = useCatalogTrace(store, detail.product.key, brought ? asked : null);
  return (
    <Box component="section" aria-label="Record">
      <Box sx={{ display: "flex", alignItems: "center", justifyContent: "space-between", mb: 1 }}>
        <Typography variant="h2">
          Record{" "}
          <Typography component="span" color="textSecondary">
            from {supplier}
          </Typography>
        </Typography>
        <WriteState store={store} product={detail.product} />
      </Box>
      {asked && (
        <Box
          component="section"
          aria-label="The field asked about"
          sx={{ mb: 1.5, p: 1.5, border: 1, borderColor: "divider" }}
        >
          <Typography variant="h2" gutterBottom>
            {field?.title || asked}
          </Typography>
          {field && field.role !== "key" && (
            <WriteValue
              key={`${asked} ${content[asked] ?? ""}`}
              store={store}
              product={detail.product.key}
              field={field}
              value={content[asked] ?? null}
            />
          )}
          <Button
            variant="outlined"
            color="inherit"
            sx={{ mb: 1 }}
            onClick={() =>
              keep.mutate({
                key: detail.product.key,
                field: asked,
                keep: !detail.product.kept.includes(asked),
              })
            }
          >
            {detail.product.kept.includes(asked)
              ? "Let feeds change it again"
              : "Keep it by hand: no feed may change it"}
          </Button>
          {writer && !brought && (
            <Typography color="textSecondary">
              {WROTE[writer.run_kind] ?? byHand(writer)}, in <Writer store={store} entry={writer} />,{" "}
              {ago(writer.at)}.
            </Typography>
          )}
          {traced.isError && <Failure error={traced.error} />}
          {traced.data && <TraceView traced={traced.data} />}
        </Box>
      )}
      <Box
        component="table"
        sx={{
          width: "100%",
          borderCollapse: "collapse",
          tableLayout: "fixed",
          "& td": {
            height: 25,
            borderBottom: 1,
            borderColor: "paper2.line",
            px: 0.75,
            overflow: "hidden",
            textOverflow: "ellipsis",
            whiteSpace: "nowrap",
          },
        }}
      >
        <tbody>
          {fields
            .filter((f) => content[f.name] || all)
            .map((f) => (
              <tr key={f.name}>
                <td style={{ width: 150 }}>
                  {f.title || f.name}
                  {detail.product.kept.includes(f.name) && <span className="quiet"> by hand</span>}
                </td>
                <td className="mono" title={content[f.name]}>
                  <button
                    type="button"
                    className="plain-button mono"
                    title={`Change ${f.title || f.name}, and where it comes from`}
                    onClick={() => setAsked(asked === f.name ? null : f.name)}
                  >
                    {content[f.name] ?? "—"}
                  </button>
                </td>
                <td style={{ width: 64, textAlign: "right" }}>
                  <Writer store={store} entry={last.get(f.name)} />
                </td>
              </tr>
            ))}
        </tbody>
      </Box>
      <Button color="inherit" size="small" sx={{ mt: 0.5 }} onClick={() => setAll(!all)}>
        {all
          ? "Hide empty fields"
          : `Show ${count(fields.filter((f) => !content[f.name]).length, "empty field", "empty fields")}`}
      </Button>
      {detail.dated.length > 0 && (
        <>
          <Typography variant="h2" sx={{ mt: 3 }} gutterBottom>
            Waiting for its day
          </Typography>
          <Dated store={store} lines={detail.dated} />
        </>
      )}
      <DeclinedBefore store={store} lines={detail.declined} />
      <ValueHistory
        store={store}
        detail={detail}
        fields={fields.filter((f) => f.kind === "money")}
        name="Prices"
      />
      <ValueHistory
        store={store}
        detail={detail}
        fields={fields.filter((f) => f.role === "stock")}
        name="Stock"
      />
      <Typography variant="h2" sx={{ mt: 3 }} gutterBottom>
        History
      </Typography>
      {!detail.history.length && (
        <Typography color="textSecondary">In the catalog from before the first run.</Typography>
      )}
      {detail.history.map((h, i) => (
        <Box key={i} sx={{ mb: 1.5, opacity: h.undone_by === null ? 1 : 0.6 }}>
          <Typography>
            <Mark state={h.kind === "new" ? "computed" : "changed"} says={h.kind} />{" "}
            <Link to={`/s/${store}/runs/${h.run_id}`}>Run {h.run_id}</Link>{" "}
            <Typography component="span" color="textSecondary">
              {h.kind === "new" ? "made it" : `changed ${count(h.changes.length, "field", "fields")}`},{" "}
              {ago(h.at)}
              {h.undone_by !== null && `, taken back by run ${h.undone_by}`}
            </Typography>
          </Typography>
          {h.kind !== "new" &&
            h.changes.slice(0, 8).map((c) => (
              <Typography key={c.field} variant="body2" noWrap sx={{ pl: 2.5 }}>
                <span style={{ color: "var(--mui-palette-text-secondary)" }}>
                  {c.field === STATE
                    ? "State"
                    : (fields.find((f) => f.name === c.field)?.title ?? c.field)}{" "}
                </span>
                <span className="mono">
                  {shown(c.field, c.before)} → <b>{shown(c.field, c.after)}</b>
                </span>
              </Typography>
            ))}
        </Box>
      ))}
    </Box>
  );
}

const WROTE: Record<string, string> = {
  undo: "Put back when another run was undone",
  restore: "Brought back from a snapshot",
  dated: "Its day had come",
};

function shown(field: string, value: string | null) {
  if (field === STATE) return value === "out" ? "taken out" : (value ?? "live");
  return value ?? "∅";
}

/** The run that wrote a value. */
function Writer({ store, entry }: { store: number; entry: Entry | undefined }) {
  return entry ? <Link to={`/s/${store}/runs/${entry.run_id}`}>run {entry.run_id}</Link> : null;
}
