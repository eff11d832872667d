/** A ladder on trial, kept while its feed's other places are looked at. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { feedKey, type Ladder } from "../../api/hooks";

export interface Trial {
  ladder: Ladder;
  /** The ladder as it is saved. */
  saved: Ladder;
  /** What was asked about just this ladder: the number of the answer. */
  asked?: number;
}

/** The trial of one price level of a feed (null for none), what puts another in its place, and what
 *  gives it as it is at this moment: also what was typed right before a button was clicked. */
export function useTrial(
  feed: number,
  level: string,
): [Trial | null, (trial: Trial | null) => void, () => Trial | null] {
  const queries = useQueryClient();
  // Beside what the server says of the feed, which every edit asks for anew.
  const key = ["ladder on trial", ...feedKey(feed), level];
  const kept = useQuery<Trial | null>({
    queryKey: key,
    queryFn: () => null,
    enabled: false,
    initialData: null,
    gcTime: Infinity,
  });
  return [
    kept.data,
    (trial) => queries.setQueryData(key, trial),
    () => queries.getQueryData<Trial | null>(key) ?? null,
  ];
}
