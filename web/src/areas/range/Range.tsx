/** A supplier's range: what his last list has, article by article, and what of it the store takes. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { PAGE, useArticles, useRange, type RangeView, type Shown } from "../../api/range";
import { CountTab } from "../../components/CountTab";
import { Confirm } from "../../components/Confirm";
import { Pager } from "../../components/Pager";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { Articles } from "./Articles";
import { PasteNumbers } from "./PasteNumbers";
import { usePicks } from "./usePicks";
import { GROUPS, labelsOf, ruleInWords, SINCE } from "./words";

/** More articles than this are not picked without a question: that is not taken back as one. */
const MANY = 20_000;

/** The range of the feed at hand. */
export function Range() {
  const { feed, delivery } = useFeed();
  const range = useRange(feed);
  if (delivery === undefined)
    return <Nothing title="No range yet">Receive a file for this feed first.</Nothing>;
  if (range.isError) return <Failure error={range.error} retry={() => void range.refetch()} />;
  if (!range.data) return <Waiting what="the range" />;
  if (range.data.run_id === null)
    return (
      <Nothing title="The range is not filled yet">
        Prepare a run: what the list has is then shown here, article by article. Nothing changes in the store
        before the run is applied.
      </Nothing>
    );
  return <Ready feed={feed} view={range.data} />;
}

/** What is looked at, as the address says. */
function useShown(view: RangeView) {
  const [params, setParams] = useSearchParams();
  const asked = GROUPS.find(([name]) => name === params.get("group"))?.[0];
  const shown: Shown = {
    group: asked ?? "all",
    category: params.get("category") ?? "",
    search: params.get("search") ?? "",
    field: params.get("field") ?? "",
    value: params.get("value") ?? "",
  };
  const set = (change: Record<string, string>) =>
    setParams((old) => ({ ...Object.fromEntries(old), page: "", ...change }), { replace: true });
  return {
    shown,
    sort: ["article", ...view.shown.map((f) => f.name)].find((one) => one === params.get("sort")) ?? "row",
    descending: params.get("down") === "1",
    page: Number(params.get("page")) || 0,
    groups: GROUPS.filter(([name]) => !SINCE.includes(name) || view.before !== null),
    set,
  };
}

function Ready({ feed, view }: { feed: number; view: RangeView }) {
  const { shown, sort, descending, page, groups, set } = useShown(view);
  const articles = useArticles(feed, shown, sort, descending, page);
  const picks = usePicks(feed);
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex", flexDirection: "column" }}>
      <Box
        role="tablist"
        aria-label="What of the range is shown"
        sx={{ display: "flex", px: 1, borderBottom: 1, borderColor: "divider", overflowX: "auto" }}
      >
        {groups.map(([name, said, state]) => (
          <CountTab
            key={name}
            state={state}
            said={said}
            n={view.counts[name] ?? 0}
            chosen={name === shown.group}
            onChoose={() => set({ group: name })}
          />
        ))}
      </Box>
      <Standing view={view} />
      <Tools
        feed={feed}
        view={view}
        shown={shown}
        total={articles.data?.total ?? 0}
        picks={picks}
        set={set}
      />
      <Rules view={view} picks={picks} />
      {articles.isError ? (
        <Failure error={articles.error} retry={() => void articles.refetch()} />
      ) : !articles.data ? (
        <Waiting what="articles" />
      ) : articles.data.total === 0 ? (
        <Nothing title="No articles">Nothing fits what you look for.</Nothing>
      ) : (
        <Articles
          view={view}
          rows={articles.data.rows}
          sort={sort}
          descending={descending}
          onSort={(to) => set({ sort: to, down: to === sort && !descending ? "1" : "0" })}
          onPick={(article, pick) => picks.pick({ pick, articles: [article] })}
          onOnly={(field, value) => set({ field, value })}
        />
      )}
      <Box sx={{ display: "flex", justifyContent: "flex-end", px: 1.5 }}>
        <Pager
          size={PAGE}
          total={articles.data?.total ?? 0}
          page={page}
          onPage={(to) => set({ page: String(to) })}
        />
      </Box>
    </Box>
  );
}

