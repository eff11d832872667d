/** Lines of a review that are chosen together: by Ctrl, Shift or the keyboard. */
import { useRef, useState } from "react";

/** So many lines are chosen one by one; for more there is a filter. */
export const MOST = 5_000;

interface Selection {
  /** The keys of the products, in the order that they were chosen in. */
  keys: string[];
  /** Takes a product in, or out again. */
  turn: (key: string) => void;
  /** Chooses what is between the line that was chosen last and this one. */
  reach: (to: number) => Promise<void>;
  /** From where the next reach goes. */
  from: (index: number) => void;
  clear: () => void;
  /** They were too many. */
  tooMany: boolean;
}

/** `between` gives the keys of the lines from one place to another. */
export function useSelection(between: (first: number, last: number) => Promise<string[]>): Selection {
  const [keys, setKeys] = useState<string[]>([]);
  const [anchor, setAnchor] = useState(0);
  const [tooMany, setTooMany] = useState(false);
  const asked = useRef(0);
  return {
    keys,
    tooMany,
    turn: (key) => setKeys((old) => (old.includes(key) ? old.filter((one) => one !== key) : [...old, key])),
    from: setAnchor,
    reach: async (to) => {
      const [first, last] = [Math.min(anchor, to), Math.max(anchor, to)];
      setTooMany(last - first >= MOST);
      if (last - first >= MOST) return;
      const turn = ++asked.current;
      const found = await between(first, last);
      // What was asked for later may be here already.
      if (turn === asked.current) setKeys(found);
    },
    clear: () => {
      setKeys([]);
      setTooMany(false);
    },
  };
}
