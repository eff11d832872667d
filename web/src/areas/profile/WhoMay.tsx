/** Who may run a feed, and who may change it. */
import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { person } from "../../api/person";
import { usePeople, useSetPeople, type FeedPeople } from "../../api/profiles";
import { Failure, Waiting } from "../../components/states";
import { useUndo } from "../../shell/undo";

export function WhoMay({ feed }: { feed: number }) {
  const people = usePeople(feed);
  const set = useSetPeople(feed);
  const undo = useUndo();
  if (people.isError) return <Failure error={people.error} retry={() => void people.refetch()} />;
  if (!people.data) return <Waiting what="who may" />;
  const known = people.data;
  const keep = (to: FeedPeople) =>
    void set.mutateAsync(to).then(
      () => undo.did("Who may run or change it is another", () => set.mutateAsync(known)),
      () => undefined,
    );
  return (
    <Box>
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 2, maxWidth: 900, mt: 1.5, mb: 0.5 }}>
        <Names
          label="May be run by"
          names={known.run ?? []}
          busy={set.isPending}
          onChange={(run) => keep({ ...known, run })}
        />
        <Names
          label="May be changed by"
          names={known.edit ?? []}
          busy={set.isPending}
          onChange={(edit) => keep({ ...known, edit })}
        />
      </Box>
      <Typography variant="caption" color="textSecondary">
        Nobody named is everybody; who may change it may run it. A name is what each says at the top of the
        page: until there are accounts this keeps mistakes out, and not people.
      </Typography>
      {set.isError && <Failure error={set.error} />}
    </Box>
  );
}

interface NamesProps {
  label: string;
  names: string[];
  busy: boolean;
  onChange: (names: string[]) => void;
}

function Names({ label, names, busy, onChange }: NamesProps) {
  return (
    <Autocomplete
      multiple
      freeSolo
      clearOnBlur
      disabled={busy}
      options={person() && !names.includes(person()) ? [person()] : []}
      value={names}
      onChange={(_, to) => onChange([...new Set(to.map((name) => name.trim()).filter(Boolean))])}
      renderInput={(params) => (
        <TextField {...params} label={label} placeholder={names.length ? "" : "everybody"} />
      )}
    />
  );
}
