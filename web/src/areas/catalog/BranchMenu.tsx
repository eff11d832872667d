/** What can be done with a category: each is seen with what it touches before it is made. */
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import type { Asked } from "../store/TreeDialog";

const DOES: [Asked["do"], string][] = [
  ["move", "Move below another …"],
  ["merge", "Merge into another …"],
  ["rename", "Rename …"],
  ["add", "Add one below …"],
  ["delete", "Delete …"],
];

/** A category, and where its menu stands. */
export interface MenuOf {
  path: string;
  anchor: HTMLElement;
}

interface BranchMenuProps {
  of: MenuOf | null;
  onAsk: (asked: Asked) => void;
  onClose: () => void;
}

export function BranchMenu({ of, onAsk, onClose }: BranchMenuProps) {
  return (
    <Menu open={of !== null} anchorEl={of?.anchor} onClose={onClose}>
      {DOES.map(([what, label]) => (
        <MenuItem
          key={what}
          onClick={() => {
            onClose();
            if (of) onAsk({ do: what, path: of.path });
          }}
        >
          {label}
        </MenuItem>
      ))}
    </Menu>
  );
}
