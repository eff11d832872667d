/** What comes without a name: pasted rows, dropped files. */
import { useEffect } from "react";

/** The name a file's supplier may have: its first words, without dates, numbers and common words. */
export function supplierOf(fileName: string): string {
  const stem = fileName.replace(/\.[^.]*$/, "").replace(/\.tar$/, "");
  const all = stem.split(/[^\p{L}]+/u).filter((word) => word.length > 1);
  const own = all.filter((word) => !COMMON.has(word.toLowerCase()));
  return (own.length ? own : all)
    .slice(0, 3)
    .map((word) => word.charAt(0).toUpperCase() + word.slice(1))
    .join(" ");
}

const COMMON = new Set(
  (
    "price prices pricelist preisliste list liste lista cennik tarif catalog catalogue katalog export " +
    "feed stock products artikel week data file pasted rows final new copy full xlsx csv xml json"
  ).split(" "),
);

const isTyping = (target: EventTarget | null) =>
  target instanceof HTMLElement && /^(input|textarea|select)$/i.test(target.tagName);

/** Hears rows or files pasted anywhere but into an input. */
export function usePasted(onFile: (file: File) => void) {
  useEffect(() => {
    const onPaste = (event: ClipboardEvent) => {
      if (isTyping(event.target) || !event.clipboardData) return;
      const [file] = event.clipboardData.files;
      const text = event.clipboardData.getData("text/plain");
      if (file) onFile(file);
      else if (text.trim().includes("\n"))
        onFile(new File([text], "pasted-rows.tsv", { type: "text/tab-separated-values" }));
      else return;
      event.preventDefault();
    };
    window.addEventListener("paste", onPaste);
    return () => window.removeEventListener("paste", onPaste);
  }, [onFile]);
}
