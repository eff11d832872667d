/** The history of a crosswalk: save with a note, see what changed, bring a version back, start
 *  from another feed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useContext, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take, type Schemas } from "../api/client";
import { useAskContrast } from "../api/contrasts";
import { useArrivals, useFeedEdit, useVersions } from "../api/hooks";
import { Failure, Waiting } from "../components/states";
import { ago, count } from "../components/words";
import { besideAddress } from "../areas/contrast/InShort";
import { FeedContext } from "./feed";
import { useStoreId } from "./Shell";
import { useUndo } from "./undo";

interface VersionsProps {
  feed: number;
  open: boolean;
  onClose: () => void;
}

/** Versions of a crosswalk: what each changed, saved and brought back. */
export function Versions({ feed, open, onClose }: VersionsProps) {
  const versions = useVersions(feed, open);
  return (
    <Dialog open={open} onClose={onClose} maxWidth="md" fullWidth aria-label="Versions of the crosswalk">
      <DialogTitle>Versions of the crosswalk</DialogTitle>
      <DialogContent>
        {versions.isPending && <Waiting what="versions" />}
        {versions.isError && <Failure error={versions.error} />}
        {versions.data && (
          <>
            <Draft feed={feed} unsaved={versions.data.unsaved} />
            {versions.data.versions.map((v) => (
              <Version key={v.id} feed={feed} version={v} onClose={onClose} />
            ))}
            <OtherFeed feed={feed} />
          </>
        )}
      </DialogContent>
    </Dialog>
  );
}

function Draft({ feed, unsaved }: { feed: number; unsaved: string[] }) {
  const [note, setNote] = useState("");
  const undo = useUndo();
  const save = useFeedEdit(feed, (said: string) =>
    take(
      api.POST("/api/v1/feeds/{feed_id}/versions", {
        params: { path: { feed_id: feed } },
        body: { note: said },
      }),
    ),
  );
  return (
    <Box component="section" aria-label="Not saved yet" sx={{ mb: 2 }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center", mb: 0.5 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          {unsaved.length ? `Not saved yet: ${count(unsaved.length, "change", "changes")}` : "All is saved"}
        </Typography>
        <TextField
          placeholder="a note"
          value={note}
          onChange={(e) => setNote(e.target.value)}
          slotProps={{ htmlInput: { "aria-label": "Note" } }}
          sx={{ width: 260 }}
        />
        <Button
          variant="contained"
          disabled={save.isPending || (!unsaved.length && !note)}
          onClick={() => save.mutate(note, { onSuccess: () => setNote(""), onError: undo.failed })}
        >
          Save a version
        </Button>
      </Box>
      <Changes lines={unsaved} />
    </Box>
  );
}

function Changes({ lines }: { lines: string[] }) {
  const [all, setAll] = useState(false);
  const shown = all ? lines : lines.slice(0, 4);
  return (
    <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
      {shown.map((line) => (
        <Typography component="li" variant="body2" key={line} sx={{ overflowWrap: "anywhere" }}>
          {line}
        </Typography>
      ))}
      {lines.length > shown.length && (
        <Button size="small" onClick={() => setAll(true)}>
          and {lines.length - shown.length} more
        </Button>
      )}
    </Box>
  );
}

interface VersionRowProps {
  feed: number;
  version: Schemas["VersionLine"];
  onClose: () => void;
}

function Version({ feed, version, onClose }: VersionRowProps) {
  const store = useStoreId();
  const undo = useUndo();
  const restore = useFeedEdit(feed, (number: number) =>
    take(
      api.POST("/api/v1/feeds/{feed_id}/versions/{number}/restore", {
        params: { path: { feed_id: feed, number } },
      }),
    ),
  );
  return (
    <Box
      component="section"
      aria-label={`Version ${version.number}`}
      sx={{ borderTop: 1, borderColor: "divider", py: 1 }}
    >
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        <Typography sx={{ fontWeight: 600 }}>{version.number}</Typography>
        <Typography sx={{ flex: 1 }}>{version.note}</Typography>
        <Typography variant="caption" color="textSecondary">
          {version.author && `${version.author}, `}
          {ago(version.at)}
          {version.runs.map((run) => (
            <span key={run}>
              {" · "}
              <Link to={`/s/${store}/runs/${run}`}>run {run}</Link>
            </span>
          ))}
        </Typography>
        <BesideDraft feed={feed} version={version.number} onClose={onClose} />
        <Button
          color="inherit"
          disabled={restore.isPending}
          onClick={() => restore.mutate(version.number, { onSuccess: onClose, onError: undo.failed })}
        >
          Bring back
        </Button>
      </Box>
      <Changes lines={version.changes} />
    </Box>
  );
}

interface BesideDraftProps {
  feed: number;
  version: number;
  onClose: () => void;
}

/** What the draft makes of the delivery beside this version; leads to it, line by line. */
function BesideDraft({ feed, version, onClose }: BesideDraftProps) {
  const store = useStoreId();
  const navigate = useNavigate();
  const undo = useUndo();
  const delivery = useContext(FeedContext)?.delivery;
  const ask = useAskContrast(feed, delivery);
  const sides = { before: { version }, after: { version: 0 } };
  const go = (made: { id: number }) => {
    onClose();
    return navigate(besideAddress(store, feed, made.id));
  };
  return (
    <Button
      color="inherit"
      disabled={ask.isPending}
      title="What becomes another in this delivery, from this version to the draft"
      onClick={() => ask.mutate(sides, { onSuccess: go, onError: undo.failed })}
    >
      Beside the draft
    </Button>
  );
}

function OtherFeed({ feed }: { feed: number }) {
  const arrivals = useArrivals(useStoreId());
  const undo = useUndo();
  const [missing, setMissing] = useState<string[] | null>(null);
  const copy = useFeedEdit(feed, (source: number) =>
    take(
      api.POST("/api/v1/feeds/{feed_id}/copy", {
        params: { path: { feed_id: feed } },
        body: { feed_id: source },
      }),
    ).then((found) => setMissing(found.missing)),
  );
  const others = (arrivals.data?.feeds ?? []).filter((f) => f.id !== feed);
  if (!others.length) return null;
  return (
    <Box sx={{ borderTop: 1, borderColor: "divider", pt: 1.5 }}>
      <TextField
        select
        label="Start again from another feed's crosswalk"
        value=""
        sx={{ width: 320 }}
        onChange={(e) => copy.mutate(Number(e.target.value), { onError: undo.failed })}
      >
        {others.map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {f.supplier}, {f.name}
          </MenuItem>
        ))}
      </TextField>
      {missing && (
        <Typography variant="body2" role="status" sx={{ mt: 0.5 }}>
          Taken over.{" "}
          {missing.length
            ? `This feed has no ${missing.map((m) => `'${m}'`).join(", ")}.`
            : "All its columns arrive here too."}
        </Typography>
      )}
    </Box>
  );
}
