/** How far something has come: always named, for who cannot see the bar. */
import LinearProgress from "@mui/material/LinearProgress";

interface ProgressProps {
  /** What is under way, as one would say it. */
  of: string;
  /** How much of it is done, 0 to 1; without it nobody knows. */
  share?: number;
}

export function Progress({ of, share = 0 }: ProgressProps) {
  const known = share > 0 && share < 1;
  return (
    <LinearProgress
      aria-label={of}
      variant={known ? "determinate" : "indeterminate"}
      {...(known && { value: share * 100 })}
      sx={{ height: 3 }}
    />
  );
}
