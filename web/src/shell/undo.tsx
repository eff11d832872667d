/** Edits that can be taken back: each says what it did and how to reverse it. Ctrl+Z, or the bar. */
import Button from "@mui/material/Button";
import Snackbar from "@mui/material/Snackbar";
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useRef,
  useState,
  type ReactNode,
} from "react";

interface Reversal {
  label: string;
  /** What it gives is said with it where it is a text: something that could not be taken back. */
  reverse: () => Promise<unknown>;
}

interface UndoTools {
  did: (label: string, reverse?: () => Promise<unknown>) => void;
  failed: (error: unknown) => void;
  /** Says something that a click answers, and stays until it is answered or put away. */
  offer: (text: string, action: string, run: () => Promise<unknown>) => void;
}

const UndoContext = createContext<UndoTools>({ did: () => {}, failed: () => {}, offer: () => {} });

/** What is said at the foot of the page, and what a click on it does. */
interface Said {
  text: string;
  undo: boolean;
  offer?: { action: string; run: () => Promise<unknown> };
}

/** Says what was done, and how it is taken back. */
export const useUndo = () => useContext(UndoContext);

/** What has no text of its own to take back. */
const CHOICES = ["radio", "checkbox"];

function isTyping(target: EventTarget | null): boolean {
  if (target instanceof HTMLInputElement && CHOICES.includes(target.type)) return false;
  return target instanceof HTMLElement && /^(input|textarea|select)$/i.test(target.tagName);
}

/** Remembers what was done in this place, for Ctrl+Z. */
export function UndoProvider({ children }: { children: ReactNode }) {
  const stack = useRef<Reversal[]>([]);
  const [said, setSaid] = useState<Said | null>(null);

  const undo = useCallback(async () => {
    const last = stack.current.pop();
    if (!last) return;
    try {
      const told = await last.reverse();
      const more = typeof told === "string" && told ? ` (${told})` : "";
      setSaid({ text: `Taken back: ${last.label}${more}`, undo: false });
    } catch (error) {
      setSaid({ text: String(error instanceof Error ? error.message : error), undo: false });
    }
  }, []);

  const tools = useMemo<UndoTools>(
    () => ({
      did: (label, reverse) => {
        if (reverse) stack.current.push({ label, reverse });
        setSaid({ text: label, undo: Boolean(reverse) });
      },
      failed: (error) =>
        setSaid({ text: error instanceof Error ? error.message : String(error), undo: false }),
      offer: (text, action, run) => setSaid({ text, undo: false, offer: { action, run } }),
    }),
    [],
  );

  const take = async ({ run }: NonNullable<Said["offer"]>) => {
    setSaid(null);
    try {
      await run();
    } catch (error) {
      tools.failed(error);
    }
  };

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key === "z" && !isTyping(event.target)) {
        event.preventDefault();
        void undo();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [undo]);

  return (
    <UndoContext.Provider value={tools}>
      {children}
      <Snackbar
        open={said !== null}
        autoHideDuration={said?.offer ? null : 6000}
        onClose={(_, reason) => reason !== "clickaway" && setSaid(null)}
        message={said?.text}
        anchorOrigin={{ vertical: "bottom", horizontal: "center" }}
        action={
          said?.offer ? (
            <>
              <Button color="inherit" onClick={() => said.offer && void take(said.offer)}>
                {said.offer.action}
              </Button>
              <Button color="inherit" onClick={() => setSaid(null)}>
                Leave it
              </Button>
            </>
          ) : (
            said?.undo && (
              <Button color="inherit" onClick={() => void undo()}>
                Undo
              </Button>
            )
          )
        }
      />
    </UndoContext.Provider>
  );
}
