/** A corrected price for all products of the same maker, line or branch: a rule of the ladder. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import type { RunView } from "../../api/hooks";
import { useUndo } from "../../shell/undo";

type Made = Schemas["PriceRuleMade"];

interface PriceRuleProps {
  run: RunView;
  product: string;
  field: string;
  /** The price that is to be. */
  value: string;
  /** The ladder that made the price. */
  ladder: string;
  onDone: () => void;
}

/** Offers what the product shares with others; leads to the ladder besides. */
export function PriceRule({ run, product, field, value, ladder, onDone }: PriceRuleProps) {
  const [chosen, setChosen] = useState("");
  const queries = useQueryClient();
  const undo = useUndo();
  const params = { path: { run_id: run.id } };
  const alike = useQuery({
    queryKey: ["review", run.id, "priced together", product, field],
    queryFn: () =>
      take(
        api.GET("/api/v1/runs/{run_id}/price-rules", {
          params: { ...params, query: { key: product, field } },
        }),
      ),
  });
  const fresh = () =>
    Promise.all(["run", "review"].map((key) => queries.invalidateQueries({ queryKey: [key, run.id] })));
  const takeBack = useMutation({
    mutationFn: async ({ before }: Made) => {
      await take(
        api.PUT("/api/v1/stores/{store_id}/ladders", {
          params: { path: { store_id: run.store_id } },
          body: before,
        }),
      );
      return take(api.POST("/api/v1/runs/{run_id}/anew", { params }));
    },
    onError: undo.failed,
    onSettled: fresh,
  });
  const make = useMutation({
    mutationFn: (by: { field: string; word: string }) =>
      take(
        api.POST("/api/v1/runs/{run_id}/price-rules", {
          params,
          body: { key: product, field, value, by: by.field, word: by.word },
        }),
      ),
    onSuccess: (made) => {
      undo.did(`In the ladder '${ladder}': ${made.said}`, () => takeBack.mutateAsync(made));
      onDone();
    },
    onError: undo.failed,
    onSettled: fresh,
  });
  const likes = alike.data?.likes ?? [];
  const by = chosen === "" ? undefined : likes[Number(chosen)];
  const does = `Writes a markup into '${ladder}' that makes this price, and prepares the run again`;
  return (
    <Box sx={{ flexBasis: "100%", display: "flex", flexWrap: "wrap", gap: 1, alignItems: "center" }}>
      {likes.length > 0 && (
        <>
          <TextField
            select
            label="The same rule for all of"
            value={chosen}
            onChange={(event) => setChosen(event.target.value)}
            sx={{ flex: "1 1 180px", minWidth: 0 }}
          >
            {likes.map((one, at) => (
              <MenuItem key={at} value={String(at)}>
                {one.label} {one.word} ({one.count.toLocaleString("en")})
              </MenuItem>
            ))}
          </TextField>
          <Button
            variant="outlined"
            color="inherit"
            disabled={!by || !value || make.isPending}
            title={`${does}; what is decided stays`}
            onClick={() => by && make.mutate(by)}
          >
            Price them so
          </Button>
        </>
      )}
      <span className="quiet">
        or <Link to={`/s/${run.store_id}/feeds/${run.feed_id}/prices`}>open the ladder ‘{ladder}’</Link>
      </span>
    </Box>
  );
}
