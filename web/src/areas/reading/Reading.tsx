/** How the bytes become rows: the file as it is beside the table it becomes, every choice shown
 *  with its reason and changeable at once. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { api, take } from "../../api/client";
import {
  useDelivery,
  useDetection,
  usePreview,
  useRaw,
  type DeliveryView,
  type Reading,
} from "../../api/hooks";
import { useReread } from "../../api/unusual";
import { Failure, Nothing, Waiting } from "../../components/states";
import { bytes, count } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { Choices } from "./Choices";
import { ProfilePanel } from "./ColumnProfile";
import { Companions } from "./Companions";
import { Password } from "./Password";
import { Noticed } from "./Noticed";
import { PreviewTable } from "./PreviewTable";
import { RawView } from "./RawView";
import { ReadTable } from "./ReadTable";
import { Reshape } from "./Reshape";
import { Progress } from "../../components/Progress";

const DEFAULT: Reading = {
  format: "delimited",
  encoding: "utf-8",
  delimiter: ",",
  quote: '"',
  header_row: 1,
  decimal: ".",
};

/** How a delivery is read, and the table that it becomes. */
export function ReadingPlace() {
  const { delivery, line } = useFeed();
  const id = delivery ?? line.deliveries[0]?.id;
  const found = useDelivery(id);
  if (id === undefined)
    return <Nothing title="Nothing to read yet">Drop a file on this feed in Arrivals.</Nothing>;
  if (found.isPending) return <Waiting what="the delivery" />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  return <OneReading key={id} view={found.data} />;
}

function OneReading({ view }: { view: DeliveryView }) {
  const store = useStoreId();
  const { feed } = useFeed();
  const undo = useUndo();
  const again = useReread(feed, view.id);
  const [part, setPart] = useState("");
  const [column, setColumn] = useState<string | null>(null);
  const failed = view.status === "unreadable" || view.status === "stopped";
  const detected = useDetection(view.id, "", failed && !view.reading);
  const saved = view.reading ?? detected.data?.reading ?? DEFAULT;
  // A choice shows at once; the server's answer follows.
  const reading = again.isPending ? again.variables : saved;
  const raw = useRaw(view.id, part, JSON.stringify([reading.files, "sheets" in reading && reading.sheets]));
  const change = (next: Reading, label: string) => {
    again.mutate(next, {
      onSuccess: () => undo.did(label, () => again.mutateAsync(saved)),
      onError: undo.failed,
    });
  };
  const profile = view.profile.find((c) => c.name === column);
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Box
        tabIndex={0}
        sx={{ width: 300, flex: "none", borderRight: 1, borderColor: "divider", overflowY: "auto", p: 1.5 }}
        component="section"
        aria-label="How the file is read"
      >
        <Typography variant="h2">How it is read</Typography>
        <Noticed problems={view.problems} />
        <Choices view={view} reading={reading} onChange={change} />
        <Reshape view={view} reading={reading} onChange={change} />
        <Companions store={store} view={view} reading={reading} onChange={change} />
        <Typography variant="caption" color="textSecondary" component="p" sx={{ mt: 1 }}>
          Cells stay text as they are: no zero is lost and no date is changed. What you choose here is kept
          for the next delivery of this feed.
        </Typography>
        <Detected view={view} onUse={change} />
      </Box>
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Box sx={{ height: 3 }}>{again.isPending && <Progress of="Reading again" />}</Box>
        <Caption text={`The file as it is: ${raw.data?.file || view.file_name}, ${bytes(view.size)}`} />
        <Box sx={{ flex: "0 0 36%", minHeight: 0, display: "flex" }}>
          {raw.data && <RawView raw={raw.data} reading={reading} part={part} onPart={setPart} />}
          {raw.isError && <Failure error={raw.error} />}
        </Box>
        <Incomplete view={view} />
        <Caption text={becomes(view)}>
          {!failed && view.status !== "reading" && <Download id={view.id} />}
        </Caption>
        {failed && (
          <Box tabIndex={0} sx={{ overflowY: "auto" }}>
            <Failure error={new Error(view.error)} />
            {view.error.toLowerCase().includes("password") && <Password feed={feed} view={view} />}
          </Box>
        )}
        {view.status === "reading" && <UnderWay view={view} reading={reading} />}
        {!failed && view.status !== "reading" && (
          <ReadTable view={view} lit={column} onColumn={(name) => setColumn(name === column ? null : name)} />
        )}
      </Box>
      {profile && <ProfilePanel profile={profile} onClose={() => setColumn(null)} />}
    </Box>
  );
}

