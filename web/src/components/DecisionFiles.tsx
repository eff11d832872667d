/** Decisions about what arrives, out and in as a CSV file. */
import MenuItem from "@mui/material/MenuItem";
import { useRef } from "react";
import { sendFile, type Schemas } from "../api/client";
import { putPlaces, putWords, type Words } from "../api/decisions";
import { useFeedEdit } from "../api/hooks";
import { useStoreId } from "../shell/Shell";
import { useUndo } from "../shell/undo";
import { count } from "./words";

const putPlacements = (feed: number, table: string, places: Words) => putPlaces(feed, table, { places });

const KINDS = {
  words: { path: "value-tables.csv", one: "word", many: "words", put: putWords },
  placements: { path: "category-tables.csv", one: "placement", many: "placements", put: putPlacements },
};

interface DecisionFilesProps {
  feed: number;
  /** The table whose decisions they are. */
  table: string;
  kind: keyof typeof KINDS;
  onChosen: () => void;
}

/** Two lines of a menu: the decisions of a table as a file, and those of a file. */
export function useDecisionFiles({ feed, table, kind, onChosen }: DecisionFilesProps) {
  const store = useStoreId();
  const undo = useUndo();
  const picker = useRef<HTMLInputElement>(null);
  const { path, one, many, put } = KINDS[kind];
  const address = `/api/v1/stores/${store}/${path}`;
  const back = useFeedEdit<Words, unknown>(feed, (before) => put(feed, table, before));
  const taken = useFeedEdit(feed, (file: File) =>
    sendFile<Schemas["Taken"]>(address, { file, name: table }, () => undefined),
  );
  const take = (file: File) =>
    taken.mutate(file, {
      onSuccess: ({ entries, before }) =>
        undo.did(`Took ${count(entries, one, many)} from ${file.name}`, () => back.mutateAsync(before)),
      onError: undo.failed,
    });
  const lines = [
    <MenuItem
      key="out"
      component="a"
      href={`${address}?name=${encodeURIComponent(table)}`}
      onClick={onChosen}
    >
      Export its {many} as CSV
    </MenuItem>,
    <MenuItem
      key="in"
      onClick={() => {
        onChosen();
        picker.current?.click();
      }}
    >
      Take {many} from a CSV
    </MenuItem>,
  ];
  const input = (
    <input
      ref={picker}
      type="file"
      accept=".csv"
      hidden
      aria-label={`${many[0]!.toUpperCase()}${many.slice(1)} as CSV`}
      onChange={(e) => {
        const file = e.target.files?.[0];
        if (file) take(file);
        e.target.value = "";
      }}
    />
  );
  return { lines, input };
}
