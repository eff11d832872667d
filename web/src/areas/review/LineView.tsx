/** A line of a changeset: the product, what becomes of it, and deciding it. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/client";
import { Mark, STATUS_STATE } from "../../components/Mark";
import { onDay, signed } from "../../components/words";

export type Line = Schemas["ReviewRow"];

interface LineViewProps {
  line: Line;
  field: string;
  onDecide: ((decision: "accept" | "decline") => void) | undefined;
  /** What else can be done with the line. */
  children?: React.ReactNode;
}

/** One line, two rows of text high. */
export function LineView({ line, field, onDecide, children }: LineViewProps) {
  const declined = line.changes.filter((c) => c.declined).length;
  const whole = declined > 0 && declined === line.changes.length;
  return (
    <>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", height: 19 }}>
        <Mark
          state={line.held ? "question" : (STATUS_STATE[line.status] ?? "computed")}
          says={line.held ? `${line.status}, held by a guard` : line.status}
        />
        {line.key ? (
          <button
            type="button"
            className="plain-button mono"
            style={{ fontWeight: 600 }}
            aria-label={`Changes of ${line.key}`}
          >
            {line.key}
          </button>
        ) : (
          <Typography className="mono" sx={{ fontWeight: 600 }}>
            no key
          </Typography>
        )}
        <Typography noWrap sx={{ flex: 1 }}>
          {line.title}
        </Typography>
        {(whole || line.held) && (
          <Typography variant="caption" color="textSecondary">
            {whole ? "declined" : "held"}
          </Typography>
        )}
        {onDecide && line.held && !whole && (
          <button
            type="button"
            className="plain-button quiet"
            style={{ fontSize: 12, color: "var(--mui-palette-text-secondary)" }}
            aria-label={`Let ${line.key} through`}
            onClick={(event) => {
              event.stopPropagation();
              onDecide("accept");
            }}
          >
            Let through
          </button>
        )}
        {onDecide && line.key && line.changes.length > 0 && (
          <button
            type="button"
            className="plain-button quiet"
            style={{ fontSize: 12, color: "var(--mui-palette-text-secondary)" }}
            aria-label={`${declined ? "Accept" : "Decline"} ${line.key}`}
            onClick={(event) => {
              event.stopPropagation();
              onDecide(declined ? "accept" : "decline");
            }}
          >
            {declined ? "Accept" : "Decline"}
          </button>
        )}
        {children}
        <Typography variant="caption" color="textSecondary">
          {line.row ? `row ${line.row}` : ""}
        </Typography>
      </Box>
      <Box
        sx={{
          pl: 2.5,
          height: 19,
          overflow: "hidden",
          whiteSpace: "nowrap",
          textOverflow: "ellipsis",
          fontSize: 12,
          ...(whole && STRUCK),
        }}
      >
        {line.reason ? (
          <span
            style={{
              color:
                line.status === "rejected"
                  ? "var(--mui-palette-state-refused)"
                  : "var(--mui-palette-text-secondary)",
            }}
            title={line.reason}
          >
            {line.reason}
          </span>
        ) : (
          <Changes line={line} field={field} whole={whole} />
        )}
      </Box>
    </>
  );
}

const STRUCK = { textDecoration: "line-through", opacity: 0.6 };

interface ChangesProps {
  line: Line;
  field: string;
  /** Nothing of the line is written: it is struck as a whole. */
  whole: boolean;
}

/** The field asked about comes first; what is filled for the first time is only named. */
function Changes({ line, field, whole }: ChangesProps) {
  const isNew = line.status === "new";
  const sorted = [...line.changes].sort((a, b) => Number(b.field === field) - Number(a.field === field));
  const fresh = isNew ? [] : sorted.filter((c) => c.before === null && c.field !== field);
  const shown = isNew ? sorted.slice(0, 6) : sorted.filter((c) => !fresh.includes(c));
  return (
    <>
      {shown.map((c) => (
        <span
          key={c.field}
          style={{ marginRight: 14, ...(c.declined && !whole && STRUCK) }}
          title={`${c.label}: ${c.before ?? "nothing"} → ${c.after ?? "nothing"}`}
        >
          <span style={{ color: "var(--mui-palette-text-secondary)" }}>{c.label} </span>
          {!isNew && <span className="mono">{short(c.before)} → </span>}
          <b className="mono">{short(c.after)}</b>
          {c.day && <span className="quiet"> from {onDay(c.day)}</span>}
          {c.corrected && <span className="quiet"> by hand</span>}
          {c.percent && (
            <span style={{ color: "var(--mui-palette-state-changed)" }}> {signed(c.percent)}</span>
          )}
        </span>
      ))}
      {fresh.length > 0 && (
        <span
          style={{ color: "var(--mui-palette-text-secondary)" }}
          title={fresh.map((c) => `${c.label}: ${c.after}`).join("\n")}
        >
          {shown.length > 0 && "and "}
          {fresh.length} filled for the first time: {fresh.map((c) => c.label).join(", ")}
        </span>
      )}
    </>
  );
}

const short = (text: string | null | undefined) =>
  text === null || text === undefined ? "∅" : text.length > 26 ? `${text.slice(0, 25)}…` : text;
