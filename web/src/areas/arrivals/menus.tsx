/** What can be done with a feed and with a delivery besides working on them. */
import MoreVert from "@mui/icons-material/MoreVert";
import IconButton from "@mui/material/IconButton";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { api, take } from "../../api/client";
import type { DeliveryLine, FeedLine } from "../../api/hooks";
import { Confirm } from "../../components/Confirm";
import { useUndo } from "../../shell/undo";
import { Removal } from "../store/Removal";
import { useStoreEdit } from "../../api/storeEdits";

interface MoreProps<K extends string> {
  label: string;
  items: [K, string][];
  onChoose: (what: K) => void;
}

function More<K extends string>({ label, items, onChoose }: MoreProps<K>) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <IconButton size="small" aria-label={label} title={label} onClick={(e) => setAnchor(e.currentTarget)}>
        <MoreVert fontSize="small" />
      </IconButton>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {items.map(([key, text]) => (
          <MenuItem
            key={key}
            onClick={() => {
              setAnchor(null);
              onChoose(key);
            }}
          >
            {text}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}

/** Renames or removes a feed. */
export function FeedMenu({ feed }: { feed: FeedLine }) {
  const [asked, setAsked] = useState<"" | "rename" | "remove">("");
  const close = () => setAsked("");
  return (
    <>
      <More
        label={`More for ${feed.supplier}, ${feed.name}`}
        items={[
          ["rename", "Rename the feed"],
          ["remove", "Remove the feed"],
        ]}
        onChoose={setAsked}
      />
      {asked === "rename" && <Rename feed={feed} onClose={close} />}
      {asked === "remove" && <Removal kind="feed" id={feed.id} onClose={close} />}
    </>
  );
}

function Rename({ feed, onClose }: { feed: FeedLine; onClose: () => void }) {
  const undo = useUndo();
  const [name, setName] = useState(feed.name);
  const edit = useStoreEdit((to: string) =>
    take(
      api.PUT("/api/v1/feeds/{feed_id}/name", {
        params: { path: { feed_id: feed.id } },
        body: { name: to },
      }),
    ),
  );
  return (
    <Confirm
      title={`Rename ${feed.supplier}, ${feed.name}`}
      action="Rename it"
      ready={name.trim() !== "" && name !== feed.name}
      busy={edit.isPending}
      error={edit.error}
      onClose={onClose}
      onYes={() =>
        edit.mutate(name.trim(), {
          onSuccess: () => {
            undo.did(`${feed.name} is now ${name.trim()}`, () => edit.mutateAsync(feed.name));
            onClose();
          },
        })
      }
    >
      <TextField label="Feed" value={name} autoFocus onChange={(e) => setName(e.target.value)} />
    </Confirm>
  );
}

interface DeliveryMenuProps {
  delivery: DeliveryLine;
  feed: FeedLine;
  feeds: FeedLine[];
}

/** Moves a delivery to another feed, or removes it. */
export function DeliveryMenu({ delivery, feed, feeds }: DeliveryMenuProps) {
  const [asked, setAsked] = useState<"" | "move" | "remove">("");
  const close = () => setAsked("");
  return (
    <>
      <More
        label={`More for ${delivery.file_name}`}
        items={[
          ["move", "Move to another feed"],
          ["remove", "Remove the delivery"],
        ]}
        onChoose={setAsked}
      />
      {asked === "move" && (
        <Move delivery={delivery} feed={feed} feeds={feeds.filter((f) => f.id !== feed.id)} onClose={close} />
      )}
      {asked === "remove" && <Removal kind="delivery" id={delivery.id} onClose={close} />}
    </>
  );
}

function Move({ delivery, feed, feeds, onClose }: DeliveryMenuProps & { onClose: () => void }) {
  const undo = useUndo();
  const [target, setTarget] = useState(feeds[0]?.id ?? 0);
  const edit = useStoreEdit((to: number) =>
    take(
      api.POST("/api/v1/deliveries/{delivery_id}/move", {
        params: { path: { delivery_id: delivery.id } },
        body: { feed_id: to },
      }),
    ),
  );
  return (
    <Confirm
      title={`Move ${delivery.file_name}`}
      action="Move it"
      ready={target > 0}
      busy={edit.isPending}
      error={edit.error}
      onClose={onClose}
      onYes={() =>
        edit.mutate(target, {
          onSuccess: () => {
            undo.did(`Moved ${delivery.file_name}`, () => edit.mutateAsync(feed.id));
            onClose();
          },
        })
      }
    >
      {feeds.length === 0 ? (
        <Typography>There is no other feed in this store yet; make one first.</Typography>
      ) : (
        <TextField
          select
          label="To the feed"
          value={target}
          onChange={(e) => setTarget(Number(e.target.value))}
        >
          {feeds.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.supplier}, {f.name}
            </MenuItem>
          ))}
        </TextField>
      )}
      <Typography color="textSecondary">
        It is read there as that feed reads. The catalog is not touched; runs that were only prepared from it
        are given up.
      </Typography>
    </Confirm>
  );
}
