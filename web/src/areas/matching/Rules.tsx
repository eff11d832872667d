/** How rows find their products, as sentences that can be changed in place. */
import ArrowUpward from "@mui/icons-material/ArrowUpward";
import Close from "@mui/icons-material/Close";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Identity } from "../../api/hooks";
import { useProposedWays, type MatchingView, type Way } from "../../api/matching";
import { Part } from "../../components/Panel";
import { Failure } from "../../components/states";
import { count } from "../../components/words";
import { NewKey } from "./NewKey";
import { sameWay, wayInWords, whole } from "./words";
import { WayEditor } from "./WayEditor";

interface RulesProps {
  feed: number;
  delivery: number;
  matching: MatchingView;
  onIdentity: (identity: Identity, label: string) => void;
  onList: () => void;
}

/** The column at the left. */
export function Rules({ feed, delivery, matching, onIdentity, onList }: RulesProps) {
  const identity = whole(matching.identity);
  const change = (part: Partial<Identity>, label: string) => onIdentity({ ...identity, ...part }, label);
  return (
    <Box
      component="section"
      aria-label="How rows find their products"
      sx={{ width: 330, flex: "none", borderRight: 1, borderColor: "divider", overflowY: "auto", p: 1.5 }}
    >
      <Ways feed={feed} delivery={delivery} matching={matching} onChange={change} />
      <Part title="Their own number">
        <TextField
          select
          fullWidth
          value={identity.article ?? ""}
          onChange={(e) => change(withArticle(identity, e.target.value || null), said(e.target.value))}
          slotProps={{
            select: { displayEmpty: true },
            htmlInput: { "aria-label": "Column with the supplier's own number" },
          }}
          helperText={
            identity.article
              ? "An article that is paired is found by it, before all ways."
              : "Choose the column to pair articles one by one."
          }
        >
          <MenuItem value="">no column</MenuItem>
          {columnsOf(matching).map((column) => (
            <MenuItem key={column} value={column}>
              {column}
            </MenuItem>
          ))}
        </TextField>
        <Button size="small" onClick={onList} sx={{ mt: 0.5, px: 0.5 }}>
          {matching.pairings
            ? `${count(matching.pairings, "article is", "articles are")} decided`
            : "Decided articles"}
        </Button>
      </Part>
      <Part title="A row that finds several products">
        <Choice
          label="A row that finds several products"
          value={identity.several}
          options={{ wait: "waits until one is chosen", each: "changes each of them" }}
          onChange={(several) => change({ several }, "What several products mean")}
        />
      </Part>
      <Part title="Several rows for one product">
        <Choice
          label="Several rows for one product"
          value={identity.rows}
          options={{
            refuse: "are refused where they differ",
            first: "the first is taken",
            last: "the last is taken",
            cheapest: "the cheapest is taken",
            sum: "the first is taken, with the stock of all",
          }}
          onChange={(rows) => change({ rows }, "Which of several rows is taken")}
        />
      </Part>
      {matching.makes && (
        <Part title="A row that finds no product">
          <Choice
            label="A row that finds no product"
            value={identity.unmatched}
            options={{ new: "makes a new one", wait: "waits to be paired" }}
            onChange={(unmatched) => change({ unmatched }, "What rows without a product do")}
          />
        </Part>
      )}
      {matching.makes && (
        <NewKey
          rule={identity.new_key}
          label={matching.key_label}
          article={identity.article}
          onChange={(new_key, label) => change({ new_key }, label)}
        />
      )}
    </Box>
  );
}

/** Without the column that has it no key is made of the supplier's number. */
const withArticle = ({ new_key }: Identity, article: string | null): Partial<Identity> =>
  article || new_key?.by !== "article" ? { article } : { article, new_key: null };

const said = (column: string) => (column ? `Their own number is '${column}'` : "No column is their number");

/** The chosen column stays in the list though it does not look like a number of theirs. */
const columnsOf = ({ columns, identity }: MatchingView) =>
  identity.article && !columns.includes(identity.article) ? [identity.article, ...columns] : columns;

interface WaysProps {
  feed: number;
  delivery: number;
  matching: MatchingView;
  onChange: (part: Partial<Identity>, label: string) => void;
}

