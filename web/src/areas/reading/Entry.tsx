import Delete from "@mui/icons-material/DeleteOutlined";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import type { ReactNode } from "react";

interface EntryProps {
  /** What it is called where it is removed. */
  name: string;
  /** What else can be done with it. */
  more?: ReactNode;
  onOpen: () => void;
  onRemove: () => void;
  children: ReactNode;
}

/** A change or a companion of the reading: opened by its text, removed by its sign. */
export function Entry({ name, more, onOpen, onRemove, children }: EntryProps) {
  return (
    <Box sx={{ display: "flex", alignItems: "flex-start", gap: 0.5, py: 0.25 }}>
      <Box
        component="button"
        onClick={onOpen}
        sx={{
          flex: 1,
          minWidth: 0,
          textAlign: "left",
          border: 0,
          bgcolor: "transparent",
          font: "inherit",
          color: "inherit",
          cursor: "pointer",
          p: 0,
          overflowWrap: "anywhere",
        }}
      >
        {children}
      </Box>
      {more}
      <IconButton size="small" aria-label={`Remove ${name}`} onClick={onRemove}>
        <Delete fontSize="inherit" />
      </IconButton>
    </Box>
  );
}