function becomes(view: DeliveryView): string {
  if (view.status === "reading") return "The head of the table it becomes";
  if (view.status === "unreadable" || view.status === "stopped") return "It does not become a table";
  const size = `${count(view.rows, "row", "rows")}, ${count(view.columns.length, "column", "columns")}`;
  return `The table it becomes: ${size}, all text`;
}

/** While a worker reads the whole file, its head is shown. */
function UnderWay({ view, reading }: { view: DeliveryView; reading: Reading }) {
  const preview = usePreview(view.id, reading);
  const queries = useQueryClient();
  const stop = useMutation({
    mutationFn: () =>
      take(api.POST("/api/v1/deliveries/{delivery_id}/stop", { params: { path: { delivery_id: view.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["delivery", view.id] }),
  });
  return (
    <>
      <Progress of="Reading all of it" />
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, px: 1.25, py: 0.5 }}>
        <Typography color="textSecondary">Reading all of it … {view.stage}</Typography>
        <Button size="small" color="inherit" onClick={() => stop.mutate()} disabled={stop.isPending}>
          Stop
        </Button>
      </Box>
      {preview.isError && <Failure error={preview.error} />}
      {preview.data && <PreviewTable preview={preview.data} />}
    </>
  );
}

/** A file that broke off goes on only when a person says so. */
function Incomplete({ view }: { view: DeliveryView }) {
  const queries = useQueryClient();
  const accept = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/deliveries/{delivery_id}/accept", { params: { path: { delivery_id: view.id } } }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["delivery", view.id] }),
  });
  if (view.complete || view.status !== "waiting") return null;
  return (
    <Alert
      severity="warning"
      sx={{ borderRadius: 0, py: 0 }}
      action={
        !view.accepted && (
          <Button color="inherit" onClick={() => accept.mutate()}>
            Use what is here
          </Button>
        )
      }
    >
      {view.accepted
        ? "The file broke off; you said that what is here may be used."
        : "The file broke off. What came before can be looked at; it goes no further until you say so."}
    </Alert>
  );
}

function Detected({ view, onUse }: { view: DeliveryView; onUse: (reading: Reading, label: string) => void }) {
  const [wanted, setWanted] = useState(false);
  const found = useDetection(view.id, "", wanted);
  if (!wanted)
    return (
      <Button size="small" color="inherit" onClick={() => setWanted(true)}>
        Compare with what is detected
      </Button>
    );
  if (found.isPending) return <Typography variant="body2">Looking …</Typography>;
  if (found.isError) return <Failure error={found.error} />;
  const same = JSON.stringify(found.data.reading) === JSON.stringify(view.reading);
  if (same) return <Typography variant="body2">It is read as detected.</Typography>;
  return (
    <Button
      size="small"
      variant="outlined"
      color="inherit"
      onClick={() => onUse(found.data.reading, "Read as detected")}
    >
      Read it as detected
    </Button>
  );
}

function Caption({ text, children }: { text: string; children?: ReactNode }) {
  return (
    <Box
      sx={{ display: "flex", alignItems: "center", borderBottom: 1, borderTop: 1, borderColor: "divider" }}
    >
      <Typography variant="h3" color="textSecondary" sx={{ px: 1.25, py: 0.6, flex: 1 }}>
        {text}
      </Typography>
      {children}
    </Box>
  );
}

/** The table as read, companions joined, for a spreadsheet or another program. */
function Download({ id }: { id: number }) {
  return (
    <Box sx={{ flex: "none", pr: 1 }}>
      {["csv", "xlsx", "jsonl", "parquet"].map((kind) => (
        <Button
          key={kind}
          component="a"
          color="inherit"
          href={`/api/v1/deliveries/${id}/table?format=${kind}`}
          aria-label={`Download the table as ${kind.toUpperCase()}`}
          sx={{ minWidth: 0, py: 0 }}
        >
          {kind.toUpperCase()}
        </Button>
      ))}
    </Box>
  );
}
