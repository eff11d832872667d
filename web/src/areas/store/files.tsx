/** Trees and names out of files. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, sendFile, take, type Schemas } from "../../api/client";
import { Confirm } from "../../components/Confirm";
import { FileButton } from "../../components/FileButton";
import { count } from "../../components/words";
import { useUndo } from "../../shell/undo";
import { useStoreEdit } from "../../api/storeEdits";

/** A whole tree out of a file, looked at before it is added. */
export function TreeFromFile({ store }: { store: number }) {
  const undo = useUndo();
  const [found, setFound] = useState<Schemas["ReadPaths"] | null>(null);
  const read = useMutation({
    mutationFn: (file: File) =>
      sendFile<Schemas["ReadPaths"]>(`/api/v1/stores/${store}/categories/read`, { file }, () => undefined),
    onSuccess: setFound,
    onError: undo.failed,
  });
  const add = useStoreEdit((paths: string[]) =>
    take(
      api.POST("/api/v1/stores/{store_id}/categories", {
        params: { path: { store_id: store } },
        body: { paths },
      }),
    ),
  );
  return (
    <>
      <FileButton
        label="Tree from a file"
        name="File of categories"
        busy={read.isPending}
        onFile={read.mutate}
      />
      {found && (
        <Confirm
          title="Categories of the file"
          action={`Add ${count(found.paths.length, "category", "categories")}`}
          ready={found.paths.length > 0}
          busy={add.isPending}
          error={add.error}
          onClose={() => setFound(null)}
          onYes={() =>
            add.mutate(found.paths, {
              onSuccess: () => {
                undo.did(`Added ${count(found.paths.length, "category", "categories")}`);
                setFound(null);
              },
            })
          }
        >
          <Typography>
            {count(found.paths.length, "category is new", "categories are new")}; {found.known} are there
            already.
            {found.heading
              ? ` The first line, '${found.heading}', was taken for a heading.`
              : " The first line was taken for a category."}
          </Typography>
          <Box
            component="ul"
            aria-label="New categories"
            tabIndex={0}
            sx={{ maxHeight: 300, overflowY: "auto", m: 0, pl: 2.5 }}
          >
            {found.paths.slice(0, 500).map((path) => (
              <li key={path}>{path}</li>
            ))}
          </Box>
          {found.paths.length > 500 && <Typography>and {found.paths.length - 500} more.</Typography>}
        </Confirm>
      )}
    </>
  );
}

/** What categories are called in other languages. */
export function NamesFromFile({ store }: { store: number }) {
  const queries = useQueryClient();
  const undo = useUndo();
  const taken = useMutation({
    mutationFn: (file: File) =>
      sendFile<Schemas["NamesTaken"]>(
        `/api/v1/stores/${store}/categories/names.csv`,
        { file },
        () => undefined,
      ),
    onSuccess: ({ names }) => {
      undo.did(`Kept ${count(names, "name", "names")}.`);
      return queries.invalidateQueries();
    },
    onError: undo.failed,
  });
  return (
    <FileButton
      label="Take names from a file"
      name="File of names"
      busy={taken.isPending}
      onFile={taken.mutate}
    />
  );
}
