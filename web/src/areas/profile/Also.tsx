/** What else belongs to a feed, in sentences: its guards, and who is told. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { useGuards } from "../../api/guards";
import { useTold } from "../../api/messages";
import { useStoreId } from "../../shell/Shell";
import { saidOfTold } from "../messages/WhoIsTold";

export function Also({ feed }: { feed: number }) {
  const store = useStoreId();
  const guards = useGuards(feed).data;
  const told = useTold(store).data;
  const on = guards?.guards.filter((guard) => guard.on) ?? [];
  const kinds = new Set(on.map(({ kind }) => kind));
  const held = guards?.sorts.filter(({ kind, holds }) => holds === "run" && kinds.has(kind));
  return (
    <Box>
      {guards && (
        <Typography>
          {on.length} of its {guards.guards.length} guards are on, as{" "}
          <Link to={`/s/${store}/feeds/${feed}/guards`}>they are set</Link>
          {held?.length ? `; a whole run is held by ${held.map(({ name }) => name).join(", ")}` : ""}.
        </Typography>
      )}
      {told && (
        <Typography sx={{ overflowWrap: "anywhere" }}>
          <Link to={`/s/${store}/messages`}>Told</Link> of what happens to feeds of this store:{" "}
          {saidOfTold(told)}
        </Typography>
      )}
    </Box>
  );
}
