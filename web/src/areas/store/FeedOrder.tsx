/** Feeds one behind the other: moved up, left out, added at the end. */
import ArrowUpward from "@mui/icons-material/ArrowUpward";
import Close from "@mui/icons-material/Close";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { SourceFeed } from "../../api/offers";

interface FeedOrderProps {
  label: string;
  order: number[];
  feeds: SourceFeed[];
  onChange: (order: number[], did: string) => void;
}

/** The order, and what can be done to it. */
export function FeedOrder({ label, order, feeds, onChange }: FeedOrderProps) {
  const names = new Map(feeds.map((feed) => [feed.id, feed.name]));
  const free = feeds.filter((feed) => !feed.removed && !order.includes(feed.id));
  const without = (feed: number) => order.filter((one) => one !== feed);
  return (
    <Box>
      <ol aria-label={label} style={{ listStyle: "none", margin: 0, padding: 0 }}>
        {order.map((feed, at) => (
          <Box
            component="li"
            key={feed}
            sx={{ display: "flex", alignItems: "center", borderBottom: 1, borderColor: "divider", py: 0.25 }}
          >
            <span className="quiet" style={{ width: 24 }}>
              {at + 1}
            </span>
            <span style={{ flex: 1 }}>{names.get(feed) ?? "a removed feed"}</span>
            <IconButton
              size="small"
              disabled={at === 0}
              aria-label={`Move ${names.get(feed)} up`}
              onClick={() => {
                const next = without(feed);
                next.splice(at - 1, 0, feed);
                onChange(next, `${names.get(feed)} is now number ${at}`);
              }}
            >
              <ArrowUpward fontSize="inherit" />
            </IconButton>
            <IconButton
              size="small"
              aria-label={`Leave ${names.get(feed)} out`}
              onClick={() => onChange(without(feed), `${names.get(feed)} is left out`)}
            >
              <Close fontSize="inherit" />
            </IconButton>
          </Box>
        ))}
      </ol>
      {free.length > 0 && (
        <TextField
          select
          value=""
          label={order.length ? "Then" : "First"}
          sx={{ minWidth: 240, mt: 1 }}
          onChange={(e) => {
            const feed = Number(e.target.value);
            onChange([...order, feed], `${names.get(feed)} is added`);
          }}
        >
          {free.map((feed) => (
            <MenuItem key={feed.id} value={feed.id}>
              {feed.name}
            </MenuItem>
          ))}
        </TextField>
      )}
    </Box>
  );
}
