/** The saved views of the catalog, each with how many products it shows by now. */
import MoreVert from "@mui/icons-material/MoreVert";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { dropView, lookOf, putView, useViews, type Look, type SavedView } from "../../api/catalog";
import { Confirm } from "../../components/Confirm";
import { useUndo } from "../../shell/undo";

interface SavedViewsProps {
  store: number;
  look: Look;
  onLook: (look: Look) => void;
}

const same = (one: Look, other: Look) => JSON.stringify(one) === JSON.stringify(other);

/** The views of a store; what is looked at can be kept as one. */
export function SavedViews({ store, look, onLook }: SavedViewsProps) {
  const views = useViews(store);
  const queries = useQueryClient();
  const undo = useUndo();
  const [naming, setNaming] = useState<{ id?: number; name: string } | null>(null);
  const [menu, setMenu] = useState<{ anchor: HTMLElement; view: SavedView } | null>(null);
  const settled = () => queries.invalidateQueries({ queryKey: ["catalog", store, "views"] });
  const put = useMutation({
    mutationFn: ({ name, id, of }: { name: string; id?: number; of: Look }) => putView(store, name, of, id),
    onSuccess: () => setNaming(null),
    onSettled: settled,
  });
  const drop = useMutation({
    mutationFn: (view: number) => dropView(store, view),
    onSuccess: ({ name, look: was }) =>
      undo.did(`${name} is kept no more`, () =>
        put.mutateAsync({ name, of: lookOf({ look: was } as SavedView) }),
      ),
    onError: undo.failed,
    onSettled: settled,
  });
  const close = () => setMenu(null);
  return (
    <Box
      component="section"
      aria-label="Saved views"
      sx={{ borderBottom: 1, borderColor: "divider", py: 0.5 }}
    >
      {views.data?.views.map((view) => (
        <Box key={view.id} sx={{ display: "flex", alignItems: "center" }}>
          <button
            type="button"
            className={`ledger-row${same(lookOf(view), look) ? " chosen" : ""}`}
            aria-current={same(lookOf(view), look)}
            title={view.lost ? `The store has no field ${view.lost} any more` : view.author}
            onClick={() => onLook(lookOf(view))}
            style={{ paddingLeft: 12, flex: 1 }}
          >
            <span className="clip" style={{ flex: 1 }}>
              {view.name}
            </span>
            <span className="quiet">{view.lost ? "?" : (view.count?.toLocaleString("en") ?? "…")}</span>
          </button>
          <IconButton
            size="small"
            aria-label={`More about ${view.name}`}
            aria-haspopup="menu"
            onClick={(event) => setMenu({ anchor: event.currentTarget, view })}
          >
            <MoreVert fontSize="inherit" />
          </IconButton>
        </Box>
      ))}
      <button
        type="button"
        className="ledger-row"
        style={{ paddingLeft: 12 }}
        onClick={() => setNaming({ name: "" })}
      >
        <span className="quiet">Keep what is shown as a view …</span>
      </button>
      <Menu open={menu !== null} anchorEl={menu?.anchor} onClose={close}>
        <MenuItem
          onClick={() => {
            if (menu) put.mutate({ name: menu.view.name, id: menu.view.id, of: look });
            close();
          }}
        >
          Have it show what is shown now
        </MenuItem>
        <MenuItem
          onClick={() => {
            if (menu) setNaming({ id: menu.view.id, name: menu.view.name });
            close();
          }}
        >
          Name it otherwise …
        </MenuItem>
        <MenuItem
          onClick={() => {
            if (menu) drop.mutate(menu.view.id);
            close();
          }}
        >
          Keep it no more
        </MenuItem>
      </Menu>
      {naming && (
        <Confirm
          title={naming.id ? "Name the view otherwise" : "Keep what is shown as a view"}
          action="Keep"
          ready={naming.name.trim() !== ""}
          busy={put.isPending}
          error={put.error}
          onClose={() => {
            put.reset();
            setNaming(null);
          }}
          onYes={() => {
            const known = views.data?.views.find((view) => view.id === naming.id);
            put.mutate({
              name: naming.name.trim(),
              of: known ? lookOf(known) : look,
              ...(naming.id && { id: naming.id }),
            });
          }}
        >
          <TextField
            autoFocus
            label="Name"
            value={naming.name}
            onChange={(event) => setNaming({ ...naming, name: event.target.value })}
            slotProps={{ htmlInput: { maxLength: 80 } }}
          />
          <Typography variant="caption" color="textSecondary">
            Its filters, columns and order are kept; everybody of the store sees it.
          </Typography>
        </Confirm>
      )}
    </Box>
  );
}
