/** The store's category tree, edited by hand or from a file, with its names in other languages. */
import ChevronRight from "@mui/icons-material/ChevronRight";
import ExpandMore from "@mui/icons-material/ExpandMore";
import MoreVert from "@mui/icons-material/MoreVert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useStoreTree } from "../../api/hooks";
import { SearchField } from "../../components/SearchField";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { NamesFromFile, TreeFromFile } from "./files";
import { TreeDialog, type Asked } from "./TreeDialog";

type Category = Schemas["CategoryCount"];

/** Branches are closed at first where the tree is large. */
const SMALL = 200;

const OPERATIONS: [Asked["do"], string][] = [
  ["add", "Add a category below"],
  ["rename", "Rename"],
  ["move", "Move"],
  ["merge", "Merge into another"],
  ["delete", "Delete"],
];

/** The tree as rows to open and close; each has what can be done with it. */
export function Tree({ store }: { store: number }) {
  const tree = useStoreTree(store);
  const [turned, setTurned] = useState<ReadonlySet<string>>(new Set());
  const [search, setSearch] = useState("");
  const [asked, setAsked] = useState<Asked | null>(null);
  if (tree.isPending) return <Waiting what="the categories" />;
  if (tree.isError) return <Failure error={tree.error} retry={() => void tree.refetch()} />;
  const rows = tree.data.categories.filter((c) => c.path);
  const tags = [...new Set(rows.flatMap((c) => Object.keys(c.names ?? {})))].sort();
  const small = rows.length <= SMALL;
  const isOpen = (path: string) => turned.has(path) !== small;
  const shown = search ? found(rows, search) : rows.filter((c) => above(c.path).every(isOpen));
  const parents = new Set(rows.flatMap((c) => above(c.path).slice(-1)));
  const turn = (path: string) =>
    setTurned((old) => new Set(old.has(path) ? [...old].filter((p) => p !== path) : [...old, path]));
  return (
    <Box component="section" aria-label="Categories">
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mb: 1 }}>
        <Typography variant="h1">Categories</Typography>
        <Typography color="textSecondary">{count(rows.length, "category", "categories")}</Typography>
        <Box sx={{ flex: 1 }} />
        <SearchField
          label="Find a category"
          placeholder="Find a category"
          value={search}
          width={180}
          onSearch={setSearch}
        />
        <TreeFromFile store={store} />
        <Button variant="contained" onClick={() => setAsked({ do: "add", path: "" })}>
          Add a category
        </Button>
      </Box>
      {rows.length === 0 ? (
        <Nothing title="No categories yet">
          Add the first one here, take a whole tree from a file, or place a supplier's tree: categories are
          made on the way.
        </Nothing>
      ) : (
        <Table size="small" aria-label="Category tree">
          <TableHead>
            <TableRow>
              <TableCell>Category</TableCell>
              <TableCell align="right">Products</TableCell>
              {tags.map((tag) => (
                <TableCell key={tag}>{languageName(tag)}</TableCell>
              ))}
              <TableCell sx={{ width: 40 }} aria-label="What can be done" />
            </TableRow>
          </TableHead>
          <TableBody>
            {shown.map((c) => (
              <TableRow key={c.path} hover>
                <TableCell
                  sx={{
                    pl: `${6 + (search ? 0 : c.depth) * 18}px !important`,
                    fontWeight: c.depth ? 400 : 550,
                  }}
                >
                  {!search && (
                    <Opener
                      label={c.label}
                      branch={parents.has(c.path)}
                      open={isOpen(c.path)}
                      onTurn={() => turn(c.path)}
                    />
                  )}
                  {search ? c.path : c.label}
                </TableCell>
                <TableCell align="right">{c.count.toLocaleString("en")}</TableCell>
                {tags.map((tag) => (
                  <TableCell key={tag} lang={tag}>
                    {c.names?.[tag] ?? "—"}
                  </TableCell>
                ))}
                <TableCell sx={{ py: "0 !important" }}>
                  <Operations category={c} onAsk={setAsked} />
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mt: 2 }}>
        <Typography color="textSecondary" sx={{ maxWidth: 620 }}>
          A name in another language lets a supplier's tree in that language be recognised. The file has the
          columns category, language, name: <span className="mono">Painting &gt; Oil,fr,Huile</span>.
        </Typography>
        <Box sx={{ flex: 1 }} />
        <NamesFromFile store={store} />
        <Button component="a" href={`/api/v1/stores/${store}/categories/names.csv`} color="inherit">
          Names as CSV
        </Button>
      </Box>
      {asked && (
        <TreeDialog
          key={`${asked.do} ${asked.path}`}
          store={store}
          asked={asked}
          paths={rows.map((c) => c.path)}
          onClose={() => setAsked(null)}
        />
      )}
    </Box>
  );
}

function Opener({
  label,
  branch,
  open,
  onTurn,
}: {
  label: string;
  branch: boolean;
  open: boolean;
  onTurn: () => void;
}) {
  if (!branch) return <Box component="span" sx={{ display: "inline-block", width: 24 }} />;
  return (
    <IconButton
      size="small"
      aria-label={open ? `Close ${label}` : `Open ${label}`}
      aria-expanded={open}
      onClick={onTurn}
      sx={{ p: 0.25, mr: 0.25 }}
    >
      {open ? <ExpandMore fontSize="small" /> : <ChevronRight fontSize="small" />}
    </IconButton>
  );
}

function Operations({ category, onAsk }: { category: Category; onAsk: (asked: Asked) => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <IconButton
        size="small"
        aria-label={`What can be done with ${category.path}`}
        onClick={(e) => setAnchor(e.currentTarget)}
        sx={{ p: 0.25 }}
      >
        <MoreVert fontSize="small" />
      </IconButton>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {OPERATIONS.map(([operation, label]) => (
          <MenuItem
            key={operation}
            onClick={() => {
              setAnchor(null);
              onAsk({ do: operation, path: category.path });
            }}
          >
            {label}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}

const SIGN = " > ";

function above(path: string): string[] {
  const parts = path.split(SIGN);
  return parts.slice(1).map((_, depth) => parts.slice(0, depth + 1).join(SIGN));
}

function found(rows: Category[], search: string): Category[] {
  const wanted = search.toLowerCase();
  const named = (c: Category) => [c.path, ...Object.values(c.names ?? {})];
  return rows.filter((c) => named(c).some((name) => name.toLowerCase().includes(wanted)));
}

function languageName(tag: string): string {
  return new Intl.DisplayNames(["en"], { type: "language" }).of(tag) ?? tag;
}
