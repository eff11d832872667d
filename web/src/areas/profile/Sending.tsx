/** A token by which the supplier, or a program of the store, sends deliveries itself. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useDropToken, useMakeToken } from "../../api/sources";
import { Confirm } from "../../components/Confirm";
import { Failure } from "../../components/states";

export function Sending({ feed, token }: { feed: number; token: boolean }) {
  const make = useMakeToken(feed);
  const drop = useDropToken(feed);
  const [asked, setAsked] = useState<"" | "another" | "drop">("");
  const made = make.data?.token;
  const command = `curl --data-binary @list.csv -H "Authorization: Bearer ${made ?? "…"}" \\
  "${window.location.origin}/api/v1/feeds/${feed}/incoming?name=list.csv"`;
  return (
    <Box>
      <Typography component="div">
        {token || made ? "Files can be sent to it with a token." : "Nobody can send files to it."}{" "}
        <Button onClick={() => (token ? setAsked("another") : make.mutate())} disabled={make.isPending}>
          {token ? "Make another token" : "Make a token"}
        </Button>
        {token && (
          <Button color="inherit" onClick={() => setAsked("drop")}>
            Take the token back
          </Button>
        )}
      </Typography>
      {made && (
        <Box sx={{ border: 1, borderColor: "divider", p: 1, my: 1 }}>
          <Typography sx={{ fontWeight: 550 }}>
            This is the token. It is shown this once: give it to who sends.
          </Typography>
          <Typography className="mono" sx={{ overflowWrap: "anywhere", my: 0.5 }}>
            {made}
          </Typography>
          <Box component="pre" className="mono" sx={{ m: 0, fontSize: 12, overflow: "auto" }}>
            {command}
          </Box>
        </Box>
      )}
      {(make.isError || drop.isError) && <Failure error={make.error ?? drop.error} />}
      {asked && (
        <Confirm
          title={asked === "drop" ? "Take the token back?" : "Make another token?"}
          action={asked === "drop" ? "Take it back" : "Make another"}
          ready
          busy={make.isPending || drop.isPending}
          error={make.error ?? drop.error}
          onClose={() => setAsked("")}
          onYes={() => {
            const done = asked === "drop" ? drop.mutateAsync() : make.mutateAsync();
            done.then(
              () => {
                if (asked === "drop") make.reset();
                setAsked("");
              },
              () => undefined,
            );
          }}
        >
          <Typography>Whoever sends with the token that there is now can send nothing any more.</Typography>
        </Confirm>
      )}
    </Box>
  );
}
