/** What becomes of a delivery that comes by itself. */
import Box from "@mui/material/Box";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import Typography from "@mui/material/Typography";
import { useSetMay, type FeedSchedules } from "../../api/sources";
import { Failure } from "../../components/states";
import { useUndo } from "../../shell/undo";

type Policy = FeedSchedules["may"];

const SAYS: Record<Policy, [says: string, more: string]> = {
  wait: [
    "It is prepared, and waits to be looked at.",
    "Nothing reaches the catalog before somebody applies it.",
  ],
  clean: [
    "It is applied when nothing at all is open.",
    "A guard that sees something, or an open question, makes it wait as a whole.",
  ],
  rest: [
    "What is clean is applied, and the rest waits.",
    "Products that a guard or a question holds are left; a guard that holds the run makes it wait.",
  ],
};

export function May({ feed, may }: { feed: number; may: Policy }) {
  const set = useSetMay(feed);
  const undo = useUndo();
  const choose = (to: Policy) =>
    void set.mutateAsync(to).then(() => undo.did(SAYS[to][0], () => set.mutateAsync(may)), undo.failed);
  return (
    <Box>
      <RadioGroup aria-label="What it may do" value={may} onChange={(e) => choose(e.target.value as Policy)}>
        {Object.entries(SAYS).map(([name, [says, more]]) => (
          <FormControlLabel
            key={name}
            value={name}
            control={<Radio size="small" sx={{ py: 0.5 }} />}
            label={
              <>
                {says}{" "}
                <Typography component="span" variant="body2" color="textSecondary">
                  {more}
                </Typography>
              </>
            }
          />
        ))}
      </RadioGroup>
      {set.isError && <Failure error={set.error} />}
    </Box>
  );
}
