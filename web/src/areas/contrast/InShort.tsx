/** In a few sentences what another ladder or version would do, with the way to the lines. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { useContrast } from "../../api/contrasts";
import { Failure } from "../../components/states";
import { count } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { Underway } from "./Underway";

const MOST = 5;

/** The address of one, and of the lines of one difference. */
export const besideAddress = (store: number, feed: number, id: number, about?: number) =>
  `/s/${store}/feeds/${feed}/beside/${id}${about === undefined ? "" : `?about=${about}`}`;

export function InShort({ id }: { id: number }) {
  const store = useStoreId();
  const asked = useContrast(id);
  if (asked.isError) return <Failure error={asked.error} retry={() => void asked.refetch()} />;
  if (!asked.data) return null;
  const { status, differences, feed_id: feed, lines, rows } = asked.data;
  const shown = differences.slice(0, MOST);
  return (
    <Box component="section" aria-label="What it would do" sx={{ my: 1 }}>
      <Underway of={asked.data} />
      {status === "ready" && !differences.length && (
        <Typography role="status">Nothing becomes another in {count(rows, "row", "rows")}.</Typography>
      )}
      {shown.map((one, at) => (
        <Typography key={at} role={at ? undefined : "status"}>
          <Link to={besideAddress(store, feed, id, at)}>{one.said}</Link>
        </Typography>
      ))}
      {status === "ready" && differences.length > 0 && (
        <Typography color="textSecondary">
          {differences.length > MOST && `and ${differences.length - MOST} more; `}
          <Link to={besideAddress(store, feed, id)}>
            {count(lines, "line", "lines")} of {rows.toLocaleString("en")} side by side
          </Link>
        </Typography>
      )}
    </Box>
  );
}
