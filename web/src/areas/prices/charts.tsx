/** Plots of the price place. */
import { BarChart } from "@mui/x-charts/BarChart";
import { LineChart } from "@mui/x-charts/LineChart";
import type { Schemas } from "../../api/client";

const MARGIN = { left: 4, right: 12, top: 10, bottom: 4 };
const ink = "var(--mui-palette-primary-main)";

/** Prices by cost under the ladder. */
export function Curve({ points, currency }: { points: Schemas["CurvePoint"][]; currency: string }) {
  return (
    <LineChart
      height={190}
      margin={MARGIN}
      hideLegend
      skipAnimation
      grid={{ horizontal: true }}
      xAxis={[{ data: points.map((p) => Number(p.cost)), label: `cost in ${currency}`, min: 0 }]}
      yAxis={[{ width: 44, min: 0 }]}
      series={[
        {
          data: points.map((p) => Number(p.price)),
          label: "price",
          showMark: false,
          color: ink,
          curve: "stepAfter",
        },
        {
          data: points.map((p) => Number(p.cost)),
          label: "cost",
          showMark: false,
          color: "var(--mui-palette-secondary-main)",
          curve: "linear",
        },
      ]}
    />
  );
}

interface HistogramProps {
  bins: Schemas["Bin"][];
  label: string;
  width: number;
}

/** How many products stand in each bin. */
export function Histogram({ bins, label, width }: HistogramProps) {
  return (
    <BarChart
      height={160}
      margin={MARGIN}
      hideLegend
      skipAnimation
      xAxis={[{ data: bins.map((b) => `${b.start}–${b.start + width}`), label, categoryGapRatio: 0.1 }]}
      yAxis={[{ width: 44 }]}
      series={[{ data: bins.map((b) => b.count), label: "products", color: ink }]}
    />
  );
}
