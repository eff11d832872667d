/** The store's own tree: picked branches are placed here, many at once. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type ReactNode } from "react";
import { Rows } from "../../components/Rows";
import { count } from "../../components/words";

/** Says where paths go: a store category, "" for not sold, null for no word. */
export type Placing = (places: Record<string, string | null>, label: string) => void;

interface StoreTreeProps {
  store: string[];
  picked: string[];
  onPlace: Placing;
  /** Has store categories made that are called as what arrives. */
  onKeepNames: (paths: string[], label: string) => void;
  fallback?: ReactNode;
}

/** The store's categories, as places for what is picked. */
export function StoreTree({ store, picked, onPlace, onKeepNames, fallback }: StoreTreeProps) {
  const [search, setSearch] = useState("");
  const shown = store.filter((p) => p.toLowerCase().includes(search.toLowerCase()));
  const place = (to: string) =>
    onPlace(
      Object.fromEntries(picked.map((p) => [p, to])),
      `${count(picked.length, "branch goes", "branches go")} to ${to || "nothing: not sold"}`,
    );
  const keepNames = () =>
    onKeepNames(picked, `${count(picked.length, "branch keeps its name", "branches keep their names")}`);
  return (
    <Box
      component="section"
      aria-label="Store categories"
      sx={{
        width: 330,
        flex: "none",
        borderLeft: 1,
        borderColor: "divider",
        display: "flex",
        flexDirection: "column",
        bgcolor: "background.paper",
      }}
    >
      <Box sx={{ p: 1.25, display: "flex", gap: 1, alignItems: "center" }}>
        <Typography variant="h2" noWrap sx={{ flex: "none" }}>
          The store's
        </Typography>
        <TextField
          placeholder="find, or name a new one"
          value={search}
          onChange={(e) => setSearch(e.target.value)}
          slotProps={{ htmlInput: { "aria-label": "Find a store category" } }}
          fullWidth
        />
      </Box>
      <Typography variant="caption" color="textSecondary" sx={{ px: 1.25, pb: 1 }}>
        {picked.length
          ? `${count(picked.length, "branch is", "branches are")} picked: choose where they go.`
          : "Pick arriving branches at the left to place many at once."}
      </Typography>
      <Rows items={shown} row={26} label="Categories of the store" of={(path) => path}>
        {(path) => (
          <button
            type="button"
            className="ledger-row"
            disabled={!picked.length}
            onClick={() => place(path)}
            title={path}
            aria-label={`Place in ${path}`}
            style={{ cursor: picked.length ? "pointer" : "default" }}
          >
            <span className="clip" style={{ paddingLeft: search ? 0 : path.split(" > ").length * 14 - 14 }}>
              {search ? path : path.split(" > ").at(-1)}
            </span>
          </button>
        )}
      </Rows>
      {picked.length > 0 && (
        <Box sx={{ p: 1, display: "flex", gap: 1, borderTop: 1, borderColor: "divider" }}>
          {search && !store.includes(search) && (
            <Button variant="contained" onClick={() => place(search)}>
              New: {search}
            </Button>
          )}
          <Button variant="outlined" color="inherit" onClick={keepNames}>
            Make them, names kept
          </Button>
          <Button variant="outlined" color="inherit" onClick={() => place("")}>
            Do not sell
          </Button>
        </Box>
      )}
      {!picked.length && fallback && (
        <Box sx={{ p: 1.25, borderTop: 1, borderColor: "divider" }}>{fallback}</Box>
      )}
    </Box>
  );
}
