/** What of a feed's runs is held for a person, and what that would have held so far. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { putGuards, tryGuards, useGuards, type Guard, type GuardSort, type Tried } from "../../api/guards";
import { feedKey } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago, count } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";

/** The guards of the feed at hand. */
export function Guards() {
  const { feed } = useFeed();
  const guards = useGuards(feed);
  if (guards.isError) return <Failure error={guards.error} retry={() => void guards.refetch()} />;
  if (!guards.data) return <Waiting what="the guards" />;
  const { guards: set, sorts, blind } = guards.data;
  // Drawn anew when they are set by somebody else: what was written stands beside nothing then.
  return <Ready key={JSON.stringify(set)} feed={feed} set={set} sorts={sorts} blind={blind} />;
}

const LIMIT = /^\d{1,6}([.,]\d{1,2})?$/;
/** A guard whose limit is as it was typed. */
type Written = Guard & { limit: string };

const asTyped = (one: Guard): Written => ({ ...one, limit: String(one.limit) });

interface ReadyProps {
  feed: number;
  set: Guard[];
  sorts: GuardSort[];
  blind: Record<string, string>;
}

function Ready({ feed, set, sorts, blind }: ReadyProps) {
  const [written, setWritten] = useState(set.map(asTyped));
  const queries = useQueryClient();
  const undo = useUndo();
  const save = useMutation({
    mutationFn: (guards: Guard[]) => putGuards(feed, guards),
    onSuccess: (made) => {
      queries.setQueryData([...feedKey(feed), "guards"], made);
      undo.did("Guards set", () => save.mutateAsync(set));
    },
    onError: undo.failed,
  });
  const sent = written.map((one) => ({ ...one, limit: one.limit.replace(",", ".") }));
  const tried = useMutation({ mutationFn: () => tryGuards(feed, sent) });
  const change = (kind: Guard["kind"], more: Partial<Written>) => {
    setWritten(written.map((one) => (one.kind === kind ? { ...one, ...more } : one)));
    tried.reset();
  };
  const differs = JSON.stringify(sent) !== JSON.stringify(set);
  const sound = written.every((one) => LIMIT.test(one.limit));
  const group = (holds: GuardSort["holds"]) =>
    sorts
      .filter((sort) => sort.holds === holds)
      .map((sort) => (
        <GuardLine
          key={sort.kind}
          sort={sort}
          guard={written.find((one) => one.kind === sort.kind)}
          tried={tried.data}
          blind={blind[sort.kind]}
          onChange={(more) => change(sort.kind, more)}
        />
      ));
  return (
    <Box sx={{ flex: 1, minHeight: 0, overflowY: "auto", px: 2, py: 1.5 }}>
      <Box sx={{ maxWidth: 1080 }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1, mb: 1 }}>
          <Typography color="textSecondary" sx={{ flex: 1 }}>
            What a guard holds is written only once somebody lets it through, with a reason.
          </Typography>
          <Button color="inherit" disabled={!sound || tried.isPending} onClick={() => tried.mutate()}>
            Try on the last deliveries
          </Button>
          {differs && (
            <Button color="inherit" onClick={() => setWritten(set.map(asTyped))}>
              Put back
            </Button>
          )}
          <Button
            variant="contained"
            disabled={!differs || !sound || save.isPending}
            onClick={() => save.mutate(sent)}
          >
            Save
          </Button>
        </Box>
        <Typography variant="h3" component="h2">
          Hold the whole run, where …
        </Typography>
        <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0, mb: 2 }}>
          {group("run")}
        </Box>
        <Typography variant="h3" component="h2">
          Hold the products …
        </Typography>
        <Box component="ul" sx={{ listStyle: "none", p: 0, m: 0 }}>
          {group("lines")}
        </Box>
        {tried.isError && <Failure error={tried.error} />}
        {tried.data && <TriedRuns tried={tried.data} />}
      </Box>
    </Box>
  );
}

interface GuardLineProps {
  sort: GuardSort;
  guard: Written | undefined;
  tried: Tried | undefined;
  /** Why it can see nothing in this store. */
  blind: string | undefined;
  onChange: (more: Partial<Written>) => void;
}

function GuardLine({ sort, guard, tried, blind, onChange }: GuardLineProps) {
  if (!guard) return null;
  const [before, after] = sort.says.split("{limit}");
  const hits = tried?.runs.filter((run) => run.findings.some((one) => one.kind === sort.kind)).length;
  return (
    <Box
      component="li"
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 1.5,
        minHeight: 40,
        borderBottom: 1,
        borderColor: "paper2.line",
      }}
    >
      <Switch
        size="small"
        checked={guard.on ?? true}
        onChange={(_, on) => onChange({ on })}
        slotProps={{ input: { "aria-label": sort.name } }}
      />
      <Typography sx={{ width: 168, flex: "none", fontWeight: 550 }}>{sort.name}</Typography>
      <Typography component="div" color={guard.on ? undefined : "textSecondary"} sx={{ flex: 1 }}>
        {before}
        {after !== undefined && (
          <TextField
            value={guard.limit}
            onChange={(event) => onChange({ limit: event.target.value.trim() })}
            slotProps={{ htmlInput: { "aria-label": `Limit of ${sort.name}`, inputMode: "decimal" } }}
            error={!LIMIT.test(guard.limit)}
            sx={{ width: 64, mx: 0.5, verticalAlign: "middle" }}
          />
        )}
        {after}
        {blind && (
          <Typography variant="caption" color="textSecondary" component="div">
            <Mark state="question" says="sees nothing" /> {blind}
          </Typography>
        )}
      </Typography>
      <Typography variant="caption" color="textSecondary" sx={{ width: 150, textAlign: "right" }}>
        {tried && guard.on && (hits ? `would have held ${hits} of ${tried.runs.length}` : "held none")}
      </Typography>
    </Box>
  );
}

function TriedRuns({ tried }: { tried: Tried }) {
  const store = useStoreId();
  if (!tried.runs.length)
    return <Nothing title="Nothing to try them on">No run of this feed has been prepared yet.</Nothing>;
  const held = tried.runs.filter((run) => run.findings.length).length;
  return (
    <Box component="section" aria-label="Tried" sx={{ mt: 2 }}>
      <Typography variant="h3" component="h2" gutterBottom>
        Of the last {count(tried.runs.length, "delivery", "deliveries")} these would have held {held}
      </Typography>
      {tried.runs.map((run) => (
        <Box key={run.run_id} sx={{ display: "flex", gap: 1.5, py: 0.5 }}>
          <Box sx={{ width: 260, flex: "none" }}>
            <Mark
              state={run.findings.length ? "question" : "computed"}
              says={run.findings.length ? "held" : "not held"}
            />{" "}
            <Link to={`/s/${store}/runs/${run.run_id}`}>{run.file_name}</Link>{" "}
            <Typography component="span" variant="caption" color="textSecondary">
              {ago(run.at)}
            </Typography>
          </Box>
          <Box sx={{ flex: 1 }}>
            {run.findings.map((one) => (
              <Typography key={`${one.kind} ${one.field}`}>{one.said}</Typography>
            ))}
          </Box>
        </Box>
      ))}
      <Typography variant="caption" color="textSecondary">
        New words are not told of them: what the store had then is not known any more.
      </Typography>
    </Box>
  );
}
