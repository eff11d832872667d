/** The store's products: views and the tree at the left, a sheet to work in at the right. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link } from "react-router";
import { PAGE, productsFrom, useProducts } from "../../api/catalog";
import { useArrivals, useSchema, useStoreTree } from "../../api/hooks";
import { Pager } from "../../components/Pager";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count, STATES } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { TreeDialog, type Asked } from "../store/TreeDialog";
import { Branch } from "./Branch";
import { BranchMenu, type MenuOf } from "./BranchMenu";
import { ChangeAll } from "./ChangeAll";
import { Columns } from "./Columns";
import { Filters } from "./Filters";
import type { pasted } from "./grid";
import { Lacking } from "./Lacking";
import { useLook, usualColumns } from "./look";
import { ProductSheet } from "./ProductSheet";
import { Publish } from "./Publish";
import { SavedViews } from "./SavedViews";
import { Troubles } from "./Troubles";
import { useCells } from "./useCells";

/** What stands for the whole tree. */
const ALL = { path: "", label: "All products", depth: 0, count: 0 };
/** Cells that a paste may have. */
const MOST = 20_000;

/** The store's products by category and condition, in a sheet whose cells are written in place. */
export function Catalog() {
  const store = useStoreId();
  const { look, page, set, turn } = useLook();
  const tree = useStoreTree(store);
  const schema = useSchema(store);
  const arrivals = useArrivals(store);
  const products = useProducts(store, look, page);
  const cells = useCells(store);
  const undo = useUndo();
  const [moving, setMoving] = useState<Asked | null>(null);
  const [menu, setMenu] = useState<MenuOf | null>(null);
  if (products.isError) return <Failure error={products.error} retry={() => void products.refetch()} />;
  if (tree.isError) return <Failure error={tree.error} retry={() => void tree.refetch()} />;
  if (schema.isError) return <Failure error={schema.error} retry={() => void schema.refetch()} />;
  if (products.isPending || tree.isPending || schema.isPending) return <Waiting what="the catalog" />;
  const { fields } = schema.data.product_schema;
  const { categories } = tree.data;
  const there = new Set(categories.map((c) => c.path).filter(Boolean));
  const chosen = look.columns.filter((name) => name.startsWith("$") || fields.some((f) => f.name === name));
  const columns = chosen.length ? chosen : usualColumns(fields);
  const all = categories.filter((c) => c.depth === 0).reduce((n, c) => n + c.count, 0);
  const category = fields.find((f) => f.kind === "category");
  const filtered = look.search !== "" || look.state !== "" || look.where.length > 0;
  const move = (keys: string[], to: string) => {
    if (!category) return;
    const moved = products.data.products.filter((p) => keys.includes(p.key) && p.category !== to);
    cells.put(moved.map((product) => ({ product, values: { [category.name]: to } })));
  };
  const paste = async (row: number, into: readonly string[], block: ReturnType<typeof pasted>) => {
    const rows = Math.min(block.rows, Math.floor(MOST / Math.max(1, into.length)));
    const own = products.data.products.slice(row, row + rows);
    try {
      const more =
        rows > own.length
          ? await productsFrom(store, look, page * PAGE + row + own.length, rows - own.length)
          : [];
      const found = [...own, ...more];
      const left = block.rows - found.length;
      const wide = block.width - into.length;
      const beyond = [
        left > 0 && `${count(left, "row has", "rows have")} no product here, or no room`,
        wide > 0 && `${count(wide, "column is", "columns are")} beyond the sheet`,
      ].filter(Boolean);
      cells.put(
        found.map((product, r) => ({ product, values: valuesOf(r, into, block) })),
        beyond.join("; "),
      );
    } catch (error) {
      undo.failed(error);
    }
  };
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Box
        component="nav"
        aria-label="Views and categories"
        sx={{ width: 250, flex: "none", borderRight: 1, borderColor: "divider", overflowY: "auto" }}
      >
        <SavedViews store={store} look={look} onLook={set} />
        {[ALL, ...categories]
          .filter((c) => c === ALL || c.path || c.count)
          .map((c) => (
            <Branch
              key={c === ALL ? "*" : c.path}
              label={c.label || "without a category"}
              path={c.path}
              depth={c.depth}
              n={c === ALL ? all : c.count}
              chosen={c.path === look.category}
              onChoose={() => set({ category: c.path })}
              onProducts={(keys) => move(keys, c.path)}
              onBranch={(path) => path !== c.path && setMoving({ do: "move", path, to: c.path })}
              onMove={() => setMoving({ do: "move", path: c.path })}
              onMenu={(anchor) => setMenu({ path: c.path, anchor })}
            />
          ))}
        <BranchMenu of={menu} onAsk={setMoving} onClose={() => setMenu(null)} />
        {moving && (
          <TreeDialog
            key={`${moving.do} ${moving.path} ${moving.to}`}
            store={store}
            asked={moving}
            paths={categories.map((c) => c.path).filter(Boolean)}
            onClose={() => setMoving(null)}
          />
        )}
      </Box>
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.25, pt: 1 }}>
          <Typography variant="h1" noWrap>
            {look.category || "All products"}
          </Typography>
          {there.has(look.category) && (
            <Button
              color="inherit"
              aria-haspopup="menu"
              onClick={(e) => setMenu({ path: look.category, anchor: e.currentTarget })}
            >
              Category …
            </Button>
          )}
          <Typography color="textSecondary" noWrap>
            {count(products.data.total, "product", "products")}
          </Typography>
          <Lacking
            store={store}
            look={look}
            fields={fields}
            onOnly={(one) => set({ where: [...look.where.filter((w) => w.field !== one.field), one] })}
          />
          <Troubles
            store={store}
            look={look}
            onOnly={(one) => set({ where: [...look.where.filter((w) => w.field !== one.field), one] })}
          />
          <Box sx={{ flex: 1 }} />
          <ChangeAll
            store={store}
            total={products.data.total}
            look={look}
            fields={fields}
            categories={categories.map((c) => c.path).filter(Boolean)}
          />
          <Publish store={store} total={products.data.total} look={look} />
          <Button component={Link} to={`/s/${store}/notes`} color="inherit">
            Notes
          </Button>
          <Button component={Link} to={`/s/${store}/snapshots`} color="inherit">
            Snapshots
          </Button>
          <Pager size={PAGE} total={products.data.total} page={page} onPage={turn} />
        </Box>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.25, py: 0.75, flexWrap: "wrap" }}>
          <SearchField
            label="Find products"
            placeholder="Find a SKU or name"
            width={180}
            value={look.search}
            onSearch={(text) => set({ search: text })}
          />
          <TextField
            select
            value={look.state}
            onChange={(e) => set({ state: e.target.value })}
            slotProps={{ select: { displayEmpty: true }, htmlInput: { "aria-label": "State of products" } }}
          >
            <MenuItem value="">in any state</MenuItem>
            {STATES.map((one) => (
              <MenuItem key={one} value={one}>
                {one}
              </MenuItem>
            ))}
          </TextField>
          <Filters
            where={look.where}
            fields={fields}
            suppliers={[...new Set(arrivals.data?.feeds.map((feed) => feed.supplier))]}
            onWhere={(where) => set({ where })}
          />
          <Box sx={{ flex: 1 }} />
          <FormControlLabel
            control={<Checkbox size="small" checked={cells.keep} onChange={(_, on) => cells.setKeep(on)} />}
            label="Keep what I write"
            title="No feed changes it any more"
            sx={{ mr: 0 }}
          />
          <Columns columns={columns} fields={fields} onColumns={(to) => set({ columns: to })} />
        </Box>
        <NotTaken cells={cells} />
        {products.data.products.length ? (
          <ProductSheet
            key={`${page} ${JSON.stringify(look)}`}
            found={products.data.products}
            fields={fields}
            categories={categories.map((c) => c.path).filter(Boolean)}
            columns={columns}
            look={look}
            cells={cells}
            onSort={(s) => set({ sort: s, descending: s === look.sort && !look.descending })}
            onPaste={(row, into, block) => void paste(row, into, block)}
          />
        ) : (
          <Nothing title="No products here">
            {look.category && !there.has(look.category) ? (
              <>
                There is no category “{look.category}” any more.{" "}
                <Button color="inherit" onClick={() => set({ category: "" })}>
                  Show all products
                </Button>
              </>
            ) : filtered ? (
              "Nothing fits what you look for."
            ) : (
              "This category is empty."
            )}
          </Nothing>
        )}
      </Box>
    </Box>
  );
}

