/** The feed that a place stands in. */
import { createContext, useContext } from "react";
import type { FeedLine } from "../api/hooks";

export interface FeedContextValue {
  feed: number;
  line: FeedLine;
  /** The delivery the feed stands on; undefined while none could be read. */
  delivery: number | undefined;
  asking: boolean;
  openQuestions: (open: boolean) => void;
}

/** Holds the feed for the places inside of it. */
export const FeedContext = createContext<FeedContextValue | null>(null);

/** The feed whose places are shown; only inside of one. */
export function useFeed(): FeedContextValue {
  const value = useContext(FeedContext);
  if (!value) throw new Error("useFeed is for places inside a feed");
  return value;
}
