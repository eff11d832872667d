/** A question before something is done, with what it touches. */
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import type { ReactNode } from "react";
import { Failure } from "./states";

interface ConfirmProps {
  title: string;
  /** What the button that does it says. */
  action: string;
  ready?: boolean;
  busy?: boolean;
  error?: unknown;
  onYes: () => void;
  onClose: () => void;
  children: ReactNode;
}

/** Asks before `action`; nothing happens until it is pressed. */
export function Confirm({
  title,
  action,
  ready = true,
  busy,
  error,
  onYes,
  onClose,
  children,
}: ConfirmProps) {
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="confirm-title">
      <form
        onSubmit={(e) => {
          e.preventDefault();
          if (ready && !busy) onYes();
        }}
      >
        <DialogTitle id="confirm-title">{title}</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 1.5, pt: "8px !important" }}>
          {children}
          {Boolean(error) && <Failure error={error} />}
        </DialogContent>
        <DialogActions>
          <Button color="inherit" onClick={onClose}>
            Cancel
          </Button>
          <Button variant="contained" type="submit" disabled={!ready || busy}>
            {action}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
