/** Makes a price ladder where one is missed. */
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, take } from "../../api/client";
import { useSchema, type Ladder, type Rung } from "../../api/hooks";
import { Confirm } from "../../components/Confirm";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { useStoreEdit } from "../../api/storeEdits";
import { isNumber, plain } from "./LadderTable";

/** Keeps a ladder under its name. */
export const saveLadder = (store: number, body: Ladder) =>
  take(api.PUT("/api/v1/stores/{store_id}/ladders", { params: { path: { store_id: store } }, body }));

interface NewLadderProps {
  /** Names that are taken. */
  names: string[];
  onClose: () => void;
  onMade: (ladder: Ladder) => void;
}

/** One rung to begin with; more are added in its table. */
export function NewLadder({ names, onClose, onMade }: NewLadderProps) {
  const store = useStoreId();
  const undo = useUndo();
  const schema = useSchema(store);
  const [name, setName] = useState("Retail");
  const [kind, setKind] = useState<NonNullable<Rung["kind"]>>("markup");
  const [amount, setAmount] = useState("");
  const make = useStoreEdit((ladder: Ladder) => saveLadder(store, ladder));
  const price = schema.data?.product_schema.fields.find((f) => f.role === "price");
  const taken = names.includes(name.trim());
  const share = Number(plain(amount));
  const sound = isNumber(amount) && (kind !== "margin" || share < 100);
  return (
    <Confirm
      title="A new price ladder"
      action="Make it"
      ready={name.trim() !== "" && !taken && sound && schema.isSuccess}
      busy={make.isPending}
      error={make.error}
      onClose={onClose}
      onYes={() =>
        make.mutate(
          {
            name: name.trim(),
            currency: price?.currency ?? "EUR",
            rungs: [{ start: "0", kind, amount: plain(amount) }],
          },
          {
            onSuccess: (ladder) => {
              undo.did(`Made the ladder '${ladder.name}'`);
              onMade(ladder);
            },
          },
        )
      }
    >
      <TextField
        label="Name of the ladder"
        value={name}
        autoFocus
        error={taken}
        helperText={taken ? "There is a ladder of this name." : "What it is for: retail, trade, sale …"}
        onChange={(e) => setName(e.target.value)}
      />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 140px", gap: 1 }}>
        <TextField
          select
          label="The price is the cost and"
          value={kind}
          onChange={(e) => setKind(e.target.value as typeof kind)}
        >
          <MenuItem value="markup">a markup, a share of the cost</MenuItem>
          <MenuItem value="margin">a margin, a share of the price</MenuItem>
        </TextField>
        <TextField
          label="Percent"
          value={amount}
          error={amount !== "" && !sound}
          onChange={(e) => setAmount(e.target.value)}
        />
      </Box>
      <Typography color="textSecondary">{sound && other(kind, share)}</Typography>
      <Typography color="textSecondary">
        Rungs by cost, endings, limits and rules are added in its table, over the real products.
      </Typography>
    </Confirm>
  );
}

function other(kind: string, share: number): string {
  const said = kind === "markup" ? (100 * share) / (100 + share) : (100 * share) / (100 - share);
  return `That is a ${kind === "markup" ? "margin" : "markup"} of ${said.toFixed(1)} %.`;
}
