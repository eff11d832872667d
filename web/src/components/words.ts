/** Numbers, sizes and moments in words. */

/** A number with its noun. */
export function count(n: number, one: string, many: string): string {
  return `${n.toLocaleString("en")} ${n === 1 ? one : many}`;
}

/** A text as it begins a sentence. */
export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** A size in words. */
export function bytes(n: number): string {
  if (n < 1024) return `${n} bytes`;
  const units = ["KB", "MB", "GB"];
  let size = n / 1024;
  let unit = 0;
  while (size >= 1024 && unit < 2) {
    size /= 1024;
    unit += 1;
  }
  return `${size.toFixed(size < 10 ? 1 : 0)} ${units[unit]}`;
}

/** How long ago, in words. */
export function ago(moment: string): string {
  const minutes = Math.floor((Date.now() - new Date(moment).getTime()) / 60000);
  if (minutes < 1) return "just now";
  if (minutes < 60) return count(minutes, "minute ago", "minutes ago");
  if (minutes < 1440) return count(Math.floor(minutes / 60), "hour ago", "hours ago");
  return new Date(moment).toLocaleDateString("en-GB", { day: "numeric", month: "short" });
}

/**
 * Where the browser finds a picture: those of archives are kept here, hosts under .example are the
 * demo's stand-ins.
 */
export function pictureAddress(link: string | null | undefined): string | undefined {
  if (!link) return undefined;
  if (link.startsWith("picture:")) return `/api/v1/pictures/${link.slice("picture:".length)}`;
  try {
    const url = new URL(link);
    return url.hostname.endsWith(".example") ? `/stand-in/${url.hostname}${url.pathname}` : link;
  } catch {
    return undefined;
  }
}

/** "+4.0 %" or "−1.5 %", and nothing for no movement. */
export function signed(percent: string | null | undefined): string {
  if (!percent) return "";
  const n = Number(percent);
  return `${n > 0 ? "+" : n < 0 ? "−" : "±"}${Math.abs(n).toFixed(1)} %`;
}

/** The first day that has not come, by UTC. */
export const tomorrow = () => new Date(Date.now() + 86_400_000).toISOString().slice(0, 10);

/** Which rows a trial has; "" for a run of the whole delivery. */
export function trialOf(run: {
  first_row: number | null;
  last_row: number | null;
  picked_rows: boolean;
  scope: { name: string } | null;
}): string {
  if (run.scope) return `${run.scope.name} alone`;
  if (run.picked_rows) return "picked articles alone";
  if (!run.first_row && !run.last_row) return "";
  return `trial of rows ${run.first_row ?? 1} to ${run.last_row ?? "the end"}`;
}

/** What a run is about. */
export function titleOf(run: { kind: string; supplier: string; file_name: string; author: string }): string {
  if (run.supplier) return `${run.supplier}: ${run.file_name}`;
  if (run.kind === "restore") return `Restore the ${run.file_name}`;
  if (run.kind === "dated") return ["Its day has come", run.author].filter(Boolean).join(", ");
  return [byHand(run), run.file_name].filter(Boolean).join(": ");
}

/** A day as people write it: 3 Dec 2026. */
export function onDay(day: string): string {
  const about: Intl.DateTimeFormatOptions = {
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone: "UTC",
  };
  return new Date(`${day}T00:00:00Z`).toLocaleDateString("en-GB", about);
}

/** Who wrote what no delivery brought. */
export const byHand = (run: { author: string }) => (run.author ? `By hand, ${run.author}` : "By hand");

/** The state's name among a product's fields. */
export const STATE = "$state";

/** When a feed may write a field. */
export const WRITES = [
  ["always", "always"],
  ["new", "only of new products"],
  ["empty", "only where the store's is empty"],
  ["never", "never"],
] as const;

/** How a product can stand in the store. */
export const STATES = ["live", "hidden", "archived"] as const;
