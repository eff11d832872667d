/** The head of a delivery as it is: bytes of text, cells of a workbook, files of an archive. */
import Box from "@mui/material/Box";
import type { Schemas } from "../../api/client";
import type { Reading } from "../../api/hooks";
import { bytes } from "../../components/words";
import { RawLines } from "./RawLines";

interface RawViewProps {
  raw: Schemas["RawView"];
  reading: Reading;
  part: string;
  onPart: (name: string) => void;
}

/** The file as it is: lines, cells, or what an archive holds. */
export function RawView({ raw, reading, part, onPart }: RawViewProps) {
  const shown = part || raw.file;
  return (
    <Box sx={{ display: "flex", minHeight: 0, flex: 1 }}>
      {raw.files.length > 0 && (
        <Box
          component="nav"
          aria-label="Files of the archive"
          sx={{
            width: 250,
            flex: "none",
            overflowY: "auto",
            borderRight: 1,
            borderColor: "divider",
            py: 0.5,
          }}
        >
          {tree(raw.files).map((f) => (
            <Box
              key={f.name}
              component="button"
              disabled={f.kind !== "table"}
              onClick={() => onPart(f.name)}
              sx={{
                display: "flex",
                width: "100%",
                gap: 1,
                px: 1.25,
                py: 0.25,
                border: 0,
                textAlign: "left",
                font: "inherit",
                fontSize: 12.5,
                color: f.kind === "table" ? "text.primary" : "text.secondary",
                bgcolor: f.name === shown ? "paper2.hand" : "transparent",
                cursor: f.kind === "table" ? "pointer" : "default",
              }}
            >
              <Box component="span" sx={{ flex: 1, overflow: "hidden", textOverflow: "ellipsis" }}>
                {f.name}
              </Box>
              <Box component="span" sx={{ color: "text.secondary" }}>
                {f.says}
              </Box>
            </Box>
          ))}
        </Box>
      )}
      <Box tabIndex={0} sx={{ flex: 1, overflow: "auto", bgcolor: "paper2.arriving", p: 1 }}>
        {raw.cells.length > 0 ? (
          <Cells raw={raw} reading={reading} />
        ) : (
          <RawLines lines={raw.lines} reading={reading} />
        )}
      </Box>
    </Box>
  );
}

/** Tables one by one; a folder of pictures as one line. */
function tree(files: Schemas["RawView"]["files"]) {
  const lines = files
    .filter((f) => f.kind !== "picture")
    .map((f) => ({ name: f.name, kind: f.kind, says: bytes(f.size) }));
  const folders = new Map<string, number>();
  for (const f of files.filter((f) => f.kind === "picture")) {
    const folder = f.name.split("/").slice(0, -1).join("/") || "pictures";
    folders.set(folder, (folders.get(folder) ?? 0) + 1);
  }
  return [
    ...lines,
    ...[...folders].map(([name, n]) => ({
      name: `${name}/`,
      kind: "picture",
      says: `${n.toLocaleString("en")} pictures`,
    })),
  ];
}

function Cells({ raw, reading }: { raw: Schemas["RawView"]; reading: Reading }) {
  const top = reading.format === "workbook" ? (reading.header_row ?? 1) : 1;
  const high = reading.format === "workbook" ? (reading.header_height ?? 1) : 1;
  const notes = reading.format === "workbook" ? (reading.notes_rows ?? 0) : 0;
  const width = Math.max(...raw.cells.map((r) => r.length));
  return (
    <Box component="table" className="cells" aria-label="Cells as they are">
      <thead>
        <tr>
          <th />
          {Array.from({ length: width }, (_, i) => (
            <th key={i}>{letters(i)}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {raw.cells.map((row, r) => {
          const n = r + 1;
          const kind = n < top ? "above" : n < top + high ? "header" : n < top + high + notes ? "above" : "";
          return (
            <tr key={r} className={kind}>
              <th>{n}</th>
              {row.map((cell, c) => (
                <td key={c}>{cell}</td>
              ))}
            </tr>
          );
        })}
      </tbody>
    </Box>
  );
}

function letters(index: number): string {
  const rest = Math.floor(index / 26);
  return (rest ? letters(rest - 1) : "") + String.fromCharCode(65 + (index % 26));
}
