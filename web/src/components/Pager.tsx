/** From page to page of a long list. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";

interface PagerProps {
  total: number;
  /** From 0 on. */
  page: number;
  /** How much is on one. */
  size: number;
  onPage: (page: number) => void;
}

/** Goes through the pages of a list; nothing where there is but one. */
export function Pager({ total, page, size, onPage }: PagerProps) {
  const last = Math.max(0, Math.ceil(total / size) - 1);
  if (!last) return null;
  return (
    <Box sx={{ display: "flex", alignItems: "center", whiteSpace: "nowrap" }}>
      <Button color="inherit" disabled={page === 0} onClick={() => onPage(page - 1)}>
        Earlier
      </Button>
      <Typography variant="caption" color="textSecondary">
        {(page * size + 1).toLocaleString("en")}–{Math.min(total, (page + 1) * size).toLocaleString("en")}
      </Typography>
      <Button color="inherit" disabled={page >= last} onClick={() => onPage(page + 1)}>
        Later
      </Button>
    </Box>
  );
}
