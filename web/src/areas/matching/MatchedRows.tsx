/** Rows of a group with their products; those without one are decided here, by keyboard if wanted. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import {
  PAGE,
  useMatchedRows,
  type ArticleDecision,
  type Group,
  type MatchedRow,
  type MatchingView,
} from "../../api/matching";
import { Keyed, KeyedArticle } from "../../components/Keyed";
import { PickAll } from "../../components/PickAll";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { ProductChoice } from "./ProductChoice";
import { useDecide, type Decide } from "./useDecide";

const KEYS: Record<string, string> = {
  Enter: "pair-1",
  2: "pair-2",
  3: "pair-3",
  e: "type",
  n: "new",
  o: "leave",
  x: "pick",
};
/** Groups of rows that somebody has to decide about. */
const UNDECIDED: Group[] = ["several", "none", "lost"];
/** Products that a row offers. */
const OFFERED = 3;

interface MatchedRowsProps {
  feed: number;
  delivery: number;
  matching: MatchingView;
  group: Group;
  search: string;
  page: number;
  onPage: (page: number) => void;
}

/** A page of rows, any number of pages. */
export function MatchedRows(props: MatchedRowsProps) {
  const { feed, delivery, matching, group, search, page, onPage } = props;
  const rows = useMatchedRows(feed, delivery, group, search, page * PAGE);
  const [picked, setPicked] = useState<Set<string>>(new Set());
  const decideAny = useDecide(feed);
  const decide: Decide = (decisions, label) => {
    setPicked(new Set());
    decideAny(decisions, label);
  };
  if (rows.isPending) return <Waiting what="rows" />;
  if (rows.isError) return <Failure error={rows.error} retry={() => void rows.refetch()} />;
  const shown = rows.data.rows;
  const total = rows.data.total;
  const articles = [...new Set(shown.flatMap((r) => (r.article ? [r.article] : [])))];
  const decides = Boolean(matching.identity.article);
  return (
    <Box sx={{ flex: 1, minHeight: 0, overflowY: "auto", px: 2, pb: 2 }}>
      {!total && <Nothing title="No rows">Nothing fits this filter.</Nothing>}
      {total > 0 && decides && (
        <Many
          articles={articles}
          picked={picked}
          onPick={setPicked}
          makes={matching.makes}
          keys={UNDECIDED.includes(group)}
          decide={decide}
        />
      )}
      {total > 0 && !decides && UNDECIDED.includes(group) && (
        <Typography variant="caption" color="textSecondary" component="p">
          To decide row by row, choose the column with their own number at the left.
        </Typography>
      )}
      <Keyed items={shown.length} label="Rows" keys={KEYS}>
        {shown.map((row) => (
          <RowLine
            key={row.row}
            row={row}
            matching={matching}
            picked={picked.has(row.article ?? "")}
            onPick={(article) => {
              const next = new Set(picked);
              if (!next.delete(article)) next.add(article);
              setPicked(next);
            }}
            decide={decides ? decide : null}
          />
        ))}
      </Keyed>
      {total > PAGE && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, pt: 1 }}>
          <Button color="inherit" disabled={page === 0} onClick={() => onPage(page - 1)}>
            Earlier rows
          </Button>
          <Typography variant="caption" color="textSecondary">
            {(page * PAGE + 1).toLocaleString("en")} to{" "}
            {Math.min(total, (page + 1) * PAGE).toLocaleString("en")} of {total.toLocaleString("en")}
          </Typography>
          <Button color="inherit" disabled={(page + 1) * PAGE >= total} onClick={() => onPage(page + 1)}>
            Later rows
          </Button>
        </Box>
      )}
    </Box>
  );
}

interface ManyProps {
  articles: string[];
  picked: Set<string>;
  onPick: (picked: Set<string>) => void;
  makes: boolean;
  /** Whether there is something to decide with each key. */
  keys: boolean;
  decide: Decide;
}

/** What is done to many articles at once, and the keys that work. */
function Many({ articles, picked, onPick, makes, keys, decide }: ManyProps) {
  const all = (decision: ArticleDecision["decision"]) =>
    [...picked].map((article) => ({ article, decision }));
  const these = count(picked.size, "article", "articles");
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, flexWrap: "wrap", minHeight: 32 }}>
      <PickAll shown={articles} picked={picked} onPick={onPick} />
      {picked.size > 0 ? (
        <>
          {makes && (
            <Button size="small" onClick={() => decide(all("new"), `${these} made new`)}>
              Make {these} new
            </Button>
          )}
          <Button size="small" color="inherit" onClick={() => decide(all("leave"), `${these} left out`)}>
            Leave {these} out
          </Button>
          <Button size="small" color="inherit" onClick={() => decide(all(null), `${these} open again`)}>
            Forget what is decided
          </Button>
        </>
      ) : keys ? (
        <Typography variant="caption" color="textSecondary">
          ↑ ↓ between rows · Enter pairs with the first, 2 and 3 the next · E another product
          {makes && " · N new"} · O leave out · X pick
        </Typography>
      ) : null}
    </Box>
  );
}

interface RowLineProps {
  row: MatchedRow;
  matching: MatchingView;
  picked: boolean;
  onPick: (article: string) => void;
  decide: Decide | null;
}

