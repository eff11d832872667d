/** How a value table matches, its history, and its words out and in as a file. */
import Button from "@mui/material/Button";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../../api/client";
import { feedKey, useFeedEdit } from "../../api/hooks";
import { useDecisionFiles } from "../../components/DecisionFiles";
import { ago, count } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";

type Table = Schemas["ValueTableView"];

const MATCHES: [Table["match"], string][] = [
  ["fold", "Ignore case and blanks at the ends"],
  ["loose", "Ignore accents, hyphens and all blanks too"],
  ["exact", "Match letter for letter"],
];

/** How a value table matches, its words in and out, and who changed it. */
export function TableSettings({ feed, table }: { feed: number; table: Table }) {
  const store = useStoreId();
  const undo = useUndo();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const history = useQuery({
    queryKey: [...feedKey(feed), "history", table.table],
    enabled: anchor !== null,
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/lookups/history", {
          params: { path: { store_id: store }, query: { kind: "value_table", name: table.table } },
        }),
      ),
  });
  const match = useFeedEdit(feed, (how: Table["match"]) =>
    take(
      api.PUT("/api/v1/stores/{store_id}/value-tables", {
        params: { path: { store_id: store } },
        body: { name: table.table, match: how },
      }),
    ),
  );
  const files = useDecisionFiles({
    feed,
    table: table.table,
    kind: "words",
    onChosen: () => setAnchor(null),
  });
  const before = table.match;
  return (
    <>
      <Button color="inherit" aria-haspopup="menu" onClick={(e) => setAnchor(e.currentTarget)}>
        Table
      </Button>
      <Menu
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        slotProps={{ paper: { sx: { maxWidth: 420 } } }}
      >
        {MATCHES.map(([how, label]) => (
          <MenuItem
            key={how}
            selected={how === table.match}
            onClick={() => {
              setAnchor(null);
              match.mutate(how, {
                onSuccess: () => undo.did("How words match was changed", () => match.mutateAsync(before)),
                onError: undo.failed,
              });
            }}
          >
            {label}
          </MenuItem>
        ))}
        <MenuItem divider sx={{ minHeight: 0, p: 0 }} disabled />
        {files.lines}
        <MenuItem disabled sx={{ display: "block", opacity: "1 !important", whiteSpace: "normal" }}>
          {(history.data?.changes ?? []).slice(0, 6).map((c, i) => (
            <Typography key={i} variant="caption" component="div" color="textSecondary">
              {ago(c.at)}
              {c.author && `, ${c.author}`}: {c.said}
            </Typography>
          ))}
          {(history.data?.doubled ?? []).length > 0 && (
            <Typography variant="caption" component="div" color="warning">
              {count(history.data?.doubled.length ?? 0, "word stands", "words stand")} twice with different
              answers: {history.data?.doubled[0]?.join(", ")}
            </Typography>
          )}
        </MenuItem>
      </Menu>
      {files.input}
    </>
  );
}
