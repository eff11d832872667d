/** One scroll position for any number of rows. The browser draws no element taller than about 33
 *  million pixels; past that, one pixel of scrolling stands for more than one of the list. */
import { useLayoutEffect, useState, type UIEvent } from "react";

const TALLEST = 30_000_000;

export interface TallScroll {
  box: (node: HTMLDivElement | null) => void;
  /** Height of what is visible. */
  size: number;
  /** Height of the scrolled element that makes the scroll bar right. */
  height: number;
  /** The first row in view, and how many pixels of it are above the edge. */
  first: number;
  shift: number;
  onScroll: (event: UIEvent<HTMLDivElement>) => void;
  /** Scrolls so that a row is the first in view. */
  begin: (row: number) => void;
}

/** ``extra`` is what else takes room beside the rows: headings, a second pane. */
export function useTallScroll(total: number, row: number, extra: (size: number) => number): TallScroll {
  const [node, box] = useState<HTMLDivElement | null>(null);
  const [size, setSize] = useState(600);
  const [top, setTop] = useState(0);
  useLayoutEffect(() => {
    if (!node) return;
    const watch = new ResizeObserver(() => setSize(node.clientHeight));
    watch.observe(node);
    return () => watch.disconnect();
  }, [node]);
  const { travel, scale } = geometry(total, row, size - extra(size));
  const place = Math.min(top * scale, travel);
  const first = Math.floor(place / row);
  return {
    box,
    size,
    height: size + travel / scale,
    first,
    shift: place - first * row,
    onScroll: (event) => event.target === node && setTop(event.currentTarget.scrollTop),
    begin: (index) => {
      node?.scrollTo({ top: (index * row) / scale });
    },
  };
}

/** How far the rows travel behind a window of ``room`` pixels, and rows' pixels a scrolled pixel. */
export function geometry(total: number, row: number, room: number): { travel: number; scale: number } {
  const travel = Math.max(0, total * row - Math.floor(room / row) * row);
  return { travel, scale: Math.max(1, travel / TALLEST) };
}
