/** Which columns the sheet has, and in which order. */
import ArrowDownward from "@mui/icons-material/ArrowDownward";
import ArrowUpward from "@mui/icons-material/ArrowUpward";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import IconButton from "@mui/material/IconButton";
import Popover from "@mui/material/Popover";
import { useState } from "react";
import type { StoreField } from "../../api/hooks";

interface ColumnsProps {
  columns: readonly string[];
  fields: readonly StoreField[];
  onColumns: (columns: string[]) => void;
}

const BESIDE: [string, string][] = [
  ["$state", "State"],
  ["$supplier", "Supplier"],
  ["$changed", "Changed"],
];

/** A list to tick, in the order of the sheet; those that are not in it below. */
export function Columns({ columns, fields, onColumns }: ColumnsProps) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const key = fields.find((f) => f.role === "key")?.name;
  const all: [string, string][] = [
    ...fields.filter((f) => f.name !== key).map((f): [string, string] => [f.name, f.title || f.name]),
    ...BESIDE,
  ];
  const label = (name: string) => all.find(([one]) => one === name)?.[1] ?? name;
  const others = all.filter(([name]) => !columns.includes(name));
  const swap = (place: number, to: number) => {
    const next = [...columns];
    const [one] = next.splice(place, 1);
    if (one) next.splice(to, 0, one);
    onColumns(next);
  };
  return (
    <>
      <Button color="inherit" onClick={(event) => setAnchor(event.currentTarget)} aria-haspopup="dialog">
        Columns
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: "bottom", horizontal: "left" }}
      >
        <Box role="group" aria-label="Columns" sx={{ p: 1.5, width: 290, maxHeight: 460, overflowY: "auto" }}>
          {columns.map((name, place) => (
            <Box key={name} sx={{ display: "flex", alignItems: "center" }}>
              <FormControlLabel
                sx={{ flex: 1 }}
                control={
                  <Checkbox
                    size="small"
                    checked
                    disabled={columns.length === 1}
                    onChange={() => onColumns(columns.filter((one) => one !== name))}
                  />
                }
                label={label(name)}
              />
              <IconButton
                size="small"
                aria-label={`${label(name)} further left`}
                disabled={!place}
                onClick={() => swap(place, place - 1)}
              >
                <ArrowUpward fontSize="small" />
              </IconButton>
              <IconButton
                size="small"
                aria-label={`${label(name)} further right`}
                disabled={place === columns.length - 1}
                onClick={() => swap(place, place + 1)}
              >
                <ArrowDownward fontSize="small" />
              </IconButton>
            </Box>
          ))}
          {others.map(([name, said]) => (
            <FormControlLabel
              key={name}
              sx={{ display: "flex" }}
              control={
                <Checkbox size="small" checked={false} onChange={() => onColumns([...columns, name])} />
              }
              label={said}
            />
          ))}
          <Button color="inherit" onClick={() => onColumns([])}>
            As usual
          </Button>
        </Box>
      </Popover>
    </>
  );
}
