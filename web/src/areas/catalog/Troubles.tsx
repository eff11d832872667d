/** What is wrong with the products shown, looked for when it is asked: a list to do. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useProblems, useProductProblems, type Condition, type Look } from "../../api/catalog";
import { Progress } from "../../components/Progress";
import { Failure } from "../../components/states";
import { count } from "../../components/words";

interface TroublesProps {
  store: number;
  look: Look;
  onOnly: (condition: Condition) => void;
}

/** Opens the fields in which something is wrong, each with its number of products. */
export function Troubles({ store, look, onOnly }: TroublesProps) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const told = useProblems(store, look, anchor !== null);
  const only = (condition: Condition) => {
    setAnchor(null);
    onOnly(condition);
  };
  return (
    <>
      <Button color="inherit" aria-haspopup="dialog" onClick={(event) => setAnchor(event.currentTarget)}>
        Problems
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      >
        <Box
          role="group"
          aria-label="What is wrong with products"
          sx={{ p: 1.5, width: 300, maxHeight: 460, overflowY: "auto" }}
        >
          {(told.isPending || told.data?.looking) && (
            <>
              <Typography color="textSecondary" gutterBottom>
                Looking at every value …
                {told.data?.looking && " With so many products this takes a while; go on meanwhile."}
              </Typography>
              <Progress of="Looking at every value" />
            </>
          )}
          {told.isError && <Failure error={told.error} retry={() => void told.refetch()} />}
          {told.data && !told.data.looking && (
            <Typography variant="h3" gutterBottom>
              {told.data.total
                ? `${count(told.data.total, "product has", "products have")} a problem`
                : "Nothing is wrong with what is shown"}
            </Typography>
          )}
          {told.data?.problems.map((one) => (
            <button
              key={one.field}
              type="button"
              className="ledger-row"
              onClick={() => only({ field: "$problem", test: "is", value: one.field })}
            >
              <span style={{ flex: 1 }}>{one.label}</span>
              <span className="quiet">{one.count.toLocaleString("en")}</span>
            </button>
          ))}
          {(told.data?.problems.length ?? 0) > 1 && (
            <Button color="inherit" onClick={() => only({ field: "$problem", test: "filled", value: "" })}>
              Show all of these
            </Button>
          )}
        </Box>
      </Popover>
    </>
  );
}

/** What is wrong with one product; nothing where nothing is. */
export function ProductTroubles({ store, product }: { store: number; product: string }) {
  const told = useProductProblems(store, product);
  if (!told.data?.problems.length) return null;
  return (
    <Box component="section" aria-label="What is wrong" sx={{ mb: 3 }}>
      <Typography variant="h2" gutterBottom>
        What is wrong
      </Typography>
      {told.data.problems.map((one, at) => (
        <Typography key={at} color="warning" sx={{ overflowWrap: "anywhere" }}>
          {one.said}
        </Typography>
      ))}
    </Box>
  );
}
