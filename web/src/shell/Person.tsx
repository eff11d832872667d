/** Who is at work, so that decisions carry a name. Kept in this browser. */
import Button from "@mui/material/Button";
import Popover from "@mui/material/Popover";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { person, setPerson } from "../api/person";

/** Asks who works here; the name stands with what they decide. */
export function Person() {
  const [name, setName] = useState(person());
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const keep = () => {
    setPerson(name);
    setAnchor(null);
  };
  return (
    <>
      <Button color="inherit" onClick={(e) => setAnchor(e.currentTarget)} aria-label="Your name">
        {name || "Your name?"}
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={keep}
        anchorOrigin={{ vertical: "bottom", horizontal: "right" }}
        transformOrigin={{ vertical: "top", horizontal: "right" }}
      >
        <TextField
          autoFocus
          label="Your name"
          value={name}
          onChange={(e) => setName(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && keep()}
          sx={{ m: 1.5, mb: 0.5, display: "block" }}
        />
        <Typography
          variant="caption"
          color="textSecondary"
          component="div"
          sx={{ px: 1.5, pb: 1, maxWidth: 210 }}
        >
          Stands beside versions and decisions. It is no login.
        </Typography>
      </Popover>
    </>
  );
}
