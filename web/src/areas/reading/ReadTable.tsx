/** The table a delivery becomes, drawn from windows of rows. */
import Box from "@mui/material/Box";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api/client";
import { useTallScroll } from "../../components/useTallScroll";
import { HEAD, ROW, Sheet } from "../bench/Sheet";

const PAGE = 100;

interface ReadTableProps {
  view: Schemas["DeliveryView"];
  lit: string | null;
  onColumn: (name: string) => void;
}

/** The table that the delivery became, of any length. */
export function ReadTable({ view, lit, onColumn }: ReadTableProps) {
  const { box, size, height, first, shift, onScroll } = useTallScroll(view.rows, ROW, () => HEAD + 12);
  const start = Math.floor(first / PAGE) * PAGE;
  const page = useQuery({
    queryKey: ["table", view.id, JSON.stringify(view.reading), start],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/deliveries/{delivery_id}/rows", {
          params: { path: { delivery_id: view.id }, query: { offset: start, limit: PAGE * 2 } },
        }),
      ),
  });
  const at = (index: number) => {
    const i = index - (page.data?.offset ?? 0);
    return page.data && i >= 0 && i < page.data.rows.length ? i : -1;
  };
  const columns = view.profile.map((c) => ({
    name: c.name,
    label: c.name,
    width: Math.max(52, Math.min(34, Math.max(c.longest, c.name.length + 1)) * 7.1 + 17),
  }));
  return (
    <Box
      ref={box}
      tabIndex={0}
      onScroll={onScroll}
      sx={{ flex: 1, minHeight: 0, overflowY: "auto", overflowX: "hidden" }}
    >
      <div style={{ height }}>
        <div style={{ position: "sticky", top: 0, height: size }}>
          <Sheet
            label="The table it becomes"
            height={size}
            columns={columns}
            first={first}
            shift={shift}
            total={view.rows}
            hand={-1}
            lit={new Set(lit === null ? [] : [lit])}
            rowNumber={(index) => {
              const i = at(index);
              return i < 0
                ? null
                : { number: page.data?.numbers[i] ?? 0, fault: page.data?.faults[i] ?? null };
            }}
            cell={(index, c) => {
              const i = at(index);
              return i < 0 ? null : { text: page.data?.rows[i]?.[c] ?? null };
            }}
            onColumn={onColumn}
            onRow={() => {}}
          />
        </div>
      </div>
    </Box>
  );
}
