/** A button that asks for a file. */
import Button from "@mui/material/Button";

interface FileButtonProps {
  label: string;
  /** What the hidden input is called. */
  name: string;
  busy: boolean;
  onFile: (file: File) => void;
}

/** Gives the file that was chosen; the same one may be chosen again. */
export function FileButton({ label, name, busy, onFile }: FileButtonProps) {
  return (
    <Button component="label" variant="outlined" color="inherit" disabled={busy}>
      {label}
      <input
        hidden
        type="file"
        aria-label={name}
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) onFile(file);
          e.target.value = "";
        }}
      />
    </Button>
  );
}
