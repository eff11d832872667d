/** What applying a run will do, in one sentence. */
import type { Decisions } from "../../api/deciding";
import type { RunView } from "../../api/hooks";
import { capital, count } from "../../components/words";

const products = (n: number) => count(n, "product", "products");

/** What is done to products with each fate. */
const DOES: Record<string, (n: number) => string> = {
  new: (n) => `makes ${products(n)}`,
  changed: (n) => `changes ${n.toLocaleString("en")}`,
  gone: (n) => `does with ${n.toLocaleString("en")} that are gone what the feed asks`,
  "put back": (n) => `puts ${n.toLocaleString("en")} back`,
  "taken out": (n) => `takes ${n.toLocaleString("en")} out`,
};

/** "Applying makes 3 products and changes 12. 2 are held by guards and 1 is declined." */
export function willDo(run: RunView, decisions: Decisions | undefined): string {
  const writing: Record<string, number> = decisions?.writing ?? { ...run.counts, gone: run.moving };
  const does = Object.entries(DOES).flatMap(([status, say]) => {
    const n = writing[status] ?? 0;
    return n > 0 ? [say(n)] : [];
  });
  const acts = does.length > 0 ? joined(does) : "changes nothing";
  const stays = [
    decisions?.held ? `${count(decisions.held, "is", "are")} held by guards` : "",
    decisions?.declined ? `of ${decisions.declined.toLocaleString("en")} something stays as it is` : "",
  ].filter(Boolean);
  return `Applying ${acts}.${stays.length > 0 ? ` ${capital(joined(stays))}.` : ""}`;
}

const joined = (parts: string[]) =>
  parts.length < 2 ? parts.join("") : `${parts.slice(0, -1).join(", ")} and ${parts.at(-1)}`;
