/** The store's products: the tree at the left, a sheet at the right. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TableSortLabel from "@mui/material/TableSortLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { useSchema, useStoreTree } from "../../api/hooks";
import { Pager } from "../../components/Pager";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count, pictureAddress, STATES } from "../../components/words";
import { useStoreId } from "../../shell/Shell";
import { Publish } from "./Publish";

const PAGE = 100;

/** The store's products by category, found by text, sorted by a field. */
export function Catalog() {
  const store = useStoreId();
  const [params, setParams] = useSearchParams();
  const category = params.get("category") ?? "";
  const search = params.get("search") ?? "";
  const sort = params.get("sort") ?? "key";
  const state = STATES.find((one) => one === params.get("state")) ?? "";
  const descending = params.get("down") === "1";
  const page = Number(params.get("page") ?? 0);
  const set = (change: Record<string, string>) =>
    setParams((old) => ({ ...Object.fromEntries(old), page: "0", ...change }), { replace: true });
  const tree = useStoreTree(store);
  const products = useQuery({
    queryKey: ["catalog", store, category, search, state, sort, descending, page],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(
        api.GET("/api/v1/stores/{store_id}/products", {
          params: {
            path: { store_id: store },
            query: {
              category,
              search,
              sort,
              descending,
              offset: page * PAGE,
              limit: PAGE,
              ...(state && { state }),
            },
          },
        }),
      ),
  });
  if (products.isPending || tree.isPending) return <Waiting what="the catalog" />;
  if (products.isError) return <Failure error={products.error} retry={() => void products.refetch()} />;
  if (tree.isError) return <Failure error={tree.error} retry={() => void tree.refetch()} />;
  const all = tree.data.categories.filter((c) => c.depth === 0).reduce((n, c) => n + c.count, 0);
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Box
        component="nav"
        aria-label="Categories"
        sx={{ width: 270, flex: "none", borderRight: 1, borderColor: "divider", overflowY: "auto" }}
      >
        <Branch
          label="All products"
          depth={0}
          n={all}
          chosen={!category}
          onChoose={() => set({ category: "" })}
        />
        {tree.data.categories
          .filter((c) => c.path || c.count)
          .map((c) => (
            <Branch
              key={c.path}
              label={c.label || "without a category"}
              depth={c.depth}
              n={c.count}
              chosen={c.path === category}
              onChoose={() => set({ category: c.path })}
            />
          ))}
      </Box>
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, p: 1.25 }}>
          <Typography variant="h1" noWrap>
            {category || "All products"}
          </Typography>
          <Typography color="textSecondary" noWrap>
            {count(products.data.total, "product", "products")}
          </Typography>
          <Box sx={{ flex: 1 }} />
          <Publish
            store={store}
            total={products.data.total}
            category={category}
            search={search}
            state={state}
          />
          <Button component={Link} to={`/s/${store}/snapshots`} color="inherit">
            Snapshots
          </Button>
          <TextField
            select
            value={state}
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
          <SearchField
            label="Find products"
            placeholder="Find a SKU or name"
            width={200}
            value={search}
            onSearch={(text) => set({ search: text })}
          />
          <Pager
            size={PAGE}
            total={products.data.total}
            page={page}
            onPage={(p) => set({ page: String(p) })}
          />
        </Box>
        {products.data.products.length ? (
          <Products
            store={store}
            found={products.data.products}
            sort={sort}
            descending={descending}
            onSort={(s) => set({ sort: s, down: s === sort && !descending ? "1" : "0" })}
          />
        ) : (
          <Nothing title="No products here">
            {search || state ? "Nothing fits what you look for." : "This category is empty."}
          </Nothing>
        )}
      </Box>
    </Box>
  );
}

interface BranchProps {
  label: string;
  depth: number;
  n: number;
  chosen: boolean;
  onChoose: () => void;
}

function Branch({ label, depth, n, chosen, onChoose }: BranchProps) {
  return (
    <button
      type="button"
      className={`ledger-row${chosen ? " chosen" : ""}`}
      onClick={onChoose}
      aria-current={chosen}
      style={{ paddingLeft: 12 + depth * 16 }}
    >
      <span className="clip" style={{ flex: 1, color: n ? undefined : "var(--mui-palette-text-secondary)" }}>
        {label}
      </span>
      <span className="quiet">{n ? n.toLocaleString("en") : ""}</span>
    </button>
  );
}

interface ProductsProps {
  store: number;
  found: Schemas["ProductLine"][];
  sort: string;
  descending: boolean;
  onSort: (field: string) => void;
}

function Products({ store, found, sort, descending, onSort }: ProductsProps) {
  const schema = useSchema(store);
  const navigate = useNavigate();
  const fields = schema.data?.product_schema.fields ?? [];
  const role = (r: string) => fields.find((f) => f.role === r);
  const picture = role("picture") ?? role("pictures");
  const numbers = [role("cost"), role("price"), role("list_price"), role("stock")].filter(
    (f) => f !== undefined,
  );
  const head = (key: string, label: string, right = false) => (
    <TableCell key={key} align={right ? "right" : "left"}>
      <TableSortLabel
        active={sort === key}
        direction={descending ? "desc" : "asc"}
        onClick={() => onSort(key)}
      >
        {label}
      </TableSortLabel>
    </TableCell>
  );
  return (
    <Box sx={{ overflow: "auto", flex: 1 }}>
      <Table size="small" stickyHeader>
        <TableHead>
          <TableRow>
            <TableCell sx={{ width: 40 }} />
            {head("key", "SKU")}
            {head("title", "Name")}
            {head("category", "Category")}
            {numbers.map((f) => head(f.name, f.title || f.name, true))}
            <TableCell>Supplier</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {found.map((p) => (
            <TableRow
              key={p.key}
              hover
              sx={{ cursor: "pointer" }}
              onClick={() => void navigate(encodeURIComponent(p.key))}
            >
              <TableCell sx={{ p: 0.25 }}>
                <Thumb address={pictureAddress(picture && p.content[picture.name]?.split(" | ")[0])} />
              </TableCell>
              <TableCell className="mono">
                <Link to={encodeURIComponent(p.key)} onClick={(e) => e.stopPropagation()}>
                  {p.key}
                </Link>
              </TableCell>
              <TableCell
                sx={{ maxWidth: 300, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
              >
                {p.state !== "live" && <span className="quiet">{p.state} · </span>}
                {p.title}
              </TableCell>
              <TableCell
                sx={{
                  maxWidth: 190,
                  overflow: "hidden",
                  textOverflow: "ellipsis",
                  whiteSpace: "nowrap",
                  color: "text.secondary",
                }}
                title={p.category}
              >
                {p.category.split(" > ").at(-1)}
              </TableCell>
              {numbers.map((f) => (
                <TableCell
                  key={f.name}
                  align="right"
                  className="mono"
                  sx={{ fontWeight: f.role === "price" ? 700 : 400 }}
                >
                  {p.content[f.name]}
                </TableCell>
              ))}
              <TableCell sx={{ color: "text.secondary", whiteSpace: "nowrap" }}>{p.supplier}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

function Thumb({ address }: { address: string | undefined }) {
  if (!address) return <Box sx={{ width: 28, height: 28, bgcolor: "paper2.arriving", borderRadius: 0.5 }} />;
  return (
    <img
      src={address}
      width={28}
      height={28}
      alt=""
      loading="lazy"
      style={{ borderRadius: 3, display: "block" }}
    />
  );
}
