/** A feed on one page, in sentences: where its deliveries come from, when, what becomes of them. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState, type ReactNode } from "react";
import { useFetchNow, useSchedules, useSetSource, useSource, type FeedSource } from "../../api/sources";
import { Confirm } from "../../components/Confirm";
import { Failure, Waiting } from "../../components/states";
import { capital } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { ContractPart } from "../contract/ContractPart";
import { Also } from "./Also";
import { Called } from "./Called";
import { May } from "./May";
import { History, LastRuns } from "./Past";
import { Schedules } from "./Schedules";
import { Scopes } from "./Scopes";
import { Copy } from "./Copy";
import { Quiet } from "./Quiet";
import { Looks } from "./Looks";
import { Sending } from "./Sending";
import { SourceEditor } from "./SourceEditor";
import { WhoMay } from "./WhoMay";

/** The profile of the feed at hand. */
export function Profile() {
  const { feed } = useFeed();
  const source = useSource(feed);
  const schedules = useSchedules(feed);
  if (schedules.isError) return <Failure error={schedules.error} retry={() => void schedules.refetch()} />;
  if (source.isError) return <Failure error={source.error} retry={() => void source.refetch()} />;
  if (!source.data || !schedules.data) return <Waiting what="the profile" />;
  return (
    <Box sx={{ overflow: "auto", p: 2 }}>
      <Box sx={{ maxWidth: 1120, display: "grid", gap: 3 }}>
        <Part title="Called">
          <Called />
        </Part>
        <Part title="Where from">
          <From feed={feed} known={source.data} />
        </Part>
        <Part title="When">
          <Schedules feed={feed} known={schedules.data} fetched={source.data.source !== null} />
        </Part>
        <Part title="Scopes">
          <Scopes feed={feed} fetched={source.data.source !== null} />
        </Part>
        <Part title="What becomes of what comes by itself">
          <May feed={feed} may={schedules.data.may} />
          <Quiet feed={feed} days={schedules.data.quiet_days} />
        </Part>
        <Part title="Contract">
          <ContractPart feed={feed} />
        </Part>
        <Part title="Sent by others">
          <Sending feed={feed} token={source.data.token} />
        </Part>
        <Part title="Last looks">
          <Looks feed={feed} />
        </Part>
        <Part title="Last runs">
          <LastRuns feed={feed} />
        </Part>
        <Part title="Who may">
          <WhoMay feed={feed} />
        </Part>
        <Part title="Guards, and who is told">
          <Also feed={feed} />
        </Part>
        <Part title="What was changed">
          <History feed={feed} />
        </Part>
        <Part title="As a start for another">
          <Copy />
        </Part>
      </Box>
    </Box>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box component="section" aria-label={title}>
      <Typography variant="h2" sx={{ borderBottom: 1, borderColor: "divider", pb: 0.5, mb: 1 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

function From({ feed, known }: { feed: number; known: FeedSource }) {
  const [editing, setEditing] = useState(false);
  const [asked, setAsked] = useState(false);
  const fetch = useFetchNow(feed);
  const set = useSetSource(feed);
  if (editing) return <SourceEditor feed={feed} known={known} onClose={() => setEditing(false)} />;
  if (!known.source)
    return (
      <Typography component="div">
        Its files are brought by hand.{" "}
        <Button variant="outlined" onClick={() => setEditing(true)}>
          Say where they come from
        </Button>
      </Typography>
    );
  return (
    <Box>
      <Typography sx={{ overflowWrap: "anywhere", fontSize: 15 }}>{capital(known.said)}.</Typography>
      <Box sx={{ display: "flex", gap: 1, mt: 1 }}>
        <Button variant="contained" onClick={() => fetch.mutate("")} disabled={fetch.isPending}>
          Fetch now
        </Button>
        <Button variant="outlined" onClick={() => setEditing(true)}>
          Change it
        </Button>
        <Button color="inherit" onClick={() => setAsked(true)}>
          Bring by hand instead
        </Button>
      </Box>
      {fetch.isError && <Failure error={fetch.error} />}
      {asked && (
        <Confirm
          title="Bring its files by hand?"
          action="Bring by hand"
          ready
          busy={set.isPending}
          error={set.error}
          onClose={() => setAsked(false)}
          onYes={() =>
            set.mutateAsync({ source: null }).then(
              () => setAsked(false),
              () => undefined,
            )
          }
        >
          <Typography>
            Nothing is fetched any more, and what signs in there is forgotten. Deliveries that came stay.
          </Typography>
        </Confirm>
      )}
    </Box>
  );
}
