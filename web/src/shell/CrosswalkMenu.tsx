/** The crosswalk as a file: out, and in. */
import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { useRef, useState } from "react";
import { api, take, type Schemas } from "../api/client";
import { useFeedEdit } from "../api/hooks";
import { useUndo } from "./undo";
import { Versions } from "./Versions";

/** Versions, export, import and copying of a feed's crosswalk. */
export function CrosswalkMenu({ feed }: { feed: number }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [versions, setVersions] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const undo = useUndo();
  const edit = useFeedEdit(feed, (bundle: Schemas["Bundle"]) =>
    take(
      api.PUT("/api/v1/feeds/{feed_id}/crosswalk", {
        params: { path: { feed_id: feed } },
        body: bundle,
      }),
    ),
  );
  const read = async (file: File) => {
    try {
      const before = (await (
        await fetch(`/api/v1/feeds/${feed}/crosswalk.json`)
      ).json()) as Schemas["Bundle"];
      const bundle = JSON.parse(await file.text()) as Schemas["Bundle"];
      await edit.mutateAsync(bundle);
      undo.did(`Took over the crosswalk in ${file.name}`, () => edit.mutateAsync(before));
    } catch (error) {
      undo.failed(
        error instanceof SyntaxError ? new Error(`${file.name} is no JSON: ${error.message}`) : error,
      );
    }
  };
  return (
    <>
      <Button color="inherit" aria-haspopup="menu" onClick={(e) => setAnchor(e.currentTarget)}>
        Crosswalk
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={() => setAnchor(null)}>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            setVersions(true);
          }}
        >
          Versions
        </MenuItem>
        <MenuItem component="a" href={`/api/v1/feeds/${feed}/crosswalk.json`} onClick={() => setAnchor(null)}>
          Export as a file
        </MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            picker.current?.click();
          }}
        >
          Import a file in its place
        </MenuItem>
      </Menu>
      <Versions feed={feed} open={versions} onClose={() => setVersions(false)} />
      <input
        ref={picker}
        type="file"
        accept=".json"
        hidden
        aria-label="Crosswalk file"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) void read(file);
          e.target.value = "";
        }}
      />
    </>
  );
}
