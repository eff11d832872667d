/** The store's categories, and what they are called in other languages. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { sendFile, type Schemas } from "../../api/client";
import { useStoreTree } from "../../api/hooks";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";

export function CategoryNames({ store }: { store: number }) {
  const tree = useStoreTree(store);
  if (tree.isPending) return <Waiting what="the categories" />;
  if (tree.isError) return <Failure error={tree.error} />;
  const rows = tree.data.categories.filter((c) => c.path);
  const tags = [...new Set(rows.flatMap((c) => Object.keys(c.names ?? {})))].sort();
  return (
    <Box component="section" aria-label="Categories">
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1 }}>
        <Typography variant="h1">Categories</Typography>
        <Typography color="textSecondary">{count(rows.length, "category", "categories")}</Typography>
        <Box sx={{ flex: 1 }} />
        <FromFile store={store} />
        <Button component="a" href={`/api/v1/stores/${store}/categories/names.csv`} color="inherit">
          Names as CSV
        </Button>
      </Box>
      <Typography color="textSecondary" sx={{ maxWidth: 720, mb: 1.5 }}>
        A name in another language lets a supplier's tree in that language be recognised. The file has the columns category, language,
        name: <span className="mono">Painting &gt; Oil,fr,Huile</span>.
      </Typography>
      {rows.length === 0 ? (
        <Nothing title="No categories yet">They are made while a supplier's tree is placed.</Nothing>
      ) : (
        <Table size="small">
          <TableHead>
            <TableRow>
              <TableCell>Category</TableCell>
              <TableCell align="right">Products</TableCell>
              {tags.map((tag) => (
                <TableCell key={tag}>{languageName(tag)}</TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {rows.map((c) => (
              <TableRow key={c.path}>
                <TableCell sx={{ pl: `${10 + c.depth * 18}px !important`, fontWeight: c.depth ? 400 : 550 }}>{c.label}</TableCell>
                <TableCell align="right">{c.count.toLocaleString("en")}</TableCell>
                {tags.map((tag) => (
                  <TableCell key={tag} lang={tag}>
                    {c.names?.[tag] ?? <Typography component="span" color="textSecondary">—</Typography>}
                  </TableCell>
                ))}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      )}
    </Box>
  );
}

function languageName(tag: string): string {
  return new Intl.DisplayNames(["en"], { type: "language" }).of(tag) ?? tag;
}

function FromFile({ store }: { store: number }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const [said, setSaid] = useState("");
  const taken = useMutation({
    mutationFn: (file: File) => sendFile<Schemas["NamesTaken"]>(`/api/v1/stores/${store}/categories/names.csv`, { file }, () => undefined),
    onSuccess: ({ names }) => {
      setSaid(`Kept ${count(names, "name", "names")}.`);
      return queries.invalidateQueries();
    },
    onError: undo.failed,
  });
  return (
    <>
      {said && <Typography role="status">{said}</Typography>}
      <Button component="label" variant="outlined" disabled={taken.isPending}>
        Take names from a file
        <input hidden type="file" accept=".csv,text/csv" aria-label="File of names" onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) taken.mutate(file);
          e.target.value = "";
        }} />
      </Button>
    </>
  );
}
