/** A correction as a rule: for all that arrive with the same word, seen at once in the other lines. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { useRunTrace, type RunView } from "../../api/hooks";
import { useUndo } from "../../shell/undo";
import { PriceRule } from "./PriceRule";

type Made = Schemas["RuleMade"];

interface AlwaysProps {
  run: RunView;
  product: string;
  field: string;
  /** The value that is to be written. */
  value: string;
  onDone: () => void;
}

/** Offers the entry that gave the value; else leads to where the value is made. */
export function Always({ run, product, field, value, onDone }: AlwaysProps) {
  const traced = useRunTrace(run.id, product, field);
  const queries = useQueryClient();
  const undo = useUndo();
  const fresh = () =>
    Promise.all(["run", "review"].map((key) => queries.invalidateQueries({ queryKey: [key, run.id] })));
  const takeBack = useMutation({
    mutationFn: async ({ kind, table, word, before = null }: Made) => {
      const params = { path: { feed_id: run.feed_id ?? 0 } };
      if (kind === "value_table")
        await take(
          api.PUT("/api/v1/feeds/{feed_id}/values", { params, body: { table, words: { [word]: before } } }),
        );
      else
        await take(
          api.PUT("/api/v1/feeds/{feed_id}/categories", {
            params,
            body: { table, places: { [word]: before } },
          }),
        );
      return take(api.POST("/api/v1/runs/{run_id}/anew", { params: { path: { run_id: run.id } } }));
    },
    onError: undo.failed,
    onSettled: fresh,
  });
  const make = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/runs/{run_id}/rules", {
          params: { path: { run_id: run.id } },
          body: { key: product, field, value },
        }),
      ),
    onSuccess: (made) => {
      undo.did(`“${made.word}” is ${value} from now on`, () => takeBack.mutateAsync(made));
      onDone();
    },
    onError: undo.failed,
    onSettled: fresh,
  });
  const found = traced.data?.trace.behind;
  if (found && found.kind !== "ladder")
    return (
      <Button
        variant="outlined"
        color="inherit"
        disabled={!value || value === traced.data?.trace.value || make.isPending}
        title={`Writes it into '${found.table}' and prepares the run again; what is decided stays`}
        onClick={() => make.mutate()}
      >
        Always for “{found.word}”
      </Button>
    );
  if (found)
    return (
      <PriceRule
        run={run}
        product={product}
        field={field}
        value={value}
        ladder={found.table}
        onDone={onDone}
      />
    );
  return (
    <Box sx={{ flexBasis: "100%" }} className="quiet">
      Wrong for others, too?{" "}
      <Link to={`/s/${run.store_id}/feeds/${run.feed_id}/bench?field=${field}&delivery=${run.delivery_id}`}>
        Mend its fill
      </Link>{" "}
      and prepare again.
    </Box>
  );
}
