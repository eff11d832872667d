/** A word with how often it stands there, as a filter. */
import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";

interface CountedProps {
  label: string;
  n: number;
  on: boolean;
  onChoose: () => void;
}

/** Pressed while it filters. */
export function Counted({ label, n, on, onChoose }: CountedProps) {
  return (
    <Box
      component="button"
      type="button"
      className="plain-button"
      aria-pressed={on}
      onClick={onChoose}
      sx={{
        display: "flex",
        width: "100%",
        height: 22,
        textAlign: "left",
        ...(on && { bgcolor: "action.selected" }),
      }}
    >
      <Typography noWrap sx={{ flex: 1 }}>
        {label}
      </Typography>
      <Typography color="textSecondary">{n.toLocaleString("en")}</Typography>
    </Box>
  );
}
