/** What was removed from this store, and stores that were; each can be brought back. */
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { bringBack, useStoreEdit } from "../../api/storeEdits";

/** Feeds and deliveries of the store, and other stores, that are out of sight. */
export function Removed({ store }: { store: number }) {
  const own = useQuery({
    queryKey: ["removed", store],
    queryFn: () =>
      take(api.GET("/api/v1/stores/{store_id}/removed", { params: { path: { store_id: store } } })),
  });
  const stores = useQuery({
    queryKey: ["removed"],
    queryFn: () => take(api.GET("/api/v1/stores/removed")),
  });
  if (own.isPending || stores.isPending) return <Waiting what="what was removed" />;
  if (own.isError) return <Failure error={own.error} retry={() => void own.refetch()} />;
  const all = [...own.data.removed, ...(stores.data?.removed ?? [])];
  return (
    <>
      <Typography variant="h1" gutterBottom>
        Removed
      </Typography>
      {all.length === 0 ? (
        <Nothing title="Nothing was removed">
          Feeds, deliveries and stores that you remove are kept here, and can be brought back.
        </Nothing>
      ) : (
        <RemovedTable lines={all} />
      )}
    </>
  );
}

/** The lines themselves, each with what brings it back. */
export function RemovedTable({ lines }: { lines: Schemas["Removed"][] }) {
  const undo = useUndo();
  const edit = useStoreEdit((one: Schemas["Removed"]) => bringBack(one.kind, one.id));
  return (
    <Table size="small" aria-label="Removed">
      <TableHead>
        <TableRow>
          <TableCell>What</TableCell>
          <TableCell>Name</TableCell>
          <TableCell>When</TableCell>
          <TableCell />
        </TableRow>
      </TableHead>
      <TableBody>
        {lines.map((one) => (
          <TableRow key={`${one.kind} ${one.id}`}>
            <TableCell>{one.kind}</TableCell>
            <TableCell>{one.name}</TableCell>
            <TableCell title={one.removed_at}>{ago(one.removed_at)}</TableCell>
            <TableCell align="right">
              <Button
                color="inherit"
                disabled={edit.isPending}
                onClick={() =>
                  edit.mutate(one, {
                    onSuccess: () => undo.did(`${one.name} is back`),
                    onError: undo.failed,
                  })
                }
              >
                Bring back
              </Button>
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