function Ways({ feed, delivery, matching, onChange }: WaysProps) {
  const ways = matching.identity.ways ?? [];
  const [open, setOpen] = useState<{ at: number; anchor: HTMLElement } | null>(null);
  const inWords = (way: Way) => wayInWords(way, matching.fields);
  const put = (at: number, way: Way) => {
    const next = [...ways];
    next[at] = way;
    onChange({ ways: next }, `Found by ${inWords(way)}`);
  };
  const drop = (at: number) =>
    onChange({ ways: ways.filter((_, n) => n !== at) }, `No longer by ${inWords(ways[at]!)}`);
  const raise = (at: number) => {
    const next = [...ways];
    next.splice(at - 1, 2, ways[at]!, ways[at - 1]!);
    onChange({ ways: next }, `First by ${inWords(ways[at]!)}`);
  };
  return (
    <Part title="Rows find their products by">
      <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {matching.ways.map(({ way, found, several }, at) => (
          <Box
            component="li"
            key={JSON.stringify(way)}
            sx={{ display: "flex", alignItems: "flex-start", gap: 0.5, py: 0.5 }}
          >
            <Box sx={{ flex: 1, minWidth: 0 }}>
              <button
                type="button"
                className="plain-button"
                disabled={!ways.length}
                style={{ fontWeight: 600, textAlign: "left" }}
                aria-haspopup="dialog"
                onClick={(e) => setOpen({ at, anchor: e.currentTarget })}
              >
                {at > 0 && "then "}
                {inWords(way)}
              </button>
              <Typography variant="caption" color="textSecondary" component="div">
                {ways.length ? "" : "the store's key: "}
                {count(found, "row finds one", "rows find one")}
                {several > 0 && `, ${several.toLocaleString("en")} several`}
              </Typography>
            </Box>
            {at > 0 && (
              <IconButton size="small" aria-label={`${inWords(way)} earlier`} onClick={() => raise(at)}>
                <ArrowUpward fontSize="inherit" />
              </IconButton>
            )}
            {ways.length > 0 && (
              <IconButton size="small" aria-label={`Not by ${inWords(way)}`} onClick={() => drop(at)}>
                <Close fontSize="inherit" />
              </IconButton>
            )}
          </Box>
        ))}
      </Box>
      {matching.paired > 0 && (
        <Typography variant="caption" color="textSecondary" component="div">
          before these, {count(matching.paired, "row by a pairing", "rows by pairings")}
        </Typography>
      )}
      {ways.length < 6 && (
        <Button
          size="small"
          aria-haspopup="dialog"
          onClick={(e) => setOpen({ at: ways.length, anchor: e.currentTarget })}
          sx={{ px: 0.5 }}
        >
          Another way
        </Button>
      )}
      <Proposals
        feed={feed}
        delivery={delivery}
        matching={matching}
        onTake={(way) => put(ways.length, way)}
      />
      {open && (
        <WayEditor
          key={open.at}
          feed={feed}
          delivery={delivery}
          fields={matching.fields}
          way={ways[open.at] ?? null}
          anchor={open.anchor}
          onDone={(way) => put(open.at, way)}
          onClose={() => setOpen(null)}
        />
      )}
    </Part>
  );
}

interface ProposalsProps {
  feed: number;
  delivery: number;
  matching: MatchingView;
  onTake: (way: Way) => void;
}

/** Ways that would work, and how well. */
function Proposals({ feed, delivery, matching, onTake }: ProposalsProps) {
  const proposed = useProposedWays(feed, delivery);
  if (proposed.isError) return <Failure error={proposed.error} retry={() => void proposed.refetch()} />;
  const used = matching.ways.map((one) => one.way);
  const ways = (proposed.data?.ways ?? []).filter((one) => !used.some((way) => sameWay(way, one.way)));
  if (!ways.length || used.length >= 6) return null;
  const rows = proposed.data!.rows;
  return (
    <Box sx={{ mt: 0.5 }}>
      <Typography variant="caption" color="textSecondary" component="div">
        Would find, of {count(rows, "row", "rows")}
        {rows < matching.rows && " looked at"}:
      </Typography>
      {ways.map(({ way, found, several }) => (
        <Box key={JSON.stringify(way)} sx={{ display: "flex", alignItems: "baseline", gap: 0.75 }}>
          <Typography variant="body2" sx={{ flex: 1, minWidth: 0 }}>
            {wayInWords(way, matching.fields)}
            <Typography component="span" variant="caption" color="textSecondary">
              {" "}
              {found.toLocaleString("en")} one{several > 0 && `, ${several.toLocaleString("en")} several`}
            </Typography>
          </Typography>
          <Button
            size="small"
            sx={{ minWidth: 0, px: 0.75 }}
            aria-label={`Use ${wayInWords(way, matching.fields)}`}
            onClick={() => onTake(way)}
          >
            Use
          </Button>
        </Box>
      ))}
    </Box>
  );
}

interface ChoiceProps<T extends string> {
  label: string;
  value: T;
  options: Record<T, string>;
  onChange: (value: T) => void;
}

function Choice<T extends string>({ label, value, options, onChange }: ChoiceProps<T>) {
  return (
    <TextField
      select
      fullWidth
      value={value}
      onChange={(e) => onChange(e.target.value as T)}
      slotProps={{ htmlInput: { "aria-label": label } }}
    >
      {Object.entries<string>(options).map(([name, text]) => (
        <MenuItem key={name} value={name}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
}