function valuesOf(
  row: number,
  into: readonly string[],
  block: ReturnType<typeof pasted>,
): Record<string, string | null> {
  const values: Record<string, string | null> = {};
  into.forEach((column, at) => {
    const text = block.at(row, at);
    // A state cannot be emptied, and who supplies a product is not written.
    if (text !== undefined && !["$supplier", "$changed"].includes(column))
      values[column] = text.trim() || null;
  });
  return values;
}

/** The cells that were not taken: why, and where the first of them is. */
function NotTaken({ cells }: { cells: ReturnType<typeof useCells> }) {
  const [first] = cells.refused.values();
  if (!first && !cells.beyond) return null;
  return (
    <Box
      role="status"
      sx={{ display: "flex", alignItems: "center", gap: 1, px: 1.25, py: 0.5, bgcolor: "paper2.arriving" }}
    >
      <Typography noWrap sx={{ flex: 1 }}>
        {cells.beyond && `Of what was pasted ${cells.beyond}. `}
        {first && `${count(cells.refused.size, "cell was", "cells were")} not taken. `}
        {first && <b className="mono">{first.key}</b>} {first?.why}
      </Typography>
      {first && (
        <Button color="inherit" onClick={() => void navigator.clipboard.writeText(asList(cells))}>
          Copy the list
        </Button>
      )}
      <Button color="inherit" onClick={cells.dismiss}>
        Leave them
      </Button>
    </Box>
  );
}

const asList = (cells: ReturnType<typeof useCells>) =>
  [...cells.refused.values()]
    .map((one) => [one.key, one.field, one.value ?? "", one.why].join("\t"))
    .join("\n");
