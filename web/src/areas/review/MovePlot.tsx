/** How far each price moves, in percent, against what it is today. */
import Typography from "@mui/material/Typography";
import { ScatterChart } from "@mui/x-charts/ScatterChart";
import type { Schemas } from "../../api/client";

interface MovePlotProps {
  moves: Schemas["MovePoint"][];
  currency: string;
}

/** How far prices move. */
export function MovePlot({ moves, currency }: MovePlotProps) {
  if (!moves.length)
    return <Typography color="textSecondary">No price in the catalog would change.</Typography>;
  const points = moves.map((m) => ({
    x: Number(m.before),
    y: Number(m.before) ? (100 * (Number(m.after) - Number(m.before))) / Number(m.before) : 0,
    id: m.key,
  }));
  const up = points.filter((p) => p.y > 0).length;
  return (
    <>
      <ScatterChart
        height={230}
        margin={{ left: 4, right: 22, top: 8, bottom: 4 }}
        hideLegend
        skipAnimation
        grid={{ horizontal: true }}
        xAxis={[{ min: 0, label: `today's price, ${currency}` }]}
        yAxis={[{ width: 54, valueFormatter: (n: number) => `${n} %` }]}
        series={[
          {
            data: points,
            markerSize: 2.5,
            color: "var(--mui-palette-state-changed)",
            label: "price",
          },
        ]}
      />
      <Typography variant="caption" color="textSecondary">
        {up} up, {moves.length - up} down.
      </Typography>
    </>
  );
}