/** Where the range comes from, and whether it is of today. */
function Standing({ view }: { view: RangeView }) {
  return (
    <Typography variant="caption" color="textSecondary" component="p" sx={{ px: 1.5, pt: 1 }}>
      From {view.file_name}
      {view.before !== null && `, beside ${view.before} before it`}.{" "}
      {view.only_picked
        ? "Only picked articles become products."
        : "Every article becomes a product, picked or not; the rules of the feed on the Bench say so."}
      {view.behind && <b> {view.behind}: prepare a run to see it.</b>}
    </Typography>
  );
}

interface ToolsProps {
  feed: number;
  view: RangeView;
  shown: Shown;
  total: number;
  picks: ReturnType<typeof usePicks>;
  set: (change: Record<string, string>) => void;
}

/** What is shown, and what is done to all of it. */
function Tools({ feed, view, shown, total, picks, set }: ToolsProps) {
  const [asking, ask] = useState<boolean | null>(null);
  const all = (pick: boolean) => picks.pick({ pick, shown });
  const begin = (pick: boolean) => (total > MANY ? ask(pick) : all(pick));
  const these = count(total, "article", "articles");
  const rule = { category: shown.category, search: shown.search, field: shown.field, value: shown.value };
  const labels = labelsOf(view);
  const ruled = view.rules.some((one) => ruleInWords(one, labels) === ruleInWords(rule, labels));
  const query = new URLSearchParams(shown).toString();
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.5, py: 1, flexWrap: "wrap" }}>
      <SearchField
        label="Search in the range"
        placeholder="Find a number or name"
        value={shown.search}
        width={200}
        onSearch={(search) => set({ search })}
      />
      {(view.categories.length > 0 || shown.category) && (
        <TextField
          select
          value={shown.category}
          onChange={(e) => set({ category: e.target.value })}
          sx={{ minWidth: 150, maxWidth: 240 }}
          slotProps={{ select: { displayEmpty: true }, htmlInput: { "aria-label": "Category of articles" } }}
        >
          <MenuItem value="">in any category</MenuItem>
          {[...new Set([...view.categories, ...(shown.category ? [shown.category] : [])])].map((one) => (
            <MenuItem key={one} value={one}>
              {one}
            </MenuItem>
          ))}
        </TextField>
      )}
      {shown.field && (
        <Chip
          label={`${labels.get(shown.field) ?? shown.field}: ${shown.value}`}
          onDelete={() => set({ field: "", value: "" })}
        />
      )}
      <Box sx={{ flex: 1 }} />
      {shown.group !== "picked" && shown.group !== "gone" && (
        <Button disabled={!total || picks.busy} onClick={() => begin(true)}>
          Pick {these}
        </Button>
      )}
      {shown.group === "picked" && (
        <Button color="inherit" disabled={!total || picks.busy} onClick={() => begin(false)}>
          Pick {these} no more
        </Button>
      )}
      {(rule.category || rule.search || rule.field) && !ruled && (
        <Button
          color="inherit"
          title="Articles that fit, of this list and of those to come, are picked by themselves"
          onClick={() =>
            picks.setRules([...view.rules, rule], `From now on picked: ${ruleInWords(rule, labels)}`)
          }
        >
          Always pick these
        </Button>
      )}
      <PasteNumbers onPick={(articles) => picks.pick({ articles })} />
      <Button
        component="a"
        color="inherit"
        disabled={!total}
        href={`/api/v1/feeds/${feed}/range.csv?${query}`}
      >
        Save as CSV
      </Button>
      {asking !== null && (
        <Confirm
          title={asking ? `Pick ${these}?` : `Pick ${these} no more?`}
          action={asking ? "Pick them" : "Pick them no more"}
          onClose={() => ask(null)}
          onYes={() => {
            all(asking);
            ask(null);
          }}
        >
          So many are not taken back as one; the same filter does the opposite.
        </Confirm>
      )}
    </Box>
  );
}

/** What goes on picking. */
function Rules({ view, picks }: { view: RangeView; picks: ReturnType<typeof usePicks> }) {
  if (!view.rules.length) return null;
  const labels = labelsOf(view);
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 0.75, px: 1.5, pb: 1, flexWrap: "wrap" }}>
      <Typography variant="caption" color="textSecondary">
        Always picked:
      </Typography>
      {view.rules.map((rule) => (
        <Chip
          key={ruleInWords(rule, labels)}
          size="small"
          label={ruleInWords(rule, labels)}
          onDelete={() =>
            picks.setRules(
              view.rules.filter((one) => one !== rule),
              `No longer picked: ${ruleInWords(rule, labels)}`,
            )
          }
        />
      ))}
    </Box>
  );
}
