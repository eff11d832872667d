/** Asks before a feed, a delivery or a store goes out of sight, saying what stays. */
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Confirm } from "../../components/Confirm";
import { Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { bringBack, remove, useRemovalTouch, useStoreEdit, type Kind } from "../../api/storeEdits";

interface RemovalProps {
  kind: Kind;
  id: number;
  onClose: () => void;
  onRemoved?: () => void;
}

/** The question before a removal. A store is removed only after its name has been typed. */
export function Removal({ kind, id, onClose, onRemoved }: RemovalProps) {
  const undo = useUndo();
  const touch = useRemovalTouch(kind, id);
  const edit = useStoreEdit((back: boolean) => (back ? bringBack(kind, id) : remove(kind, id)));
  const [typed, setTyped] = useState("");
  const name = touch.data?.name ?? "";
  return (
    <Confirm
      title={`Remove the ${kind} ${name}?`}
      action={`Remove the ${kind}`}
      ready={touch.isSuccess && (kind !== "store" || typed === name)}
      busy={edit.isPending}
      error={touch.error ?? edit.error}
      onClose={onClose}
      onYes={() =>
        edit.mutate(false, {
          onSuccess: () => {
            undo.did(`Removed ${name}`, () => edit.mutateAsync(true));
            onClose();
            onRemoved?.();
          },
        })
      }
    >
      {touch.isPending && <Waiting what="what it touches" />}
      {touch.data && <Touched kind={kind} touch={touch.data} />}
      {kind === "store" && touch.isSuccess && (
        <TextField
          label={`Type ${name} to go on`}
          value={typed}
          autoFocus
          onChange={(e) => setTyped(e.target.value)}
        />
      )}
    </Confirm>
  );
}

function Touched({ kind, touch }: { kind: Kind; touch: Schemas["RemovalTouch"] }) {
  const gone = [
    kind === "store" && count(touch.feeds, "feed", "feeds"),
    kind !== "delivery" && count(touch.deliveries, "delivery", "deliveries"),
  ].filter(Boolean);
  return (
    <>
      {gone.length > 0 && <Typography>Out of sight with it: {gone.join(", ")}.</Typography>}
      <Typography>
        {kind === "store"
          ? `Its catalog of ${count(touch.products, "product", "products")} is kept with it.`
          : "The catalog is not touched" +
            (kind === "feed"
              ? `: the supplier's ${count(touch.products, "product", "products")} stay as they are.`
              : ".")}{" "}
        {touch.applied_runs > 0 && `${count(touch.applied_runs, "run", "runs")} and their history stay. `}
        {touch.waiting_runs > 0 &&
          `${count(touch.waiting_runs, "prepared run", "prepared runs")} can still be applied from Runs.`}
      </Typography>
      {touch.leaning.length > 0 && (
        <Typography color="warning">
          Its tables are joined by {touch.leaning.join("; ")}: their next deliveries are read without it.
        </Typography>
      )}
      <Typography color="textSecondary">
        {kind === "store"
          ? "It can be brought back from the list of removed stores, under Store of any other."
          : "It can be brought back under Store, Removed."}
      </Typography>
    </>
  );
}
