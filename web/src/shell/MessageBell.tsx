/** How many messages nobody has seen, and the way to them. */
import NotificationsNone from "@mui/icons-material/NotificationsNone";
import Badge from "@mui/material/Badge";
import IconButton from "@mui/material/IconButton";
import { Link } from "react-router";
import { useMessages } from "../api/messages";
import { count } from "../components/words";

export function MessageBell({ store }: { store: number }) {
  const unseen = useMessages(store).data?.unseen ?? 0;
  const says = unseen ? count(unseen, "message is new", "messages are new") : "Messages: none is new";
  return (
    <IconButton size="small" component={Link} to={`/s/${store}/messages`} aria-label={says} title={says}>
      <Badge badgeContent={unseen || null} color="warning" max={99}>
        <NotificationsNone fontSize="small" />
      </Badge>
    </IconButton>
  );
}
