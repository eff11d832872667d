/** The bare address leads to the first store; where there is none, one is made or brought back. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Navigate } from "react-router";
import { api, take } from "../api/client";
import { useStores } from "../api/hooks";
import { NewStore } from "../areas/store/NewStore";
import { RemovedTable } from "../areas/store/Removed";
import { Failure, Waiting } from "../components/states";
import { UndoProvider } from "./undo";

/** What stands at the bare address. */
export function Start() {
  const stores = useStores();
  if (stores.isPending) return <Waiting what="your stores" />;
  if (stores.isError) return <Failure error={stores.error} retry={() => void stores.refetch()} />;
  const first = stores.data.stores[0];
  if (first) return <Navigate to={`/s/${first.id}/arrivals`} replace />;
  return (
    <UndoProvider>
      <NoStore />
    </UndoProvider>
  );
}

function NoStore() {
  const removed = useQuery({
    queryKey: ["removed"],
    queryFn: () => take(api.GET("/api/v1/stores/removed")),
  });
  const gone = removed.data?.removed ?? [];
  return (
    <Box component="main" sx={{ maxWidth: 760, mx: "auto", p: 4 }}>
      <Typography variant="h1" gutterBottom>
        No store yet
      </Typography>
      <Typography color="textSecondary">
        Make one from its product schema or its blank import template.
        {gone.length > 0 && " Or bring back one that was removed."}
      </Typography>
      <NewStore />
      {gone.length > 0 && (
        <Box sx={{ mt: 3 }}>
          <RemovedTable lines={gone} />
        </Box>
      )}
    </Box>
  );
}
