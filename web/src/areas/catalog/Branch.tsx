/** A category of the tree, and a place to drop products on. */
import { useState, type DragEvent } from "react";
import { DRAGGED } from "./ProductSheet";

interface BranchProps {
  label: string;
  depth: number;
  n: number;
  chosen: boolean;
  onChoose: () => void;
  /** Products that are dropped on it; absent where none can be. */
  onDrop?: (keys: string[]) => void;
}

/** A category with the number of its products. */
export function Branch({ label, depth, n, chosen, onChoose, onDrop }: BranchProps) {
  const [over, setOver] = useState(false);
  const drags = (event: DragEvent) => onDrop && event.dataTransfer.types.includes(DRAGGED);
  return (
    <button
      type="button"
      className={`ledger-row${chosen ? " chosen" : ""}`}
      onClick={onChoose}
      aria-current={chosen}
      onDragOver={(event) => {
        if (!drags(event)) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        setOver(false);
        if (!drags(event)) return;
        event.preventDefault();
        onDrop?.(JSON.parse(event.dataTransfer.getData(DRAGGED)) as string[]);
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
