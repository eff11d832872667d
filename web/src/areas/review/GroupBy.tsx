/** The lines that are shown, by the words of a field or of a column that arrived. */
import Box from "@mui/material/Box";
import ListSubheader from "@mui/material/ListSubheader";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../../api/client";
import type { RunView } from "../../api/hooks";
import { Counted } from "../../components/Counted";
import { Failure } from "../../components/states";
import { asked, type Shown } from "./shown";

const FILE = "file:";

interface GroupByProps {
  run: RunView;
  groupings: Schemas["Grouping"][];
  shown: Shown;
  onSet: (change: Record<string, string>) => void;
}

/** Choose what to group by, then a word; the list shows its lines alone. */
export function GroupBy({ run, groupings, shown, onSet }: GroupByProps) {
  const [picked, setPicked] = useState(shown.by);
  const filter = asked({ ...shown, by: "", word: "" });
  const found = useQuery({
    queryKey: ["review", run.id, "groups", picked, filter],
    enabled: picked !== "",
    staleTime: Infinity,
    queryFn: () =>
      take(
        api.GET("/api/v1/runs/{run_id}/groups", {
          params: { path: { run_id: run.id }, query: { ...filter, group: picked } },
        }),
      ),
  });
  if (!groupings.length) return null;
  const own = groupings.filter((one) => !one.by.startsWith(FILE));
  const arrived = groupings.filter((one) => one.by.startsWith(FILE));
  const option = (one: Schemas["Grouping"]) => (
    <MenuItem key={one.by} value={one.by}>
      {one.label}
    </MenuItem>
  );
  const groups = found.data?.groups ?? [];
  const rest = (found.data?.total ?? 0) - groups.length;
  return (
    <Box sx={{ mt: 2 }}>
      <TextField
        select
        fullWidth
        label="Group what is shown by"
        value={picked}
        onChange={(event) => {
          setPicked(event.target.value);
          if (shown.by) onSet({ by: "", word: "" });
        }}
      >
        <MenuItem value="">nothing</MenuItem>
        {own.map(option)}
        {arrived.length > 0 && <ListSubheader>As it arrived</ListSubheader>}
        {arrived.map(option)}
      </TextField>
      {found.isError && <Failure error={found.error} />}
      <Box sx={{ mt: 0.75 }}>
        {groups.map((one) => {
          const on = shown.by === picked && shown.word === one.word;
          return (
            <Counted
              key={one.word}
              label={one.word || "empty"}
              n={one.count}
              on={on}
              onChoose={() => onSet(on ? { by: "", word: "" } : { by: picked, word: one.word })}
            />
          );
        })}
        {found.isSuccess && !groups.length && <Typography color="textSecondary">No lines.</Typography>}
        {rest > 0 && (
          <Typography variant="caption" color="textSecondary">
            and {rest.toLocaleString("en")} smaller ones
          </Typography>
        )}
      </Box>
    </Box>
  );
}
