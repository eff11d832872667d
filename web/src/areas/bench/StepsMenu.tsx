/** What can be done with a whole chain: copied to another field, saved under a name. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api/client";
import type { BenchState, Fill } from "../../api/hooks";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import type { Edits } from "./useEdits";

interface StepsMenuProps {
  bench: BenchState;
  name: string;
  fill: Fill;
  edits: Edits;
}

/** The steps there are, by group. */
export function StepsMenu({ bench, name, fill, edits }: StepsMenuProps) {
  const store = useStoreId();
  const undo = useUndo();
  const queries = useQueryClient();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [saved, setSaved] = useState("");
  const steps = fill.steps ?? [];
  const others = bench.fields.filter((f) => f.field.name !== name && (!f.field.spare || f.source));
  const copy = (to: string) => {
    setAnchor(null);
    const there = bench.crosswalk.fills?.[to];
    const next: Fill = there ? { ...there, steps } : { ...fill, steps };
    const label = bench.fields.find((f) => f.field.name === to)?.field.title ?? to;
    void edits.setFill(to, next, `${label}: steps copied from ${name}`);
  };
  const save = async () => {
    setAnchor(null);
    try {
      await take(
        api.PUT("/api/v1/stores/{store_id}/chains", {
          params: { path: { store_id: store } },
          body: { name: saved.trim(), steps },
        }),
      );
      await queries.invalidateQueries({ queryKey: ["lookups"] });
      await edits.setFill(
        name,
        { ...fill, steps: [{ do: "chain", chain: saved.trim() }] },
        `Steps saved as '${saved.trim()}'`,
      );
      setSaved("");
    } catch (error) {
      undo.failed(error);
    }
  };
  const nested = steps.some((s) => s.do === "chain");
  if (!steps.length) return null;
  return (
    <>
      <Button color="inherit" aria-haspopup="menu" onClick={(e) => setAnchor(e.currentTarget)}>
        Copy or save these steps
      </Button>
      <Menu
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        slotProps={{ paper: { sx: { maxHeight: 380 } } }}
      >
        {!nested && (
          <Box
            sx={{ display: "flex", gap: 1, px: 1.5, py: 0.5 }}
            onKeyDown={(e) => e.key !== "Escape" && e.stopPropagation()}
          >
            <TextField
              placeholder="save under a name"
              value={saved}
              onChange={(e) => setSaved(e.target.value)}
              onKeyDown={(e) => e.key === "Enter" && saved.trim() && void save()}
              slotProps={{ htmlInput: { "aria-label": "Name of the steps" } }}
              sx={{ width: 180 }}
            />
            <Button disabled={!saved.trim()} onClick={() => void save()}>
              Save
            </Button>
          </Box>
        )}
        {others.map((f) => (
          <MenuItem key={f.field.name} onClick={() => copy(f.field.name)}>
            Copy to {f.field.title || f.field.name}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
