/** The head of a table, small. */
import Box from "@mui/material/Box";
import type { Schemas } from "../../api/client";

const ROWS = 40;

/** The first rows that a reading gives. */
export function PreviewTable({ preview, height }: { preview: Schemas["PreviewView"]; height?: number }) {
  return (
    <Box
      tabIndex={0}
      sx={{
        overflow: "auto",
        border: 1,
        borderColor: "divider",
        ...(height ? { maxHeight: height } : { flex: 1 }),
      }}
    >
      <table className="cells" aria-label="The head of the table">
        <thead>
          <tr>
            <th />
            {preview.columns.map((c) => (
              <th key={c} style={{ textAlign: "left", whiteSpace: "nowrap" }}>
                {c}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {preview.rows.slice(0, ROWS).map((row, r) => (
            <tr key={r} title={preview.faults[r] ?? undefined}>
              <th>{preview.faults[r] ? "✕" : r + 1}</th>
              {row.map((cell, c) => (
                <td key={c}>{cell}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </Box>
  );
}
