/** A category of the tree: a place to drop products and other categories on. */
import { useState, type DragEvent, type KeyboardEvent } from "react";
import { DRAGGED } from "./ProductSheet";

/** What is dragged onto a category: the path of another one. */
const BRANCH = "application/x-nomotax-category";

interface BranchProps {
  label: string;
  /** "" of all products. */
  path: string;
  depth: number;
  n: number;
  chosen: boolean;
  onChoose: () => void;
  /** Products that are dropped on it. */
  onProducts: (keys: string[]) => void;
  /** Another branch is to go below it. */
  onBranch: (path: string) => void;
  /** It is to go somewhere. */
  onMove: () => void;
  /** What else can be done with it is asked for. */
  onMenu: (anchor: HTMLElement) => void;
}

/** A category with the number of its products. M moves it, with all that is below it; a menu has
 *  what else can be done with it. */
export function Branch({ label, path, depth, n, chosen, onChoose, ...on }: BranchProps) {
  const [over, setOver] = useState(false);
  const takes = ({ dataTransfer: { types } }: DragEvent) =>
    types.includes(BRANCH) || (path !== "" && types.includes(DRAGGED));
  return (
    <button
      type="button"
      className={`ledger-row${chosen ? " chosen" : ""}`}
      onClick={onChoose}
      aria-current={chosen}
      draggable={path !== ""}
      {...(path && {
        "aria-keyshortcuts": "m",
        title: "Drag it onto another, or press M, to move it; right-click for more",
      })}
      onKeyDown={(event: KeyboardEvent) => {
        if (event.key !== "m" || event.ctrlKey || event.metaKey || !path) return;
        event.preventDefault();
        on.onMove();
      }}
      onContextMenu={(event) => {
        if (!path) return;
        event.preventDefault();
        on.onMenu(event.currentTarget);
      }}
      onDragStart={(event) => event.dataTransfer.setData(BRANCH, path)}
      onDragOver={(event) => {
        if (!takes(event)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        setOver(false);
        if (!takes(event)) return;
        event.preventDefault();
        const branch = event.dataTransfer.getData(BRANCH);
        if (branch) on.onBranch(branch);
        else on.onProducts(JSON.parse(event.dataTransfer.getData(DRAGGED)) as string[]);
      }}
      style={{
        paddingLeft: 12 + depth * 16,
        ...(over && { outline: "2px solid var(--mui-palette-primary-main)", outlineOffset: -2 }),
      }}
    >
      <span className="clip" style={{ flex: 1, color: n ? undefined : "var(--mui-palette-text-secondary)" }}>
        {label}
      </span>
      <span className="quiet">{n ? n.toLocaleString("en") : ""}</span>
    </button>
  );
}
