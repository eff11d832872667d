/** A feed as one document: saved as a file, or taken as the start of another feed. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useNavigate } from "react-router";
import { profileOf, useFromProfile } from "../../api/sources";
import { Confirm } from "../../components/Confirm";
import { useFeed } from "../../shell/feed";
import { useStoreId } from "../../shell/Shell";

export function Copy() {
  const store = useStoreId();
  const { feed, line } = useFeed();
  const [asked, setAsked] = useState(false);
  const [supplier, setSupplier] = useState(line.supplier);
  const [name, setName] = useState(`${line.name}, copy`);
  const navigate = useNavigate();
  const make = useFromProfile(store);
  const go = () =>
    profileOf(feed)
      .then((profile) => make.mutateAsync({ ...profile, supplier: supplier.trim(), name: name.trim() }))
      .then((made) => navigate(`/s/${store}/feeds/${made.id}/profile`))
      .then(() => setAsked(false));
  return (
    <Box sx={{ display: "flex", gap: 1 }}>
      <Button variant="outlined" color="inherit" onClick={() => setAsked(true)}>
        Copy as a new feed
      </Button>
      <Button color="inherit" component="a" href={`/api/v1/feeds/${feed}/profile.json`} download>
        Export as a file
      </Button>
      {asked && (
        <Confirm
          title={`Copy ${line.supplier}, ${line.name}`}
          action="Make it"
          ready={supplier.trim() !== "" && name.trim() !== ""}
          busy={make.isPending}
          error={make.error}
          onClose={() => setAsked(false)}
          onYes={() => void go().catch(() => undefined)}
        >
          <TextField label="Supplier" value={supplier} onChange={(e) => setSupplier(e.target.value)} />
          <TextField label="Feed" value={name} autoFocus onChange={(e) => setName(e.target.value)} />
          <Typography color="textSecondary">
            It has the same source, reading, crosswalk, guards and times. Passwords have to be entered, and
            its times are paused until you let them go on.
          </Typography>
        </Confirm>
      )}
    </Box>
  );
}
