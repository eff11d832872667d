/** Makes the products that are shown live, hidden or archived, or deletes them: a run, looked at first. */
import Button from "@mui/material/Button";
import Divider from "@mui/material/Divider";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { Look } from "../../api/catalog";
import { api, take, type Schemas } from "../../api/client";
import { count, STATES } from "../../components/words";
import { useUndo } from "../../shell/undo";

interface PublishProps {
  store: number;
  total: number;
  look: Look;
}

/** A menu of the states that the products shown may get. */
export function Publish({ store, total, look }: PublishProps) {
  const { category, search, state, where } = look;
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const navigate = useNavigate();
  const queries = useQueryClient();
  const undo = useUndo();
  const begin = useMutation({
    mutationFn: (to: Schemas["StatesEdit"]["to"]) =>
      take(
        api.POST("/api/v1/stores/{store_id}/states", {
          params: { path: { store_id: store } },
          body: { to, category, search, state, where },
        }),
      ),
    onSuccess: async ({ id }) => {
      await queries.invalidateQueries({ queryKey: ["runs"] });
      await navigate(`/s/${store}/runs/${id}`);
    },
    onError: undo.failed,
  });
  return (
    <>
      <Button
        color="inherit"
        aria-haspopup="menu"
        disabled={!total || begin.isPending}
        onClick={(e) => setAnchor(e.currentTarget)}
      >
        State of all
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        {STATES.filter((one) => one !== state).map((one) => (
          <MenuItem
            key={one}
            onClick={() => {
              setAnchor(null);
              begin.mutate(one);
            }}
          >
            Make {count(total, "product", "products")} {one} …
          </MenuItem>
        ))}
        <Divider />
        <MenuItem
          onClick={() => {
            setAnchor(null);
            begin.mutate("out");
          }}
        >
          Delete {count(total, "product", "products")} …
        </MenuItem>
      </Menu>
    </>
  );
}
