/** The panel at the right of the bench. */
import Close from "@mui/icons-material/Close";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

interface PanelProps {
  title: string;
  subtitle?: string;
  label: string;
  width?: number;
  onClose: () => void;
  children: ReactNode;
}

/** A panel beside what it belongs to. */
export function Panel({ title, subtitle, label, width = 372, onClose, children }: PanelProps) {
  return (
    <Box
      component="aside"
      aria-label={label}
      sx={{
        width,
        flex: "none",
        borderLeft: 1,
        borderColor: "divider",
        bgcolor: "background.paper",
        display: "flex",
        flexDirection: "column",
        minHeight: 0,
      }}
    >
      <Box sx={{ display: "flex", alignItems: "flex-start", px: 1.5, pt: 1, pb: 0.75 }}>
        <Box sx={{ flex: 1, minWidth: 0 }}>
          <Typography variant="h2" noWrap>
            {title}
          </Typography>
          {subtitle && (
            <Typography variant="caption" color="textSecondary" component="div">
              {subtitle}
            </Typography>
          )}
        </Box>
        <IconButton size="small" aria-label="Close" onClick={onClose}>
          <Close fontSize="small" />
        </IconButton>
      </Box>
      <Box sx={{ overflowY: "auto", flex: 1, px: 1.5, pb: 2 }}>{children}</Box>
    </Box>
  );
}

/** A part of a panel under its heading. */
export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" sx={{ mb: 1.75 }}>
      <Typography variant="h3" color="textSecondary" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** A value with a count and a bar as long as its share. */
export function CountRow({ text, count, most }: { text: string; count: number; most: number }) {
  return (
    <Box sx={{ display: "flex", alignItems: "center", gap: 1, height: 22, position: "relative" }}>
      <Box
        aria-hidden
        sx={{
          position: "absolute",
          left: 0,
          height: 18,
          width: `${(100 * count) / Math.max(1, most)}%`,
          bgcolor: "paper2.hand",
        }}
      />
      <Typography className="mono" noWrap sx={{ flex: 1, position: "relative", pl: 0.5 }} title={text}>
        {text}
      </Typography>
      <Typography variant="caption" color="textSecondary" sx={{ position: "relative" }}>
        {count.toLocaleString("en")}
      </Typography>
    </Box>
  );
}
