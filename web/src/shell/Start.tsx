/** The bare address leads to the first store. */
import { Navigate } from "react-router";
import { Failure, Nothing, Waiting } from "../components/states";
import { useStores } from "../api/hooks";

export function Start() {
  const stores = useStores();
  if (stores.isPending) return <Waiting what="your stores" />;
  if (stores.isError) return <Failure error={stores.error} retry={() => void stores.refetch()} />;
  const first = stores.data.stores[0];
  if (!first) return <Nothing title="No store yet">Load the demo with: make start</Nothing>;
  return <Navigate to={`/s/${first.id}/arrivals`} replace />;
}
