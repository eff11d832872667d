/** Makes a feed of a supplier. */
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api/client";
import { Failure } from "../../components/states";

export function NewFeed({ store }: { store: number }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [supplier, setSupplier] = useState("");
  const [name, setName] = useState("Price list");
  const make = useMutation({
    mutationFn: () =>
      take(
        api.POST("/api/v1/stores/{store_id}/feeds", {
          params: { path: { store_id: store } },
          body: { supplier, name },
        }),
      ),
    onSuccess: async () => {
      setOpen(false);
      await queries.invalidateQueries({ queryKey: ["arrivals"] });
    },
  });
  return (
    <>
      <Button variant="outlined" color="inherit" onClick={() => setOpen(true)}>
        New feed
      </Button>
      <Dialog open={open} onClose={() => setOpen(false)} fullWidth maxWidth="xs">
        <form
          onSubmit={(e) => {
            e.preventDefault();
            make.mutate();
          }}
        >
          <DialogTitle>New feed</DialogTitle>
          <DialogContent sx={{ display: "grid", gap: 2, pt: "8px !important" }}>
            <TextField
              label="Supplier"
              value={supplier}
              autoFocus
              required
              onChange={(e) => setSupplier(e.target.value)}
            />
            <TextField
              label="Feed"
              value={name}
              required
              onChange={(e) => setName(e.target.value)}
              helperText="What this stream of files is: price list, stock, texts …"
            />
            {make.isError && <Failure error={make.error} />}
          </DialogContent>
          <DialogActions>
            <Button color="inherit" onClick={() => setOpen(false)}>
              Cancel
            </Button>
            <Button variant="contained" type="submit" disabled={make.isPending}>
              Make it
            </Button>
          </DialogActions>
        </form>
      </Dialog>
    </>
  );
}
