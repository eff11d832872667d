/** Old price against new: below the line it fell, above it rose. */
import Typography from "@mui/material/Typography";
import { ScatterChart } from "@mui/x-charts/ScatterChart";
import type { Schemas } from "../../api/client";

interface MovePlotProps {
  moves: Schemas["MovePoint"][];
  currency: string;
}

export function MovePlot({ moves, currency }: MovePlotProps) {
  if (!moves.length)
    return <Typography color="text.secondary">No price in the catalog would change.</Typography>;
  const up = moves.filter((m) => Number(m.after) > Number(m.before)).length;
  const most = Math.max(...moves.flatMap((m) => [Number(m.before), Number(m.after)])) * 1.05;
  return (
    <>
      <ScatterChart
        height={230}
        margin={{ left: 4, right: 10, top: 8, bottom: 4 }}
        hideLegend
        skipAnimation
        grid={{ horizontal: true, vertical: true }}
        xAxis={[{ min: 0, max: most, label: `today, ${currency}` }]}
        yAxis={[{ min: 0, max: most, width: 38 }]}
        series={[
          {
            data: moves.map((m) => ({ x: Number(m.before), y: Number(m.after), id: m.key })),
            markerSize: 2.5,
            color: "var(--mui-palette-state-changed)",
            label: "price",
          },
        ]}
      />
      <Typography variant="caption" color="text.secondary">
        {up} up, {moves.length - up} down. Today's price across, the new one upwards.
      </Typography>
    </>
  );
}
