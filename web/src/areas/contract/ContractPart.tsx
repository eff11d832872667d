/** What the files of a feed must look like, on its profile: told, drafted, changed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import {
  useContract,
  useDraft,
  useSetContract,
  type Breach,
  type Contract,
  type FeedContract,
} from "../../api/contracts";
import { FileButton } from "../../components/FileButton";
import { Mark } from "../../components/Mark";
import { Failure, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { Editor } from "./Editor";

interface Editing {
  contract: Contract;
  says: string;
}

export function ContractPart({ feed }: { feed: number }) {
  const contract = useContract(feed);
  const draft = useDraft(feed);
  const set = useSetContract(feed);
  const undo = useUndo();
  const [editing, setEditing] = useState<Editing | null>(null);
  const [broken, setBroken] = useState("");
  if (contract.isError) return <Failure error={contract.error} retry={() => void contract.refetch()} />;
  if (!contract.data) return <Waiting what="the contract" />;
  const known = contract.data;
  const keep = (to: Contract | null, said: string) =>
    set.mutateAsync(to).then(
      () => {
        setEditing(null);
        undo.did(said, () => set.mutateAsync(known.contract));
      },
      () => undefined,
    );
  const begin = () =>
    draft.mutateAsync().then(
      (made) =>
        setEditing({
          contract: made.contract,
          says: `Drafted: the last ${count(made.deliveries, "delivery keeps", "deliveries keep")} it.`,
        }),
      () => undefined,
    );
  const takeFile = (file: File) =>
    void file.text().then((text) => {
      try {
        setBroken("");
        return keep(JSON.parse(text) as Contract, `${file.name} taken as the contract`);
      } catch {
        setBroken(`${file.name} is no JSON document.`);
      }
    });
  if (editing)
    return (
      <Editor
        start={editing.contract}
        says={editing.says}
        busy={set.isPending}
        error={set.error}
        onKeep={(to) => void keep(to, known.contract ? "The contract is changed" : "A contract is kept")}
        onClose={() => setEditing(null)}
      />
    );
  return (
    <Box>
      {known.contract ? (
        <Told feed={feed} known={known} />
      ) : (
        <Typography color="textSecondary">
          Nothing is agreed on what its files look like. A contract says it: each delivery is held against it,
          and the supplier has it as a page.
        </Typography>
      )}
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Button variant="outlined" disabled={draft.isPending} onClick={() => void begin()}>
          {known.contract ? "Draft it anew" : "Draft it from the last deliveries"}
        </Button>
        {known.contract && (
          <>
            <Button
              variant="outlined"
              color="inherit"
              onClick={() => known.contract && setEditing({ contract: known.contract, says: "" })}
            >
              Change it
            </Button>
            <Button
              color="inherit"
              disabled={set.isPending}
              onClick={() => void keep(null, "The contract is taken away")}
            >
              Take it away
            </Button>
          </>
        )}
        <FileButton label="Take it from a file" name="Contract file" busy={set.isPending} onFile={takeFile} />
      </Box>
      {broken && <Typography color="error">{broken}</Typography>}
      {draft.isError && <Failure error={draft.error} />}
      {set.isError && <Failure error={set.error} />}
    </Box>
  );
}

/** So many columns are told before one asks for all. */
const FEW = 6;

function Told({ feed, known }: { feed: number; known: FeedContract }) {
  const store = useStoreId();
  const [all, setAll] = useState(false);
  const shown = all ? known.columns : known.columns.slice(0, FEW);
  const base = `/api/v1/feeds/${feed}/contract`;
  return (
    <Box sx={{ display: "grid", gap: 1 }}>
      {known.delivery_id !== null && (
        <Box>
          <Typography component="span">
            <Mark
              state={known.breaches.length ? "refused" : "computed"}
              says={known.breaches.length ? "broken" : "kept"}
            />{" "}
            <Link to={`/s/${store}/feeds/${feed}/unusual?delivery=${known.delivery_id}`}>
              {known.file_name}
            </Link>{" "}
            {known.breaches.length
              ? `breaks it in ${count(known.breaches.length, "point", "points")}.`
              : "keeps it."}
          </Typography>
          <Breaches of={known.breaches} />
        </Box>
      )}
      <Typography>{known.file.join(" ")}</Typography>
      <Box
        component="dl"
        sx={{ m: 0, display: "grid", gridTemplateColumns: "220px minmax(0, 1fr)", gap: 0.5 }}
      >
        {shown.map(({ name, said }) => (
          <Box key={name} sx={{ display: "contents" }}>
            <Typography component="dt" className="mono" noWrap title={name}>
              {name}
            </Typography>
            <Typography component="dd" sx={{ m: 0, overflowWrap: "anywhere" }}>
              {said}
            </Typography>
          </Box>
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1 }}>
        {known.columns.length > FEW && (
          <Button color="inherit" onClick={() => setAll(!all)}>
            {all ? "Fewer columns" : `All ${known.columns.length} columns`}
          </Button>
        )}
        <Button color="inherit" component="a" href={`${base}.html`} target="_blank" rel="noreferrer">
          Page for the supplier
        </Button>
        <Button color="inherit" component="a" href={`${base}.json`} download>
          Table Schema
        </Button>
      </Box>
    </Box>
  );
}

/** In what a file breaks a contract. */
export function Breaches({ of }: { of: Breach[] }) {
  return (
    <Box component="ul" sx={{ m: 0, pl: 3 }}>
      {of.map((one) => (
        <Typography component="li" key={`${one.kind} ${one.column}`} sx={{ overflowWrap: "anywhere" }}>
          {one.said}
        </Typography>
      ))}
    </Box>
  );
}
