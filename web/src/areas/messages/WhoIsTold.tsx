/** Who is told by mail, at once or once a day, and which web address is called. */
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useSetTold, useTold, useTryTold, type ToldView } from "../../api/messages";
import { Failure } from "../../components/states";
import { count } from "../../components/words";

/** Who is told, in a sentence. */
export function saidOfTold({ mail = [], digest, hook }: ToldView): string {
  const said = [
    mail.length > 0 && `${mail.join(", ")} by mail, ${digest ? "once a day" : "at once"}`,
    hook && `${hook} is called`,
  ].filter(Boolean);
  return said.length ? `${said.join("; ")}.` : "Whoever looks at the messages, and nobody else.";
}

export function WhoIsTold({ store }: { store: number }) {
  const told = useTold(store);
  const [editing, setEditing] = useState(false);
  const trial = useTryTold(store);
  const set = useSetTold(store);
  if (told.isError) return <Failure error={told.error} retry={() => void told.refetch()} />;
  if (!told.data) return null;
  const addresses = (told.data.mail ?? []).length + (told.data.hook ? 1 : 0);
  return (
    <Box component="section" aria-label="Who is told" sx={{ mt: 3 }}>
      <Typography variant="h2" sx={{ borderBottom: 1, borderColor: "divider", pb: 0.5, mb: 1 }}>
        Who is told
      </Typography>
      {editing ? (
        <Editor
          known={told.data}
          busy={set.isPending}
          error={set.error}
          onKeep={(body) =>
            set.mutateAsync(body).then(
              () => setEditing(false),
              () => undefined,
            )
          }
          onClose={() => setEditing(false)}
        />
      ) : (
        <>
          <Typography sx={{ overflowWrap: "anywhere" }}>{saidOfTold(told.data)}</Typography>
          <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
            <Button variant="outlined" onClick={() => setEditing(true)}>
              {addresses ? "Change it" : "Tell somebody"}
            </Button>
            {addresses > 0 && (
              <Button color="inherit" onClick={() => trial.mutate()} disabled={trial.isPending}>
                Send a trial message
              </Button>
            )}
          </Box>
        </>
      )}
      {set.data?.secret && (
        <Alert severity="info" variant="outlined" sx={{ mt: 1 }}>
          <strong>Messages to this address are signed with the secret below. It is shown this once.</strong>
          <div className="mono">{set.data.secret}</div>
        </Alert>
      )}
      {trial.isSuccess && (
        <Alert severity="success" variant="outlined" sx={{ mt: 1 }}>
          Sent to {count(addresses, "address", "addresses")}.
        </Alert>
      )}
      {trial.isError && <Failure error={trial.error} />}
    </Box>
  );
}

interface EditorProps {
  known: ToldView;
  busy: boolean;
  error: unknown;
  onKeep: (body: { mail: string[]; digest: boolean; hook: string }) => void;
  onClose: () => void;
}

function Editor({ known, busy, error, onKeep, onClose }: EditorProps) {
  const [mail, setMail] = useState((known.mail ?? []).join("\n"));
  const [digest, setDigest] = useState(known.digest ?? false);
  const [hook, setHook] = useState(known.hook ?? "");
  const addresses = mail
    .split("\n")
    .map((one) => one.trim())
    .filter(Boolean);
  return (
    <Box
      component="form"
      aria-label="Who is told"
      onSubmit={(e) => {
        e.preventDefault();
        onKeep({ mail: addresses, digest, hook: hook.trim() });
      }}
      sx={{ display: "grid", gap: 1.5, maxWidth: 480 }}
    >
      <TextField
        label="Mail addresses"
        multiline
        minRows={2}
        value={mail}
        helperText={
          known.mails
            ? "One a line."
            : "One a line. This installation cannot send mail yet: whoever runs it can name a server."
        }
        onChange={(e) => setMail(e.target.value)}
      />
      <FormControlLabel
        control={<Checkbox size="small" checked={digest} onChange={(_, on) => setDigest(on)} />}
        label="by mail once a day, what has gathered"
      />
      <TextField
        label="Web address"
        value={hook}
        helperText="It is called with each message, signed; see the documentation of feeds."
        onChange={(e) => setHook(e.target.value)}
      />
      <Box sx={{ display: "flex", gap: 1 }}>
        <Button type="submit" variant="contained" disabled={busy}>
          Keep it
        </Button>
        <Button color="inherit" onClick={onClose}>
          Leave it
        </Button>
      </Box>
      {error !== null && <Failure error={error} />}
    </Box>
  );
}
