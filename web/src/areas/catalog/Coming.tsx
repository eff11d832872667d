/** What prepared runs would change of a product, before they are applied. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { Mark } from "../../components/Mark";
import { onDay, signed } from "../../components/words";

type Line = Schemas["ProductDetail"]["coming"][number];

/** A run each; nothing where none waits. */
export function Coming({ store, coming }: { store: number; coming: Line[] }) {
  if (!coming.length) return null;
  return (
    <Box component="section" aria-label="About to change" sx={{ mb: 3 }}>
      <Typography variant="h2" gutterBottom>
        About to change
      </Typography>
      {coming.map(({ run_id, file_name, line }) => (
        <Box key={run_id} sx={{ mb: 1 }}>
          <Typography>
            <Mark
              state={line.held ? "question" : "changed"}
              says={line.held ? "held by a guard" : "prepared"}
            />{" "}
            <Link to={`/s/${store}/runs/${run_id}?product=${encodeURIComponent(line.key ?? "")}`}>
              Run {run_id}
            </Link>{" "}
            <Typography component="span" color="textSecondary">
              {file_name}
              {line.held && ", held by a guard"}
            </Typography>
          </Typography>
          {line.changes.map((c) => (
            <Typography
              key={c.field}
              variant="body2"
              noWrap
              sx={{ pl: 2.5, ...(c.declined && { textDecoration: "line-through", opacity: 0.6 }) }}
            >
              <span style={{ color: "var(--mui-palette-text-secondary)" }}>{c.label} </span>
              <span className="mono">{c.before ?? "∅"} → </span>
              <b className="mono">{c.after ?? "∅"}</b>
              {c.percent && <span className="quiet"> {signed(c.percent)}</span>}
              {c.day && <span className="quiet"> from {onDay(c.day)}</span>}
              {c.declined && <span className="quiet"> declined</span>}
            </Typography>
          ))}
        </Box>
      ))}
    </Box>
  );
}
