/** What numbers of a product were, are, and will be: as a table, and as a plot beside it. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { LineChart } from "@mui/x-charts/LineChart";
import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { StoreField } from "../../api/hooks";
import { onDay } from "../../components/words";
import { momentsOf, type Moment } from "./moments";

const INKS = ["primary-main", "secondary-main", "state-changed", "state-question"];
const ink = (n: number) => `var(--mui-palette-${INKS[n % INKS.length]})`;
/** More than these would not be told apart in a plot. */
const SHOWN = 4;

interface ValueHistoryProps {
  store: number;
  detail: Schemas["ProductDetail"];
  /** The fields that are shown together. */
  fields: StoreField[];
  /** What they are called. */
  name: string;
}

/** Nothing for a product whose numbers have only ever been what they are. */
export function ValueHistory({ store, detail, fields, name }: ValueHistoryProps) {
  const { shown, moments } = momentsOf(detail, fields, SHOWN);
  if (moments.length < 2) return null;
  return (
    <Box component="section" aria-label={`${name} over time`} sx={{ mt: 3 }}>
      <Typography variant="h2" gutterBottom>
        {name} over time
      </Typography>
      <Plot shown={shown} moments={moments} />
      <Box component="table" sx={TABLE}>
        <thead>
          <tr>
            <th>From</th>
            {shown.map((field, n) => (
              <th key={field.name} style={{ textAlign: "right" }}>
                <span aria-hidden style={{ color: ink(n) }}>
                  ▬{" "}
                </span>
                {field.title || field.name}
              </th>
            ))}
            <th />
          </tr>
        </thead>
        <tbody>
          {[...moments].reverse().map((one) => (
            <tr key={`${one.at} ${one.run ?? ""}`} className={one.waits ? "quiet" : undefined}>
              <td>{one.run || one.waits ? onDay(dayOf(one.at)) : "before"}</td>
              {shown.map((field) => (
                <td
                  key={field.name}
                  className="mono"
                  style={{ textAlign: "right", fontWeight: one.moved.includes(field.name) ? 650 : 400 }}
                >
                  {one.values[field.name] ?? "—"}
                </td>
              ))}
              <td style={{ textAlign: "right" }}>
                {one.waits
                  ? "waits"
                  : one.run && <Link to={`/s/${store}/runs/${one.run}`}>run {one.run}</Link>}
              </td>
            </tr>
          ))}
        </tbody>
      </Box>
    </Box>
  );
}

const dayOf = (at: number) => new Date(at).toISOString().slice(0, 10);

const TABLE = {
  width: "100%",
  borderCollapse: "collapse",
  "& td, & th": { height: 25, borderBottom: 1, borderColor: "paper2.line", px: 0.75, textAlign: "left" },
  "& th": { fontWeight: 550, color: "text.secondary" },
};

/** Prices hold until the next one: steps, dashed where they are still to come. */
function Plot({ shown, moments }: { shown: StoreField[]; moments: Moment[] }) {
  const [today] = useState(() => Date.now());
  const number = (text: string | undefined) => (text === undefined ? null : Number(text));
  const last = moments.findLastIndex((one) => !one.waits);
  // What holds today is drawn up to today.
  const drawnTo = [...moments];
  if (last >= 0) drawnTo.splice(last + 1, 0, { ...moments[last]!, at: Math.max(today, moments[last]!.at) });
  const now = last + 1;
  const end = drawnTo.at(-1)!;
  // Room for the last step to be seen.
  if (end.waits) drawnTo.push({ ...end, at: end.at + (end.at - drawnTo[0]!.at) / 20 });
  const series = shown.flatMap((field, n) => {
    const values = drawnTo.map((one) => number(one.values[field.name]));
    const drawn = {
      color: ink(n),
      curve: "stepAfter" as const,
      showMark: false,
      label: field.title || field.name,
    };
    const ahead = values.map((value, at) => (at >= now ? value : null));
    return [
      { ...drawn, id: field.name, data: values.map((value, at) => (at <= now ? value : null)) },
      ...(now < drawnTo.length - 1
        ? [{ ...drawn, id: `${field.name}-ahead`, label: `${drawn.label}, waiting`, data: ahead }]
        : []),
    ];
  });
  return (
    <LineChart
      height={170}
      margin={{ left: 4, right: 44, top: 10, bottom: 4 }}
      hideLegend
      skipAnimation
      grid={{ horizontal: true }}
      xAxis={[
        {
          data: drawnTo.map((one) => new Date(one.at)),
          scaleType: "time",
          valueFormatter: (at: Date) => onDay(dayOf(at.getTime())),
          tickNumber: 4,
        },
      ]}
      yAxis={[{ width: 44 }]}
      series={series}
      sx={{ "& [data-series$='-ahead']": { strokeDasharray: "4 4" } }}
    />
  );
}
