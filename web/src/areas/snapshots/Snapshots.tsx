/** The whole catalog as it was: taken, kept as files, brought back by a run that is seen first. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, sendFile, take, type Schemas } from "../../api/client";
import { useSnapshots } from "../../api/hooks";
import { Confirm } from "../../components/Confirm";
import { FileButton } from "../../components/FileButton";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";

type Snapshot = Schemas["SnapshotView"];

/** The snapshots of a store, newest first. */
export function Snapshots() {
  const store = useStoreId();
  const queries = useQueryClient();
  const undo = useUndo();
  const found = useSnapshots(store);
  const changed = () => queries.invalidateQueries({ queryKey: ["snapshots", store] });
  const takeOne = useMutation({
    mutationFn: () =>
      take(api.POST("/api/v1/stores/{store_id}/snapshots", { params: { path: { store_id: store } } })),
    onSuccess: changed,
    onError: undo.failed,
  });
  const bring = useMutation({
    mutationFn: (file: File) =>
      sendFile<Snapshot>(`/api/v1/stores/${store}/snapshots/file`, { file }, () => undefined),
    onSuccess: changed,
  });
  if (found.isPending) return <Waiting what="snapshots" />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  return (
    <Box sx={{ overflow: "auto", p: 2.5, maxWidth: 1180, width: "100%", mx: "auto" }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 0.5 }}>
        <Typography variant="h1">Snapshots</Typography>
        <Box sx={{ flex: 1 }} />
        <FileButton
          label="Bring a file"
          name="Snapshot file"
          busy={bring.isPending}
          onFile={(file) => bring.mutate(file)}
        />
        <Button variant="contained" disabled={takeOne.isPending} onClick={() => takeOne.mutate()}>
          Take a snapshot
        </Button>
      </Box>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        The whole catalog of one moment, as a file. Restoring one is a run: you see what it would change
        before it does, and can undo it. <Link to={`/s/${store}/catalog`}>The catalog now</Link>
      </Typography>
      {bring.isError && <Failure error={bring.error} />}
      {found.data.snapshots.length ? (
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Taken</TableCell>
              <TableCell>Why</TableCell>
              <TableCell align="right">Products</TableCell>
              <TableCell />
            </TableRow>
          </TableHead>
          <TableBody>
            {found.data.snapshots.map((one) => (
              <SnapshotRow key={one.id} store={store} snapshot={one} />
            ))}
          </TableBody>
        </Table>
      ) : (
        <Nothing title="No snapshot yet">
          Take one before a change you are not sure of, or let a run take one first.
        </Nothing>
      )}
    </Box>
  );
}

function SnapshotRow({ store, snapshot }: { store: number; snapshot: Snapshot }) {
  const undo = useUndo();
  const navigate = useNavigate();
  const [asked, setAsked] = useState(false);
  const params = { path: { snapshot_id: snapshot.id } };
  const restore = useMutation({
    mutationFn: () => take(api.POST("/api/v1/snapshots/{snapshot_id}/restore", { params })),
    onSuccess: (run) => navigate(`/s/${store}/runs/${run.id}`),
    onError: undo.failed,
  });
  const ready = snapshot.status === "ready";
  const why = snapshot.because || "by hand";
  return (
    <TableRow hover>
      <TableCell title={snapshot.taken_at}>
        {new Date(snapshot.taken_at).toLocaleString("en", { dateStyle: "medium", timeStyle: "short" })}{" "}
        <span className="quiet">{ago(snapshot.taken_at)}</span>
      </TableCell>
      <TableCell>
        {snapshot.run_id === null ? why : <Link to={`/s/${store}/runs/${snapshot.run_id}`}>{why}</Link>}
        {snapshot.author && <span className="quiet"> {snapshot.author}</span>}
      </TableCell>
      <TableCell align="right" className="mono">
        {ready && snapshot.products.toLocaleString("en")}
        {snapshot.status === "queued" && "being taken …"}
        {snapshot.status === "failed" && <span title={snapshot.error}>failed: {snapshot.error}</span>}
      </TableCell>
      <TableCell align="right" sx={{ whiteSpace: "nowrap" }}>
        {ready && (
          <>
            <Button disabled={restore.isPending} onClick={() => restore.mutate()}>
              Restore …
            </Button>
            <Button color="inherit" component="a" href={`/api/v1/snapshots/${snapshot.id}/file`}>
              Download
            </Button>
          </>
        )}
        {snapshot.status !== "queued" && (
          <Button color="inherit" onClick={() => setAsked(true)}>
            Remove
          </Button>
        )}
        {asked && <Removing store={store} snapshot={snapshot} onClose={() => setAsked(false)} />}
      </TableCell>
    </TableRow>
  );
}

interface RemovingProps {
  store: number;
  snapshot: Snapshot;
  onClose: () => void;
}

function Removing({ store, snapshot, onClose }: RemovingProps) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () =>
      take(api.DELETE("/api/v1/snapshots/{snapshot_id}", { params: { path: { snapshot_id: snapshot.id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["snapshots", store] }),
  });
  return (
    <Confirm
      title="Remove this snapshot?"
      action="Remove the snapshot"
      busy={remove.isPending}
      error={remove.error}
      onClose={onClose}
      onYes={() => remove.mutate(undefined, { onSuccess: onClose })}
    >
      <Typography>
        Its file is deleted, and this cannot be undone. Download it first, if you may want to bring it back.
        The catalog is not touched.
      </Typography>
    </Confirm>
  );
}
