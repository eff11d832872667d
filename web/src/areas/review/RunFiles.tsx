/** A run as files: for a colleague, for the record, for the supplier. */
import Button from "@mui/material/Button";
import ListItemText from "@mui/material/ListItemText";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useState } from "react";
import type { RunView } from "../../api/hooks";

/** The files that a run can be had as. */
export function RunFiles({ run }: { run: RunView }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const own = `/api/v1/runs/${run.id}`;
  const file = (title: string, what: string, address: string) => (
    <MenuItem component="a" href={address} onClick={() => setAnchor(null)}>
      <ListItemText primary={title} secondary={what} />
    </MenuItem>
  );
  return (
    <>
      <Button color="inherit" aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        Files
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {file(
          "What changes, as a workbook",
          "Old, new, difference; sums by category and supplier",
          `${own}/changes?format=xlsx`,
        )}
        {file("What changes, as CSV", "A line for each value", `${own}/changes?format=csv`)}
        {file("Result file", "A line for every row and product", `${own}/result?format=csv`)}
        {run.kind === "delivery" &&
          file(
            "For the supplier",
            "What to mend in the file, and nothing of ours",
            `${own}/to-mend?format=xlsx`,
          )}
        {run.status === "applied" &&
          file(
            "The products now, as CSV",
            "Those that it changed, in the store's own writing",
            `/api/v1/stores/${run.store_id}/outbound?run_id=${run.id}`,
          )}
      </Menu>
    </>
  );
}
