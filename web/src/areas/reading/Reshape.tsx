/** The changes of shape of a reading, in their order. */
import Add from "@mui/icons-material/Add";
import ArrowUpward from "@mui/icons-material/ArrowUpward";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import ListItemText from "@mui/material/ListItemText";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Change, DeliveryView, Reading } from "../../api/hooks";
import { blank, describe, KINDS } from "./changes";
import { Entry } from "./Entry";
import { ChangeEditor } from "./ChangeEditor";

interface ReshapeProps {
  view: DeliveryView;
  reading: Reading;
  onChange: (reading: Reading, label: string) => void;
}

/** The changes of shape in their order. */
export function Reshape({ view, reading, onChange }: ReshapeProps) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [open, setOpen] = useState<{ at: number; change: Change } | null>(null);
  const changes = reading.reshape ?? [];
  const put = (next: Change[], label: string) => onChange({ ...reading, reshape: next } as Reading, label);
  const keep = (change: Change) => {
    const next = [...changes];
    next[open?.at ?? next.length] = change;
    put(next, `${title(change)}: ${describe(change)}`);
    setOpen(null);
  };
  return (
    <Box component="section" aria-label="Reshaping" sx={{ mt: 2 }}>
      <Heading text="Reshaping" />
      {view.why.reshape && changes.length > 0 && (
        <Typography variant="caption" color="textSecondary" component="p">
          {view.why.reshape}
        </Typography>
      )}
      {changes.map((change, i) => (
        <Entry
          key={i}
          name={title(change)}
          onOpen={() => setOpen({ at: i, change })}
          onRemove={() =>
            put(
              changes.filter((_, n) => n !== i),
              `Without ${title(change)}`,
            )
          }
          more={
            i > 0 && (
              <IconButton
                size="small"
                aria-label={`Move ${title(change)} up`}
                onClick={() => {
                  const next = [...changes];
                  next.splice(i - 1, 0, ...next.splice(i, 1));
                  put(next, `${title(change)} moved up`);
                }}
              >
                <ArrowUpward fontSize="inherit" />
              </IconButton>
            )
          }
        >
          <b>{title(change)}</b> {describe(change)}
        </Entry>
      ))}
      <Button size="small" color="inherit" startIcon={<Add />} onClick={(e) => setAnchor(e.currentTarget)}>
        Change the shape
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {KINDS.filter((k) => k.offered !== false).map((kind) => (
          <MenuItem
            key={kind.do}
            onClick={() => {
              setAnchor(null);
              setOpen({ at: changes.length, change: blank(kind.do) });
            }}
          >
            <ListItemText primary={kind.title} secondary={kind.says} />
          </MenuItem>
        ))}
      </Menu>
      {open && (
        <ChangeEditor
          delivery={view.id}
          before={{ ...reading, reshape: changes.slice(0, open.at), companions: [] } as Reading}
          start={open.change}
          title={title(open.change)}
          onKeep={keep}
          onClose={() => setOpen(null)}
        />
      )}
    </Box>
  );
}

/** The heading of a part of the reading. */
export function Heading({ text }: { text: string }) {
  return (
    <Typography variant="h3" color="textSecondary" sx={{ mb: 0.25 }}>
      {text}
    </Typography>
  );
}

function title(change: Change): string {
  return KINDS.find((k) => k.do === change.do)?.title ?? change.do;
}
