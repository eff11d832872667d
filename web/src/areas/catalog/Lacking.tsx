/** How many of the products shown have all that they need, and what the others lack: a list to do. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Popover from "@mui/material/Popover";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { putNeeds, useCompleteness, type Condition, type Look } from "../../api/catalog";
import type { StoreField } from "../../api/hooks";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";

interface LackingProps {
  store: number;
  look: Look;
  fields: readonly StoreField[];
  onOnly: (condition: Condition) => void;
}

/** The share of complete products; it opens what is missing, and what is needed. */
export function Lacking({ store, look, fields, onOnly }: LackingProps) {
  const told = useCompleteness(store, look);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [choosing, setChoosing] = useState(false);
  const queries = useQueryClient();
  const undo = useUndo();
  const need = useMutation({
    mutationFn: (names: string[] | null) => putNeeds(store, names),
    onError: undo.failed,
    onSettled: () => queries.invalidateQueries({ queryKey: ["catalog", store] }),
  });
  if (!told.data?.total) return null;
  const { total, complete, missing, needs } = told.data;
  // Rounded down: a single one that lacks something is not "100 %".
  const share = Math.floor((100 * complete) / total);
  const only = (condition: Condition) => {
    setAnchor(null);
    onOnly(condition);
  };
  return (
    <>
      <Button color="inherit" onClick={(event) => setAnchor(event.currentTarget)} aria-haspopup="dialog">
        {share} % complete
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      >
        <Box
          role="group"
          aria-label="What products lack"
          sx={{ p: 1.5, width: 300, maxHeight: 460, overflowY: "auto" }}
        >
          {choosing ? (
            <>
              <Typography variant="h3">What every product needs</Typography>
              {fields.map((field) => (
                <FormControlLabel
                  key={field.name}
                  sx={{ display: "flex" }}
                  control={
                    <Checkbox
                      size="small"
                      checked={needs.includes(field.name)}
                      disabled={need.isPending}
                      onChange={(_, on) =>
                        need.mutate(on ? [...needs, field.name] : needs.filter((name) => name !== field.name))
                      }
                    />
                  }
                  label={field.title || field.name}
                />
              ))}
              <Button color="inherit" onClick={() => need.mutate(null)}>
                As usual
              </Button>
              <Button color="inherit" onClick={() => setChoosing(false)}>
                Done
              </Button>
            </>
          ) : (
            <>
              <Typography variant="h3" gutterBottom>
                {count(total - complete, "product lacks", "products lack")} something
              </Typography>
              {missing.map((one) => (
                <button
                  key={one.field}
                  type="button"
                  className="ledger-row"
                  onClick={() => only({ field: one.field, test: "empty", value: "" })}
                >
                  <span style={{ flex: 1 }}>no {one.label}</span>
                  <span className="quiet">{one.count.toLocaleString("en")}</span>
                </button>
              ))}
              {missing.length > 0 && (
                <Button
                  color="inherit"
                  onClick={() => only({ field: "$missing", test: "filled", value: "" })}
                >
                  Show all of these
                </Button>
              )}
              <Button color="inherit" onClick={() => setChoosing(true)}>
                What is needed …
              </Button>
            </>
          )}
        </Box>
      </Popover>
    </>
  );
}
