/** The store's price ladders: each with who uses it, made and changed here as well. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useLookups, useSchema, type Ladder } from "../../api/hooks";
import { Failure, Nothing, Waiting } from "../../components/states";
import { useUndo } from "../../shell/undo";
import { LadderLimits } from "../prices/LadderLimits";
import { LadderRules } from "../prices/LadderRules";
import { LadderTable } from "../prices/LadderTable";
import { NewLadder, saveLadder } from "../prices/NewLadder";
import { useStoreEdit } from "../../api/storeEdits";

/** Every ladder; over real products they are tried in Prices of a feed. */
export function Ladders({ store }: { store: number }) {
  const lookups = useLookups(store);
  const schema = useSchema(store);
  const [making, setMaking] = useState(false);
  if (lookups.isPending || schema.isPending) return <Waiting what="the ladders" />;
  if (lookups.isError) return <Failure error={lookups.error} retry={() => void lookups.refetch()} />;
  const { ladders } = lookups.data;
  const users = new Map(
    lookups.data.lookups.filter((l) => l.kind === "ladder").map((l) => [l.name, l.feeds]),
  );
  const fields = Object.fromEntries(
    (schema.data?.product_schema.fields ?? []).map((f) => [f.name, f.title || f.name]),
  );
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1 }}>
        <Typography variant="h1">Price ladders</Typography>
        <Typography color="textSecondary">from cost to price, for all feeds of the store</Typography>
        <Box sx={{ flex: 1 }} />
        <Button variant="outlined" color="inherit" onClick={() => setMaking(true)}>
          New ladder
        </Button>
      </Box>
      {ladders.length === 0 && (
        <Nothing title="No ladder yet">
          A ladder makes a price out of a cost. Make one here, in Prices of a feed, or in the step on the
          bench.
        </Nothing>
      )}
      {ladders.map((ladder) => (
        <OneLadder
          key={ladder.name}
          store={store}
          ladder={ladder}
          fields={fields}
          feeds={users.get(ladder.name) ?? []}
        />
      ))}
      {making && (
        <NewLadder
          names={ladders.map((l) => l.name)}
          onClose={() => setMaking(false)}
          onMade={() => setMaking(false)}
        />
      )}
    </>
  );
}

interface OneLadderProps {
  store: number;
  ladder: Ladder;
  fields: Record<string, string>;
  feeds: string[];
}

function OneLadder({ store, ladder, fields, feeds }: OneLadderProps) {
  const undo = useUndo();
  const [typed, setTyped] = useState<Ladder | null>(null);
  const edit = useStoreEdit((next: Ladder) => saveLadder(store, next));
  const shown = typed ?? ladder;
  return (
    <Box component="section" aria-label={`Ladder ${ladder.name}`} sx={{ maxWidth: 620, mb: 4 }}>
      <Typography variant="h2">{ladder.name}</Typography>
      <Typography color="textSecondary" sx={{ mb: 1 }}>
        {feeds.length ? `Used by ${feeds.join("; ")}` : "No feed uses it yet"} · {ladder.currency}
      </Typography>
      <LadderTable ladder={shown} rungs={[]} onChange={setTyped} />
      <LadderLimits ladder={shown} fields={fields} onChange={setTyped} />
      <LadderRules ladder={shown} fields={fields} uses={[]} onChange={setTyped} />
      {typed && (
        <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
          <Button
            variant="contained"
            disabled={edit.isPending}
            onClick={() =>
              edit.mutate(typed, {
                onSuccess: () => {
                  setTyped(null);
                  undo.did(`Saved the ladder '${ladder.name}'`, () => edit.mutateAsync(ladder));
                },
                onError: undo.failed,
              })
            }
          >
            Save the ladder
          </Button>
          <Button color="inherit" onClick={() => setTyped(null)}>
            Back to the saved one
          </Button>
        </Box>
      )}
    </Box>
  );
}
