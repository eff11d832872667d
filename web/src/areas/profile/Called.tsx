/** What a feed is called, by people and by programs. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useCode, useSetCode } from "../../api/profiles";
import { Failure, Waiting } from "../../components/states";
import { useFeed } from "../../shell/feed";
import { useUndo } from "../../shell/undo";

export function Called() {
  const { feed, line } = useFeed();
  const code = useCode(feed);
  const set = useSetCode(feed);
  const undo = useUndo();
  const [typed, setTyped] = useState<string | null>(null);
  if (code.isError) return <Failure error={code.error} retry={() => void code.refetch()} />;
  if (!code.data) return <Waiting what="the name" />;
  const known = code.data.code ?? "";
  const keep = (to: string) =>
    set.mutateAsync(to).then(
      () => {
        setTyped(null);
        undo.did(to ? `Its code is ${to}` : "It has no code any more", () => set.mutateAsync(known));
      },
      () => undefined,
    );
  return (
    <Box>
      <Typography sx={{ fontSize: 15 }}>
        {line.supplier}, {line.name}
      </Typography>
      {typed === null ? (
        <Typography component="div" color="textSecondary">
          {known ? (
            <>
              Programs call it <span className="mono">{known}</span>, or {feed}.{" "}
            </>
          ) : (
            `Programs call it ${feed}. `
          )}
          <Button color="inherit" onClick={() => setTyped(known)}>
            {known ? "Change the code" : "Give it a code"}
          </Button>
        </Typography>
      ) : (
        <Box
          component="form"
          aria-label="Code"
          sx={{ display: "flex", gap: 1, alignItems: "start", mt: 1 }}
          onSubmit={(e) => {
            e.preventDefault();
            void keep(typed.trim());
          }}
        >
          <TextField
            label="Code"
            autoFocus
            className="mono"
            value={typed}
            helperText="Letters and digits, as in nomotax run quarrow-weekly."
            onChange={(e) => setTyped(e.target.value)}
          />
          <Button variant="contained" type="submit" disabled={set.isPending}>
            Keep it
          </Button>
          <Button color="inherit" onClick={() => setTyped(null)}>
            Leave it
          </Button>
        </Box>
      )}
      {set.isError && <Failure error={set.error} />}
    </Box>
  );
}
