/** What there is to know of feeds that run by themselves, and who is told of it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { useMessages, useSeen, type MessageLine } from "../../api/messages";
import { Mark, type ValueState } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { WhoIsTold } from "./WhoIsTold";

export function MessagesPlace() {
  const store = useStoreId();
  const messages = useMessages(store);
  const seen = useSeen(store);
  if (messages.isError) return <Failure error={messages.error} retry={() => void messages.refetch()} />;
  if (!messages.data) return <Waiting what="messages" />;
  return (
    <Box sx={{ overflow: "auto", p: 2.5, maxWidth: 1000, width: "100%", mx: "auto" }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "center", mb: 1 }}>
        <Typography variant="h1">Messages</Typography>
        <Typography color="textSecondary">
          {messages.data.unseen ? `${messages.data.unseen} new` : "none is new"}
        </Typography>
        <Box sx={{ flex: 1 }} />
        {messages.data.unseen > 0 && (
          <Button variant="outlined" onClick={() => seen.mutate(null)} disabled={seen.isPending}>
            I have seen them all
          </Button>
        )}
      </Box>
      {!messages.data.messages.length && (
        <Nothing title="No messages">
          You are told here when a delivery could not be fetched, read, prepared or applied, when one is held
          or asks something, when nothing new has come for too long, and when it works again.
        </Nothing>
      )}
      <Box component="ul" aria-label="Messages" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {messages.data.messages.map((one) => (
          <Line key={one.id} store={store} one={one} onSeen={() => seen.mutate([one.id])} />
        ))}
      </Box>
      <WhoIsTold store={store} />
    </Box>
  );
}

const STATES: Record<MessageLine["kind"], [ValueState, string]> = {
  failed: ["refused", "failed"],
  held: ["question", "held"],
  question: ["question", "a question"],
  silent: ["question", "nothing new"],
  recovered: ["computed", "works again"],
};

function Line({ store, one, onSeen }: { store: number; one: MessageLine; onSeen: () => void }) {
  const [state, says] = STATES[one.kind];
  return (
    <Box
      component="li"
      sx={{
        display: "grid",
        gridTemplateColumns: "20px minmax(0, 1fr) 120px",
        columnGap: 1,
        py: 0.75,
        alignItems: "baseline",
        borderBottom: 1,
        borderColor: "divider",
        opacity: one.over && one.seen ? 0.65 : 1,
      }}
    >
      <Mark state={state} says={says} />
      <Box sx={{ minWidth: 0 }}>
        <Typography sx={{ fontWeight: one.seen ? 400 : 600 }}>
          <Link to={`/s/${store}/${one.place}`} onClick={() => !one.seen && onSeen()}>
            {one.feed}
          </Link>{" "}
          <Typography component="span" color="textSecondary">
            {says}
            {one.over && one.kind !== "recovered" ? ", and over" : ""}
            {one.times > 1 ? `, ${one.times} times` : ""}
          </Typography>
        </Typography>
        <Typography variant="body2" sx={{ overflowWrap: "anywhere" }}>
          {one.said}
        </Typography>
        {one.remedy && (
          <Typography variant="caption" color="textSecondary">
            {one.remedy}
          </Typography>
        )}
      </Box>
      <Typography variant="body2" color="textSecondary" title={one.last_at}>
        {ago(one.last_at)}
      </Typography>
    </Box>
  );
}
