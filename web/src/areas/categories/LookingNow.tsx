import Box from "@mui/material/Box";
import CircularProgress from "@mui/material/CircularProgress";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../../api/client";

/** How far the background is with what the names mean. */
export function LookingNow({ looking }: { looking: Schemas["Looking"] }) {
  const { done, total } = looking;
  return (
    <Box role="status" sx={{ display: "flex", alignItems: "center", gap: 0.75 }}>
      <CircularProgress
        size={14}
        variant={total > 1 ? "determinate" : "indeterminate"}
        value={total ? (100 * done) / total : 0}
        aria-label="Looking for more suggestions"
      />
      <Typography variant="caption" color="textSecondary" noWrap>
        {total > 1
          ? `${done.toLocaleString("en")} of ${total.toLocaleString("en")} names compared`
          : "comparing names"}
      </Typography>
    </Box>
  );
}
