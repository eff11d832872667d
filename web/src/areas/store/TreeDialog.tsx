/** One edit of the category tree, with what it touches, before it is made. */
import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useDebounce } from "use-debounce";
import type { Schemas } from "../../api/client";
import { Confirm } from "../../components/Confirm";
import { Failure } from "../../components/states";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { postTree, undoTree, useStoreEdit, useTreeTouch, type TreeEdit } from "../../api/storeEdits";

/** What a person wants to do with a category; for one to be added, the one it goes below. */
export interface Asked {
  do: TreeEdit["do"];
  path: string;
  /** Where it is to go, so far. */
  to?: string;
}

interface TreeDialogProps {
  store: number;
  asked: Asked;
  paths: string[];
  onClose: () => void;
}

const SIGN = " > ";
const TITLES: Record<TreeEdit["do"], string> = {
  add: "Add a category",
  rename: "Rename",
  move: "Move",
  merge: "Merge",
  delete: "Delete",
};
const ACTIONS: Record<TreeEdit["do"], string> = {
  add: "Add it",
  rename: "Rename it",
  move: "Move it",
  merge: "Merge them",
  delete: "Delete it",
};

/** Asks for what an edit needs and says what it touches. */
export function TreeDialog({ store, asked, paths, onClose }: TreeDialogProps) {
  const undo = useUndo();
  const label = asked.path.split(SIGN).at(-1) ?? "";
  const [typed, setTyped] = useState(asked.to ?? (asked.do === "rename" ? label : ""));
  const edit = useStoreEdit((body: TreeEdit) => postTree(store, body));
  const back = useStoreEdit((made: number) => undoTree(store, made));
  const body = asEdit(asked, typed);
  const [rested] = useDebounce(JSON.stringify(body), 250);
  const complete = isComplete(asked, typed, label);
  const touch = useTreeTouch(store, JSON.parse(rested) as TreeEdit, complete);
  const nowhere = asked.do === "delete" && !typed && (touch.data?.products ?? 0) > 0;
  return (
    <Confirm
      title={asked.path ? `${TITLES[asked.do]}: ${asked.path}` : TITLES[asked.do]}
      action={ACTIONS[asked.do]}
      ready={complete && touch.isSuccess && !nowhere}
      busy={edit.isPending}
      error={edit.error}
      onClose={onClose}
      onYes={() =>
        edit.mutate(body, {
          onSuccess: (made) => {
            undo.did(said(asked, body), () => back.mutateAsync(made.id));
            onClose();
          },
        })
      }
    >
      <Wanted asked={asked} typed={typed} paths={paths} onTyped={setTyped} />
      {complete && touch.isError && <Failure error={touch.error} />}
      {touch.data && complete && <Touched edit={body} touch={touch.data} />}
      {nowhere && <Typography color="warning">Say where its products go.</Typography>}
    </Confirm>
  );
}

function asEdit(asked: Asked, typed: string): TreeEdit {
  if (asked.do !== "add") return { do: asked.do, path: asked.path, to: typed };
  return { do: "add", path: asked.path ? `${asked.path}${SIGN}${typed}` : typed || " ", to: "" };
}

function isComplete(asked: Asked, typed: string, label: string): boolean {
  if (asked.do === "rename") return typed.trim() !== "" && typed !== label;
  if (asked.do === "delete" || asked.do === "move") return true;
  return typed.trim() !== "";
}

interface WantedProps {
  asked: Asked;
  typed: string;
  paths: string[];
  onTyped: (typed: string) => void;
}

function Wanted({ asked, typed, paths, onTyped }: WantedProps) {
  if (asked.do === "add" || asked.do === "rename")
    return (
      <TextField
        label={asked.do === "add" ? "Name of the category" : "New name"}
        value={typed}
        autoFocus
        helperText={asked.do === "add" ? "Several levels at once: Painting > Oil > Sets" : undefined}
        onChange={(e) => onTyped(e.target.value)}
      />
    );
  const inside = (path: string) => path === asked.path || path.startsWith(asked.path + SIGN);
  const labels: Partial<Record<TreeEdit["do"], string>> = {
    move: "Below which category (empty: at the top)",
    merge: "Into which category",
    delete: "Where its products go",
  };
  return (
    <Autocomplete
      options={paths.filter((p) => !inside(p))}
      value={typed || null}
      autoHighlight
      onChange={(_, path) => onTyped(path ?? "")}
      renderInput={(params) => <TextField {...params} label={labels[asked.do]} autoFocus />}
    />
  );
}

function Touched({ edit, touch }: { edit: TreeEdit; touch: Schemas["TreeTouch"] }) {
  if (edit.do === "add") return <Typography>No product is touched.</Typography>;
  return (
    <>
      <Typography>
        {count(touch.categories, "category", "categories")}
        {edit.do === "delete" ? " will be gone" : " will stand elsewhere"};{" "}
        {count(touch.products, "product gets", "products get")} another category,{" "}
        {count(touch.placements, "placement leads", "placements lead")} elsewhere. Price rules and constants
        that name them follow.
      </Typography>
      {touch.formulas.length > 0 && (
        <Typography color="warning">
          Formulas name it and do not follow: {touch.formulas.join("; ")}. Look after them on the bench.
        </Typography>
      )}
    </>
  );
}

function said(asked: Asked, edit: TreeEdit): string {
  const label = asked.path.split(SIGN).at(-1) ?? "";
  if (asked.do === "add") return `Added ${edit.path}`;
  if (asked.do === "rename") return `${label} is now ${edit.to}`;
  if (asked.do === "move") return `Moved ${label} ${edit.to ? `below ${edit.to}` : "to the top"}`;
  return asked.do === "merge" ? `Merged ${label} into ${edit.to}` : `Deleted ${label}`;
}
