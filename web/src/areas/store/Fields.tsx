/** The fields of the store's schema; one is opened and edited beside the list. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useSearchParams } from "react-router";
import { useSchema, type StoreField } from "../../api/hooks";
import { Failure, Waiting } from "../../components/states";
import { FieldEditor } from "./FieldEditor";
import { NewStore } from "./NewStore";

/** The address of the editor of a field that is not there yet. */
const NEW = "new field";

/** The list of fields, with the editor of the one that the address names. */
export function Fields({ store }: { store: number }) {
  const schema = useSchema(store);
  const [params, setParams] = useSearchParams();
  if (schema.isPending) return <Waiting what="the schema" />;
  if (schema.isError) return <Failure error={schema.error} retry={() => void schema.refetch()} />;
  const { fields, key, name } = schema.data.product_schema;
  const chosen = params.get("field");
  const open = (field: string | null) => setParams(field ? { field } : {}, { replace: true });
  const field = fields.find((f) => f.name === chosen);
  return (
    <Box sx={{ display: "flex", flex: 1, minHeight: 0 }}>
      <Box sx={{ flex: 1, minWidth: 0, overflow: "auto", p: 2.5, pt: 0 }} tabIndex={0}>
        <Box sx={{ display: "flex", alignItems: "baseline", gap: 1.5, mb: 1.5 }}>
          <Typography variant="h1">{name}</Typography>
          <Typography color="textSecondary">
            {fields.length} fields; a product is known by its {key}
          </Typography>
          <Box sx={{ flex: 1 }} />
          <Button component="a" href={`/api/v1/stores/${store}/schema.json`} color="inherit">
            Download as Table Schema
          </Button>
          <Button variant="outlined" color="inherit" onClick={() => open(NEW)}>
            Add a field
          </Button>
        </Box>
        <Table size="small" aria-label="Fields">
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
              <TableRow key={f.name} selected={f.name === chosen} hover>
                <TableCell sx={{ p: "0 !important" }}>
                  <Button
                    color="inherit"
                    onClick={() => open(f.name === chosen ? null : f.name)}
                    aria-expanded={f.name === chosen}
                    sx={{
                      width: "100%",
                      justifyContent: "flex-start",
                      textAlign: "left",
                      fontWeight: 500,
                      px: 1.25,
                    }}
                  >
                    {f.title || f.name}
                  </Button>
                </TableCell>
                <TableCell className="mono">{f.name}</TableCell>
                <TableCell>{holds(f)}</TableCell>
                <TableCell sx={{ maxWidth: 330 }}>{limits(f)}</TableCell>
                <TableCell sx={{ color: "text.secondary" }}>{(f.synonyms ?? []).join(", ")}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        <NewStore store={store} />
      </Box>
      {(field || chosen === NEW) && (
        <FieldEditor
          key={JSON.stringify(field ?? NEW)}
          store={store}
          field={field}
          isKey={field?.name === key}
          onClose={() => open(null)}
          onKept={(kept) => open(kept)}
        />
      )}
    </Box>
  );
}

function holds(f: StoreField): string {
  const unit = f.currency ?? f.unit;
  const of = f.of && (f.language ? `${f.of} in "${f.language}"` : `what ${f.of} shows`);
  if (of) return of;
  return [(f.kind ?? "text").replace("_", " "), unit && `in ${unit}`].filter(Boolean).join(" ");
}

function limits(f: StoreField): string {
  const words = f.allowed ?? [];
  const listed = words.length > 8 ? `${words.slice(0, 8).join(", ")} … (${words.length})` : words.join(", ");
  return [
    f.required && "given",
    f.unique && "unique",
    f.max_length && `at most ${f.max_length} characters`,
    f.minimum && `at least ${f.minimum}`,
    f.maximum && `at most ${f.maximum}`,
    f.pattern && `like ${f.pattern}`,
    words.length && `one of ${listed}`,
  ]
    .filter(Boolean)
    .join("; ");
}
