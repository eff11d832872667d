/** Who is who: how the rows of a feed find their products, and what becomes of those that do not. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { useBench, type BenchState } from "../../api/hooks";
import { useMatching, type Group, type MatchingView } from "../../api/matching";
import { CountTab } from "../../components/CountTab";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { useFeed } from "../../shell/feed";
import { useEdits } from "../bench/useEdits";
import { MatchedRows } from "./MatchedRows";
import { Pairings } from "./Pairings";
import { Rules } from "./Rules";
import { GROUPS } from "./words";

/** The matching of the delivery at hand. */
export function Matching() {
  const { feed, delivery } = useFeed();
  const bench = useBench(feed, delivery);
  const matching = useMatching(feed, delivery ?? 0);
  if (delivery === undefined)
    return <Nothing title="Nothing to match yet">Receive a file for this feed first.</Nothing>;
  const failed = [bench, matching].find((query) => query.isError);
  if (failed) return <Failure error={failed.error} retry={() => void failed.refetch()} />;
  if (!bench.data || !matching.data) return <Waiting what="what the rows find" />;
  return <Ready bench={bench.data} matching={matching.data} delivery={delivery} />;
}

interface ReadyProps {
  bench: BenchState;
  matching: MatchingView;
  delivery: number;
}

function Ready({ bench, matching, delivery }: ReadyProps) {
  const edits = useEdits(bench);
  const [params, setParams] = useSearchParams();
  const [listing, list] = useState(false);
  const asked = params.get("group") as Group | null;
  const group = asked ?? GROUPS.find(([name]) => matching.counts[name])?.[0] ?? "all";
  const search = params.get("search") ?? "";
  const set = (change: Record<string, string>) =>
    setParams((old) => ({ ...Object.fromEntries(old), ...change }), { replace: true });
  const address = `/api/v1/feeds/${bench.feed_id}/matching.csv?group=${group}&delivery_id=${delivery}`;
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Rules
        feed={bench.feed_id}
        delivery={delivery}
        matching={matching}
        onIdentity={(identity, label) => void edits.identify(identity, label)}
        onList={() => list(true)}
      />
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Box
          role="tablist"
          aria-label="What rows find"
          sx={{ display: "flex", px: 1, borderBottom: 1, borderColor: "divider", overflowX: "auto" }}
        >
          {shownGroups(matching, group).map(([name, said]) => (
            <CountTab
              key={name}
              state={STATE[name]}
              said={said}
              n={matching.counts[name] ?? 0}
              chosen={name === group}
              onChoose={() => set({ group: name, page: "" })}
            />
          ))}
        </Box>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, px: 1.5, py: 1 }}>
          <SearchField
            label="Search in the rows"
            placeholder="Search in the rows"
            value={search}
            width={220}
            onSearch={(text) => set({ search: text, page: "" })}
          />
          <Typography variant="caption" color="textSecondary" sx={{ flex: 1 }}>
            {matching.rows.toLocaleString("en")} rows, by the draft as it is now
          </Typography>
          <Button component="a" href={address} color="inherit" disabled={!matching.counts[group]}>
            Save these as CSV
          </Button>
        </Box>
        <MatchedRows
          key={`${group} ${search}`}
          feed={bench.feed_id}
          delivery={delivery}
          matching={matching}
          group={group}
          search={search}
          page={Number(params.get("page")) || 0}
          onPage={(page) => set({ page: String(page) })}
        />
      </Box>
      {listing && <Pairings feed={bench.feed_id} matching={matching} onClose={() => list(false)} />}
    </Box>
  );
}

/** Those that there are, and the three that every delivery is looked at by. */
const shownGroups = (matching: MatchingView, chosen: Group) =>
  GROUPS.filter(([name]) => matching.counts[name] || ["several", "none", "found", chosen].includes(name));

const STATE = {
  several: "question",
  none: "arrived",
  lost: "question",
  key_taken: "refused",
  together: "question",
  found: "computed",
  left_out: "left",
  all: "computed",
} as const;
