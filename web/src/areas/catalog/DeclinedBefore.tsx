/** Values of feeds that are declined until their suppliers say others; each can be forgotten. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { useUndo } from "../../shell/undo";

type Line = Schemas["ProductDetail"]["declined"][number];

/** Nothing where none is. */
export function DeclinedBefore({ store, lines }: { store: number; lines: Line[] }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const forget = useMutation({
    mutationFn: (id: number) =>
      take(
        api.DELETE("/api/v1/stores/{store_id}/declined/{value_id}", {
          params: { path: { store_id: store, value_id: id } },
        }),
      ),
    onError: undo.failed,
    onSettled: () => queries.invalidateQueries({ queryKey: ["catalog", store] }),
  });
  if (!lines.length) return null;
  return (
    <Box component="section" aria-label="Declined until it changes" sx={{ mt: 3 }}>
      <Typography variant="h2" gutterBottom>
        Declined until it changes
      </Typography>
      {lines.map((line) => (
        <Box key={line.id} sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          <Typography noWrap sx={{ flex: 1, minWidth: 0 }}>
            <span style={{ color: "var(--mui-palette-text-secondary)" }}>{line.label} </span>
            <b className="mono">{line.value ?? "∅"}</b>{" "}
            <Typography component="span" color="textSecondary">
              of {line.feed}, in <Link to={`/s/${store}/runs/${line.run_id}`}>run {line.run_id}</Link>
            </Typography>
          </Typography>
          <Button
            color="inherit"
            size="small"
            disabled={forget.isPending}
            title="The next delivery may write it"
            aria-label={`Forget that ${line.label} ${line.value ?? "empty"} was declined`}
            onClick={() => forget.mutate(line.id)}
          >
            Forget
          </Button>
        </Box>
      ))}
    </Box>
  );
}
