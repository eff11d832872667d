/** What a product, or a store, holds from a day on: it waits, and can be taken back until then. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { Mark } from "../../components/Mark";
import { onDay, STATE, STATES } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { useTakeBack } from "./useDated";

type Line = Schemas["DatedLine"];

/** A line as what was asked for. */
const written = (line: Line): Schemas["ProductEdit"] =>
  line.field === STATE
    ? { state: STATES.find((state) => state === line.value) }
    : { values: { [line.field]: line.value } };

interface DatedProps {
  store: number;
  lines: Line[];
  /** Whether each line says which product it is of. */
  named?: boolean;
}

/** The lines by their days. */
export function Dated({ store, lines, named }: DatedProps) {
  const undo = useUndo();
  const queries = useQueryClient();
  const takeBack = useTakeBack(store);
  const again = useMutation({
    mutationFn: (line: Line) =>
      take(
        api.PUT("/api/v1/stores/{store_id}/products/{key}", {
          params: { path: { store_id: store, key: line.key } },
          body: { ...written(line), day: line.day },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["catalog", store] }),
  });
  const drop = (line: Line) =>
    takeBack.mutate(line.id, {
      onSuccess: () => undo.did(`${line.label} does not wait any more`, () => again.mutateAsync(line)),
      onError: undo.failed,
    });
  return (
    <Box component="ul" aria-label="Waiting for their day" sx={{ m: 0, p: 0, listStyle: "none" }}>
      {lines.map((line) => (
        <Box
          component="li"
          key={line.id}
          sx={{
            display: "flex",
            alignItems: "center",
            gap: 1,
            minHeight: 30,
            borderBottom: 1,
            borderColor: "paper2.line",
          }}
        >
          <Typography sx={{ width: 92, flex: "none" }}>{onDay(line.day)}</Typography>
          {named && (
            <Typography noWrap sx={{ width: 250, flex: "none" }} title={line.title}>
              <Link to={`/s/${store}/catalog/${encodeURIComponent(line.key)}`}>{line.title || line.key}</Link>
            </Typography>
          )}
          <Typography noWrap sx={{ flex: 1, minWidth: 0 }}>
            <span className="quiet">{line.label} </span>
            <span className="mono">
              {line.holds ?? "∅"} → <b>{line.value ?? "∅"}</b>
            </span>
            {line.author && <span className="quiet"> by {line.author}</span>}
            {line.reason && (
              <>
                {" "}
                <Mark state="refused" says="could not be written on its day" /> {line.reason}
              </>
            )}
          </Typography>
          <Button
            color="inherit"
            onClick={() => drop(line)}
            aria-label={`Take back ${line.label} of ${line.key}`}
          >
            Take back
          </Button>
        </Box>
      ))}
    </Box>
  );
}
