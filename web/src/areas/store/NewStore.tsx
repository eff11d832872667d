/** Makes another store from a schema file or a template; removes this one. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { sendFile, type Schemas } from "../../api/client";
import { Failure } from "../../components/states";
import { Removal } from "./Removal";

/** Another store, and the way out of this one. */
export function NewStore({ store }: { store?: number }) {
  const picker = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const [removing, setRemoving] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const send = async (file: File) => {
    setError(null);
    try {
      const made = await sendFile<Schemas["Made"]>(
        "/api/v1/stores",
        { file, name: name || file.name },
        () => {},
      );
      await queries.invalidateQueries({ queryKey: ["stores"] });
      await navigate(`/s/${made.id}/schema`);
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <Box
      component="section"
      aria-label={store === undefined ? "A store" : "Another store"}
      sx={{ border: 1, borderColor: "divider", borderRadius: 1, p: 1.5, mt: 2, bgcolor: "background.paper" }}
    >
      <Typography variant="h2" gutterBottom>
        {store === undefined ? "A store" : "Another store"}
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 1 }}>
        From a Table Schema document (JSON), or from a blank import template: a CSV file whose first line
        names the columns. It begins with an empty catalog.
      </Typography>
      <Box sx={{ display: "flex", gap: 1 }}>
        <TextField
          label="Name of the store"
          value={name}
          onChange={(e) => setName(e.target.value)}
          sx={{ width: 260 }}
        />
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
        <Box sx={{ flex: 1 }} />
        {store !== undefined && (
          <Button color="inherit" onClick={() => setRemoving(true)}>
            Remove this store
          </Button>
        )}
      </Box>
      {error !== null && <Failure error={error} />}
      {removing && store !== undefined && (
        <Removal
          kind="store"
          id={store}
          onClose={() => setRemoving(false)}
          onRemoved={() => void navigate("/")}
        />
      )}
    </Box>
  );
}
