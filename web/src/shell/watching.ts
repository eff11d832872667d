/** Runs that were at work when they were last looked at: how they end is told wherever one is by then. */
let watched: readonly number[] = [];
const listeners = new Set<() => void>();

function become(next: readonly number[]) {
  watched = next;
  for (const tell of listeners) tell();
}

export const watching = {
  subscribe: (tell: () => void) => {
    listeners.add(tell);
    return () => listeners.delete(tell);
  },
  runs: () => watched,
  /** It is at work. */
  watch: (run: number) => {
    if (!watched.includes(run)) become([...watched, run]);
  },
  /** How it ended has been seen. */
  leave: (run: number) => {
    if (watched.includes(run)) become(watched.filter((one) => one !== run));
  },
};
