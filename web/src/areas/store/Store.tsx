/** The store's product schema, and making another store from a schema file or a template. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Tab from "@mui/material/Tab";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Tabs from "@mui/material/Tabs";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { sendFile, type Schemas } from "../../api/client";
import { useSchema, type StoreField } from "../../api/hooks";
import { Failure, Waiting } from "../../components/states";
import { useStoreId } from "../../shell/Shell";
import { CategoryNames } from "./CategoryNames";
import { Rates } from "./Rates";

const VIEWS = ["fields", "categories", "rates"] as const;

export function Store() {
  const store = useStoreId();
  const [params, setParams] = useSearchParams();
  const view = VIEWS.find((v) => v === params.get("view")) ?? "fields";
  return (
    <Box sx={{ overflow: "auto", p: 2.5, pt: 1, maxWidth: 1180, width: "100%", mx: "auto" }}>
      <Tabs value={view} onChange={(_, v: string) => setParams(v === "fields" ? {} : { view: v }, { replace: true })} aria-label="Parts of the store" sx={{ mb: 2, borderBottom: 1, borderColor: "divider" }}>
        <Tab value="fields" label="Fields" />
        <Tab value="categories" label="Categories" />
        <Tab value="rates" label="Rates and look-ups" />
      </Tabs>
      {view === "fields" && <Schema store={store} />}
      {view === "categories" && <CategoryNames store={store} />}
      {view === "rates" && <Rates store={store} />}
    </Box>
  );
}

function Schema({ store }: { store: number }) {
  const schema = useSchema(store);
  if (schema.isPending) return <Waiting what="the schema" />;
  if (schema.isError) return <Failure error={schema.error} />;
  const { fields, key, name } = schema.data.product_schema;
  return (
    <>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1.5 }}>
        <Typography variant="h1">{name}</Typography>
        <Typography color="textSecondary">
          {fields.length} fields; a product is known by its {key}
        </Typography>
        <Box sx={{ flex: 1 }} />
        <Button component="a" href={`/api/v1/stores/${store}/schema.json`} color="inherit">
          Download as Table Schema
        </Button>
      </Box>
      <NewStore />
      <Table size="small" sx={{ mt: 2 }}>
        <TableHead>
          <TableRow>
            <TableCell>Field</TableCell>
            <TableCell>Name in files</TableCell>
            <TableCell>Holds</TableCell>
            <TableCell>Must be</TableCell>
            <TableCell>Also called</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {fields.map((f) => (
            <TableRow key={f.name}>
              <TableCell>{f.title || f.name}</TableCell>
              <TableCell className="mono">{f.name}</TableCell>
              <TableCell>{holds(f)}</TableCell>
              <TableCell sx={{ maxWidth: 330 }}>{limits(f)}</TableCell>
              <TableCell sx={{ color: "text.secondary" }}>{(f.synonyms ?? []).join(", ")}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </>
  );
}

function holds(f: StoreField): string {
  const unit = f.currency ?? f.unit;
  const of = f.of && (f.language ? `${f.of} in "${f.language}"` : `what ${f.of} shows`);
  if (of) return of;
  return [(f.kind ?? "text").replace("_", " "), unit && `in ${unit}`].filter(Boolean).join(" ");
}

function limits(f: StoreField): string {
  return [
    f.required && "given",
    f.unique && "unique",
    f.max_length && `at most ${f.max_length} characters`,
    f.minimum && `at least ${f.minimum}`,
    f.maximum && `at most ${f.maximum}`,
    f.pattern && `like ${f.pattern}`,
    f.allowed?.length && `one of ${f.allowed.join(", ")}`,
  ]
    .filter(Boolean)
    .join("; ");
}

function NewStore() {
  const picker = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const [error, setError] = useState<unknown>(null);
  const send = async (file: File) => {
    setError(null);
    try {
      const made = await sendFile<Schemas["Made"]>("/api/v1/stores", { file, name: name || file.name }, () => {});
      await queries.invalidateQueries({ queryKey: ["stores"] });
      await navigate(`/s/${made.id}/schema`);
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <Box component="section" aria-label="Another store" sx={{ border: 1, borderColor: "divider", borderRadius: 1, p: 1.5, bgcolor: "background.paper" }}>
      <Typography variant="h2" gutterBottom>
        Another store
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 1 }}>
        From a Table Schema document (JSON), or from a blank import template: a CSV file whose first
        line names the columns. It begins with an empty catalog.
      </Typography>
      <Box sx={{ display: "flex", gap: 1 }}>
        <TextField label="Name of the store" value={name} onChange={(e) => setName(e.target.value)} sx={{ width: 260 }} />
        <input
          ref={picker}
          type="file"
          hidden
          accept=".json,.csv,.txt"
          aria-label="Schema or template file"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void send(file);
            e.target.value = "";
          }}
        />
        <Button variant="outlined" color="inherit" onClick={() => picker.current?.click()}>
          Choose the file
        </Button>
      </Box>
      {error !== null && <Failure error={error} />}
    </Box>
  );
}