function RowLine({ row, matching, picked, onPick, decide }: RowLineProps) {
  const { article } = row;
  const open = decide && article ? { decide, article } : null;
  const title = row.title ?? "";
  return (
    <KeyedArticle label={`Row ${row.row}: ${[article, title].filter(Boolean).join(" ")}`}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline" }}>
        {open && (
          <Checkbox
            size="small"
            sx={{ p: 0, alignSelf: "center" }}
            checked={picked}
            onChange={() => onPick(open.article)}
            slotProps={{ input: { "aria-label": `Pick ${open.article}`, ...{ "data-does": "pick" } } }}
          />
        )}
        {article && (
          <Typography className="mono" sx={{ fontWeight: 600 }}>
            {article}
          </Typography>
        )}
        <Typography noWrap sx={{ flex: 1, minWidth: 0 }} title={title}>
          {title || told(row)}
        </Typography>
        <Typography variant="caption" color="textSecondary" noWrap>
          {title && told(row)} row {row.row}
        </Typography>
      </Box>
      <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start", pl: open ? 3.5 : 0 }}>
        <Products row={row} onChoose={open && ((key) => open.decide(...paired(open.article, key)))} />
        {open && <Actions row={row} makes={matching.makes} article={open.article} decide={open.decide} />}
      </Box>
    </KeyedArticle>
  );
}

const paired = (article: string, key: string): Parameters<Decide> => [
  [{ article, decision: "product", key }],
  `${article} is ${key}`,
];

interface ProductsProps {
  row: MatchedRow;
  onChoose: ((key: string) => void) | null;
}

/** The product of a row, or those that it may be. */
function Products({ row, onChoose }: ProductsProps) {
  const store = useStoreId();
  const found = row.found === 1;
  return (
    <Box sx={{ display: "flex", gap: 0.75, alignItems: "center", flexWrap: "wrap", flex: 1, minHeight: 30 }}>
      <Typography variant="caption" color="textSecondary">
        {found ? (row.by === -1 ? "is, by a pairing," : "is") : saidOf(row)}
      </Typography>
      {!found && onChoose ? (
        <Offered products={row.products.slice(0, OFFERED)} onChoose={onChoose} />
      ) : (
        row.products.map((product) => (
          <Typography key={product.key} variant="body2">
            <ProductLink store={store} product={product} />
          </Typography>
        ))
      )}
    </Box>
  );
}

interface ActionsProps {
  row: MatchedRow;
  makes: boolean;
  article: string;
  decide: Decide;
}

function Actions({ row, makes, article, decide }: ActionsProps) {
  const store = useStoreId();
  const is = (decision: ArticleDecision["decision"], label: string) =>
    decide([{ article, decision }], `${article} ${label}`);
  return (
    <Box sx={{ display: "flex", gap: 0.5, flex: "none", "& .MuiButton-text": { px: 0.75, minWidth: 0 } }}>
      <ProductChoice
        store={store}
        label={`Product of ${article}`}
        onChoose={(key) => decide(...paired(article, key))}
      />
      {makes && row.found !== 1 && (
        <Button size="small" data-does="new" onClick={() => is("new", "is new")}>
          New
        </Button>
      )}
      {row.group === "left_out" || row.by === -1 ? (
        <Button size="small" color="inherit" onClick={() => is(null, "is open again")}>
          Open again
        </Button>
      ) : (
        <Button size="small" color="inherit" data-does="leave" onClick={() => is("leave", "is left out")}>
          Leave out
        </Button>
      )}
    </Box>
  );
}

interface OfferedProps {
  products: MatchedRow["products"];
  onChoose: (key: string) => void;
}

function Offered({ products, onChoose }: OfferedProps) {
  return products.map((product, n) => (
    <Button
      key={product.key}
      size="small"
      variant="outlined"
      color="inherit"
      data-does={`pair-${n + 1}`}
      title={[product.title, product.why].filter(Boolean).join(": ")}
      onClick={() => onChoose(product.key)}
      sx={{ textTransform: "none", maxWidth: 330 }}
    >
      <span className="clip">
        <span className="only-said">Pair with </span>
        <b className="mono">{product.key}</b> {product.title}
        {product.why && <span style={{ fontWeight: 400 }}> · {product.why}</span>}
      </span>
    </Button>
  ));
}

function ProductLink({ store, product }: { store: number; product: MatchedRow["products"][number] }) {
  return (
    <>
      <Link className="mono" to={`/s/${store}/catalog/${encodeURIComponent(product.key)}`}>
        {product.key}
      </Link>{" "}
      {product.title}
      {product.why && <span className="quiet"> · {product.why}</span>}
    </>
  );
}

/** What tells the product of a row. */
const told = (row: MatchedRow) =>
  Object.values(row.told)
    .filter((value) => value && value !== row.title && value !== row.article)
    .join(" · ");

function saidOf(row: MatchedRow): string {
  if (row.found > 1) return `is ${row.found > 50 ? "one of more than 50" : `one of ${row.found}`} products:`;
  if (row.group === "left_out") return "is left out";
  if (row.group === "key_taken") return "has the key of a product that it is not about";
  const likely = row.products.length ? "; likely" : "; nothing is like it";
  return (row.group === "lost" ? "its product is gone" : "is no product yet") + likely;
}
