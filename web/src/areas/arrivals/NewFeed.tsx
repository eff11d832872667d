/** Makes a feed, with its first file at hand or without one; a file at hand may go to any feed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, take } from "../../api/client";
import type { FeedLine } from "../../api/hooks";
import { fetchFrom, useFromProfile, type FeedProfile } from "../../api/sources";
import { Confirm } from "../../components/Confirm";
import { bytes, count } from "../../components/words";
import { supplierOf } from "./pasted";
import { useUpload } from "./useUpload";
import { Progress } from "../../components/Progress";

interface NewFeedProps {
  store: number;
  feeds: FeedLine[];
  limit: number;
  /** The file that was dropped or pasted; null for a feed without one yet. */
  file: File | null;
  onClose: () => void;
}

/** Whose file it is; then it is read, and its bench or its reading opened. */
export function NewFeed({ store, feeds, limit, file: given, onClose }: NewFeedProps) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const upload = useUpload(limit);
  const [file, setFile] = useState(given);
  const [target, setTarget] = useState(0);
  const [supplier, setSupplier] = useState(given ? supplierOf(given.name) : "");
  const [name, setName] = useState("Price list");
  const [profile, setProfile] = useState<FeedProfile | null>(null);
  const [strange, setStrange] = useState<Error | null>(null);
  const [address, setAddress] = useState("");
  const from = useFromProfile(store);
  // A feed that was made stays the target when its file could not be sent: it is not made twice.
  const make = useMutation({
    mutationFn: async () => {
      if (target) return target;
      const made = profile
        ? await from.mutateAsync({ ...profile, supplier, name })
        : await take(
            api.POST("/api/v1/stores/{store_id}/feeds", {
              params: { path: { store_id: store } },
              body: { supplier, name },
            }),
          );
      await queries.invalidateQueries({ queryKey: ["arrivals"] });
      setTarget(made.id);
      return made.id;
    },
  });
  const begin = useMutation({ mutationFn: (feed: number) => fetchFrom(feed, address.trim()) });
  const go = async () => {
    const feed = await make.mutateAsync();
    if (!file && address.trim()) {
      await begin.mutateAsync(feed);
      return navigate(`/s/${store}/feeds/${feed}/profile`);
    }
    if (!file && profile) return navigate(`/s/${store}/feeds/${feed}/profile`);
    if (!file) return onClose();
    const sent = await upload.send(feed, file);
    if (!sent) return;
    const sound = sent.status === "waiting" && sent.complete;
    await navigate(`/s/${store}/feeds/${feed}/${sound ? "bench" : "reading"}?delivery=${sent.id}`);
  };
  return (
    <Confirm
      title={file ? `Whose file is ${file.name}?` : "New feed"}
      action={target && file ? "Receive it" : "Make it"}
      ready={target > 0 || (supplier.trim() !== "" && name.trim() !== "")}
      busy={make.isPending || begin.isPending || upload.share !== null}
      error={make.error ?? begin.error ?? upload.error ?? strange}
      onYes={() => void go().catch(() => undefined)}
      onClose={onClose}
    >
      {file && feeds.length > 0 && (
        <TextField select label="Goes to" value={target} onChange={(e) => setTarget(Number(e.target.value))}>
          <MenuItem value={0}>a new feed</MenuItem>
          {feeds.map((f) => (
            <MenuItem key={f.id} value={f.id}>
              {f.supplier}, {f.name}
            </MenuItem>
          ))}
        </TextField>
      )}
      {!target && (
        <>
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
        </>
      )}
      {file ? <AtHand file={file} /> : <FirstFile onFile={setFile} />}
      {!file && !profile && (
        <TextField
          label="Or where it is on the web"
          value={address}
          placeholder="https://…"
          onChange={(e) => setAddress(e.target.value)}
          helperText="It is fetched at once. FTP, SFTP, mail and folders: on the profile of the feed."
        />
      )}
      {!target && (
        <ProfileFile
          taken={profile}
          onRead={(read, error) => {
            setProfile(read);
            setStrange(error);
            if (!read) return;
            setSupplier(read.supplier);
            setName(read.name);
          }}
        />
      )}
      {upload.share !== null && <Progress of="Sending the file" share={upload.share} />}
    </Confirm>
  );
}

/** A feed may begin as another one was saved. */
function ProfileFile({ taken, onRead }: ProfileFileProps) {
  const read = async (file: File) => {
    try {
      const document = JSON.parse(await file.text()) as FeedProfile;
      if (document.format !== "nomotax-feed-profile") throw new SyntaxError("it says so nowhere");
      onRead(document, null);
    } catch (error) {
      onRead(null, new Error(`${file.name} is no profile of a feed: ${(error as Error).message}`));
    }
  };
  return (
    <Typography color="textSecondary" component="div">
      {taken ? `It begins as ${taken.supplier}, ${taken.name} was.` : "It may begin as another one:"}{" "}
      <Button component="label" color="inherit">
        Choose a profile
        <input
          hidden
          type="file"
          accept=".json"
          aria-label="Profile of a feed"
          onChange={(e) => e.target.files?.[0] && void read(e.target.files[0])}
        />
      </Button>
    </Typography>
  );
}

interface ProfileFileProps {
  taken: FeedProfile | null;
  onRead: (profile: FeedProfile | null, error: Error | null) => void;
}

function AtHand({ file }: { file: File }) {
  return (
    <Typography color="textSecondary">
      {file.name}, {bytes(file.size)}. It is kept as it is, and read at once.
    </Typography>
  );
}

/** The first file may come along: chosen, or pasted as rows. */
function FirstFile({ onFile }: { onFile: (file: File) => void }) {
  const [rows, setRows] = useState("");
  return (
    <Box sx={{ display: "grid", gap: 1 }}>
      <Button component="label" variant="outlined" color="inherit" sx={{ justifySelf: "start" }}>
        Choose its first file
        <input
          hidden
          type="file"
          aria-label="First file"
          onChange={(e) => e.target.files?.[0] && onFile(e.target.files[0])}
        />
      </Button>
      <TextField
        label="Or paste its rows from a spreadsheet"
        value={rows}
        multiline
        minRows={2}
        maxRows={6}
        className="mono"
        onChange={(e) => setRows(e.target.value)}
      />
      {rows.includes("\n") && (
        <Button
          variant="outlined"
          color="inherit"
          sx={{ justifySelf: "start" }}
          onClick={() => onFile(asFile(rows))}
        >
          Use these {count(rows.trim().split("\n").length, "row", "rows")}
        </Button>
      )}
    </Box>
  );
}

const asFile = (rows: string) => new File([rows], "pasted-rows.tsv", { type: "text/tab-separated-values" });
