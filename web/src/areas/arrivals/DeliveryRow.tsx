/** One delivery of a feed, and what came of it. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { DeliveryLine, FeedLine } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { ago, bytes, count } from "../../components/words";
import { DeliveryMenu } from "./menus";

interface RowProps {
  store: number;
  feed: FeedLine;
  feeds: FeedLine[];
  delivery: DeliveryLine;
}

/** One delivery, with what came of it. */
export function DeliveryRow({ store, feed, feeds, delivery }: RowProps) {
  const bad = delivery.status === "unreadable" || delivery.status === "stopped";
  const reading = delivery.status === "reading";
  const base = `/s/${store}/feeds/${feed.id}`;
  const query = `?delivery=${delivery.id}`;
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "220px 92px 230px 1fr auto",
        alignItems: "center",
        gap: 1.5,
        pl: 5,
        pr: 1,
        minHeight: 36,
        borderTop: 1,
        borderColor: "divider",
      }}
    >
      <Link to={`${base}/reading${query}`} style={{ fontWeight: 550 }}>
        {delivery.file_name}
      </Link>
      <Typography color="textSecondary" variant="body2" title={delivery.received_at}>
        {ago(delivery.received_at)}
      </Typography>
      <Typography variant="body2">
        {bad || reading ? bytes(delivery.size) : <Size delivery={delivery} />}
      </Typography>
      <Typography variant="body2" component="div" color={bad ? "error" : "textSecondary"}>
        {bad ? delivery.error : <Outcome store={store} delivery={delivery} />}
        {isStrange(delivery) && (
          <Typography noWrap variant="caption" component="div" title={delivery.said}>
            <UnusualIn base={base} delivery={delivery} />
          </Typography>
        )}
      </Typography>
      <Box>
        {bad || reading || !delivery.complete ? (
          <Button component={Link} to={`${base}/reading${query}`}>
            {bad ? "Change the reading" : "Open the reading"}
          </Button>
        ) : (
          <Button
            component={Link}
            variant={delivery.run_status ? "text" : "contained"}
            to={`${base}/bench${query}`}
          >
            Open the bench
          </Button>
        )}
        <DeliveryMenu delivery={delivery} feed={feed} feeds={feeds} />
      </Box>
    </Box>
  );
}

/** What is unusual in it, the worst in words. */
export function UnusualIn({ base, delivery }: { base: string; delivery: DeliveryLine }) {
  return (
    <Link to={`${base}/unusual?delivery=${delivery.id}`}>
      {[
        delivery.breaches && `breaks its contract in ${count(delivery.breaches, "point", "points")}`,
        delivery.unusual && `${count(delivery.unusual, "thing", "things")} unusual: ${delivery.said}`,
      ]
        .filter(Boolean)
        .join("; ")}
    </Link>
  );
}

/** Whether a delivery is unlike those before it, or what it was to be. */
export const isStrange = ({ unusual, breaches }: DeliveryLine) => unusual > 0 || (breaches ?? 0) > 0;

/** How much it has. */
export function Size({ delivery }: { delivery: DeliveryLine }) {
  const more = delivery.rows_before === null ? 0 : delivery.rows - (delivery.rows_before ?? 0);
  return (
    <>
      <span title={`${delivery.columns} columns`}>{delivery.rows.toLocaleString("en")} rows</span>
      {more !== 0 && ` (${more > 0 ? "+" : ""}${more})`}
      {delivery.problems > 0 && (
        <>
          {" "}
          <Mark state="question" says={`${delivery.problems} things noticed while reading`} />
        </>
      )}
    </>
  );
}

const SAYS: Record<string, string> = {
  prepared: "prepared, not applied",
  applied: "applied",
  undone: "undone",
  failed: "could not be prepared",
  declined: "declined",
};

/** What came of it. */
export function Outcome({ store, delivery }: { store: number; delivery: DeliveryLine }) {
  if (delivery.status === "reading") return <>being read … {delivery.stage}</>;
  if (!delivery.complete)
    return (
      <>
        <Mark state="question" says="incomplete" /> the file broke off; see its reading
      </>
    );
  if (delivery.because && !delivery.run_id) return <>read again: {delivery.because}</>;
  if (delivery.same_as) return <>the same bytes as an earlier delivery</>;
  if (!delivery.run_id) return <>waiting: nothing prepared yet</>;
  const parts = ["new", "changed", "held", "rejected"]
    .filter((s) => delivery.counts[s])
    .map((s) => `${delivery.counts[s]} ${s}`);
  return (
    <Link to={`/s/${store}/runs/${delivery.run_id}`}>
      {delivery.run_scope && `${delivery.run_scope} `}
      {SAYS[delivery.run_status ?? ""] ?? delivery.run_status}
      {parts.length > 0 && `: ${parts.join(", ")}`}
    </Link>
  );
}
