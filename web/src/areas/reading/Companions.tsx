/** The companions of a reading: second tables joined on a key. */
import Add from "@mui/icons-material/Add";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Companion, DeliveryView, Reading } from "../../api/hooks";
import { CompanionEditor } from "./CompanionEditor";
import { Entry } from "./Entry";
import { Heading } from "./Reshape";

interface CompanionsProps {
  store: number;
  view: DeliveryView;
  reading: Reading;
  onChange: (reading: Reading, label: string) => void;
}

const NEW: Companion = { name: "", keys: [{ column: "", theirs: "" }] };

/** The tables that are joined to this one. */
export function Companions({ store, view, reading, onChange }: CompanionsProps) {
  const [open, setOpen] = useState<{ at: number; own: Companion } | null>(null);
  const own = reading.companions ?? [];
  const put = (next: Companion[], label: string) =>
    onChange({ ...reading, companions: next } as Reading, label);
  return (
    <Box component="section" aria-label="Companions" sx={{ mt: 2 }}>
      <Heading text="Companions" />
      {view.why.companions && own.length > 0 && (
        <Typography variant="caption" color="textSecondary" component="p">
          {view.why.companions}
        </Typography>
      )}
      {own.map((c, i) => (
        <Entry
          key={c.name}
          name={c.name}
          onOpen={() => setOpen({ at: i, own: c })}
          onRemove={() =>
            put(
              own.filter((_, n) => n !== i),
              `Without ${c.name}`,
            )
          }
        >
          <b>{c.name}</b> on {c.keys.map((k) => `${k.column} = ${k.theirs}`).join(" and ")}
        </Entry>
      ))}
      <Button
        size="small"
        color="inherit"
        startIcon={<Add />}
        onClick={() => setOpen({ at: own.length, own: NEW })}
      >
        Join a second table
      </Button>
      {open && (
        <CompanionEditor
          store={store}
          view={view}
          before={{ ...reading, companions: own.slice(0, open.at) } as Reading}
          start={open.own}
          onClose={() => setOpen(null)}
          onKeep={(made) => {
            const next = [...own];
            next[open.at] = made;
            put(next, `Joined ${made.name}`);
            setOpen(null);
          }}
        />
      )}
    </Box>
  );
}
