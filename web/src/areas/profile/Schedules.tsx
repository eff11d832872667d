/** When a feed is fetched by itself. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useDebounce } from "use-debounce";
import {
  useAddSchedule,
  useDropSchedule,
  useScopes,
  useSetSchedule,
  useTimes,
  type FeedSchedules,
  type ScheduleEdit,
  type ScheduleLine,
} from "../../api/sources";
import { Mark } from "../../components/Mark";
import { Failure } from "../../components/states";
import { useUndo } from "../../shell/undo";

interface SchedulesProps {
  feed: number;
  known: FeedSchedules;
  /** Whether there is anything to fetch from. */
  fetched: boolean;
}

export function Schedules({ feed, known, fetched }: SchedulesProps) {
  const [editing, setEditing] = useState<"new" | number | null>(null);
  const add = useAddSchedule(feed);
  if (!fetched && !known.schedules.length)
    return (
      <Typography color="textSecondary">
        Say where its deliveries come from first; then they can be fetched by themselves.
      </Typography>
    );
  return (
    <Box>
      {!known.schedules.length && editing === null && (
        <Typography component="span">It is fetched when somebody asks for it. </Typography>
      )}
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {known.schedules.map((one) =>
          editing === one.id ? (
            <Changing key={one.id} feed={feed} one={one} onClose={() => setEditing(null)} />
          ) : (
            <Line key={one.id} feed={feed} one={one} onChange={() => setEditing(one.id)} />
          ),
        )}
      </Box>
      {editing === "new" ? (
        <When
          start={{ expression: "0 6 * * 1-5", zone: HERE, paused: false, scope: "" }}
          feed={feed}
          action="Fetch it then"
          busy={add.isPending}
          error={add.error}
          onKeep={(body) =>
            add.mutateAsync(body).then(
              () => setEditing(null),
              () => undefined,
            )
          }
          onClose={() => setEditing(null)}
        />
      ) : (
        <Button variant="outlined" sx={{ mt: 1 }} onClick={() => setEditing("new")}>
          {known.schedules.length ? "Add another time" : "Fetch it by itself"}
        </Button>
      )}
    </Box>
  );
}

const HERE = Intl.DateTimeFormat().resolvedOptions().timeZone;

const edited = (one: ScheduleLine, more: Partial<ScheduleEdit> = {}): ScheduleEdit => ({
  expression: one.expression,
  zone: one.zone,
  scope: one.scope,
  paused: one.paused,
  ...more,
});

function Line({ feed, one, onChange }: { feed: number; one: ScheduleLine; onChange: () => void }) {
  const set = useSetSchedule(feed);
  const drop = useDropSchedule(feed);
  const add = useAddSchedule(feed);
  const undo = useUndo();
  const first = one.next[0];
  return (
    <Box
      component="li"
      sx={{
        display: "grid",
        gridTemplateColumns: "20px minmax(0, 1fr) auto",
        columnGap: 1,
        py: 0.5,
        alignItems: "baseline",
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Mark state={one.paused ? "question" : "computed"} says={one.paused ? "paused" : "at work"} />
      <Box sx={{ minWidth: 0 }}>
        <Typography>
          {one.scope && <b>{one.scope}: </b>}
          {one.said}, {one.zone}{" "}
          <Typography component="span" className="mono" variant="caption" color="textSecondary">
            {one.expression}
          </Typography>
        </Typography>
        <Typography variant="caption" color="textSecondary">
          {one.paused ? "paused" : first ? `next: ${moment(first, one.zone)}` : ""}
          {one.last_at ? `, last: ${moment(one.last_at, one.zone)}` : ""}
        </Typography>
      </Box>
      <Box sx={{ whiteSpace: "nowrap" }}>
        <Button
          color="inherit"
          disabled={set.isPending}
          onClick={() => set.mutate({ id: one.id, body: edited(one, { paused: !one.paused }) })}
        >
          {one.paused ? "Go on" : "Pause"}
        </Button>
        <Button color="inherit" onClick={onChange}>
          Change
        </Button>
        <Button
          color="inherit"
          disabled={drop.isPending}
          onClick={() =>
            void drop
              .mutateAsync(one.id)
              .then(() => undo.did(`No longer: ${one.said}`, () => add.mutateAsync(edited(one))), undo.failed)
          }
        >
          Remove
        </Button>
      </Box>
      {set.isError && <Failure error={set.error} />}
    </Box>
  );
}

function Changing({ feed, one, onClose }: { feed: number; one: ScheduleLine; onClose: () => void }) {
  const set = useSetSchedule(feed);
  return (
    <li>
      <When
        start={edited(one)}
        feed={feed}
        action="Keep it"
        busy={set.isPending}
        error={set.error}
        onKeep={(body) => set.mutateAsync({ id: one.id, body }).then(onClose, () => undefined)}
        onClose={onClose}
      />
    </li>
  );
}

/** Times that are often wanted. */
const USUAL: [expression: string, label: string][] = [
  ["*/15 * * * *", "every quarter of an hour"],
  ["0 * * * *", "every hour"],
  ["0 6 * * 1-5", "on weekdays at six"],
  ["0 2 * * *", "every night at two"],
  ["0 7 * * 1", "on Mondays at seven"],
  ["0 3 1 * *", "on the first of the month at three"],
];

interface WhenProps {
  feed: number;
  start: ScheduleEdit;
  action: string;
  busy: boolean;
  error: unknown;
  onKeep: (body: ScheduleEdit) => void;
  onClose: () => void;
}

/** A time that comes again: one of the usual ones, or any cron expression. */
function When({ feed, start, action, busy, error, onKeep, onClose }: WhenProps) {
  const [value, setValue] = useState(start);
  const [asked] = useDebounce(value, 250);
  const times = useTimes(asked);
  const scopes = useScopes(feed).data?.scopes ?? [];
  const usual = USUAL.some(([expression]) => expression === value.expression) ? value.expression : "";
  return (
    <Box
      component="form"
      aria-label="When it is fetched"
      onSubmit={(e) => {
        e.preventDefault();
        onKeep(value);
      }}
      sx={{ display: "grid", gridTemplateColumns: "400px minmax(0, 1fr)", gap: 3, my: 1 }}
    >
      <Box sx={{ display: "grid", gap: 1.5, alignContent: "start" }}>
        <TextField
          select
          label="It is fetched"
          value={usual}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
          onChange={(e) => setValue({ ...value, expression: e.target.value })}
        >
          <MenuItem value="" disabled>
            as said below
          </MenuItem>
          {USUAL.map(([expression, label]) => (
            <MenuItem key={expression} value={expression}>
              {label}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Cron expression"
          value={value.expression}
          className="mono"
          helperText="Minute, hour, day of the month, month, day of the week."
          onChange={(e) => setValue({ ...value, expression: e.target.value })}
        />
        <TextField
          label="Time zone"
          value={value.zone}
          onChange={(e) => setValue({ ...value, zone: e.target.value })}
        />
        {scopes.length > 0 && (
          <TextField
            select
            label="What is taken"
            value={value.scope ?? ""}
            slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
            onChange={(e) => setValue({ ...value, scope: e.target.value })}
          >
            <MenuItem value="">everything it fills</MenuItem>
            {scopes.map(({ name }) => (
              <MenuItem key={name} value={name}>
                {name}
              </MenuItem>
            ))}
          </TextField>
        )}
        <Box sx={{ display: "flex", gap: 1 }}>
          <Button variant="contained" type="submit" disabled={busy || times.isError}>
            {action}
          </Button>
          <Button color="inherit" onClick={onClose}>
            Leave it
          </Button>
        </Box>
        {error !== null && <Failure error={error} />}
      </Box>
      <Box aria-live="polite" sx={{ minWidth: 0 }}>
        {times.isError ? (
          <Failure error={times.error} />
        ) : (
          times.data && (
            <>
              <Typography sx={{ fontWeight: 550 }}>{times.data.said}</Typography>
              <Box component="ol" sx={{ m: 0, pl: 2.5 }}>
                {times.data.next.map((one) => (
                  <Typography component="li" key={one} color="textSecondary">
                    {moment(one, asked.zone ?? "UTC")}
                  </Typography>
                ))}
              </Box>
            </>
          )
        )}
      </Box>
    </Box>
  );
}

/** A moment as the clocks of a time zone show it. */
function moment(at: string, zone: string): string {
  return new Intl.DateTimeFormat("en-GB", {
    timeZone: zone,
    weekday: "short",
    day: "numeric",
    month: "short",
    year: "numeric",
    hour: "2-digit",
    minute: "2-digit",
  }).format(new Date(at));
}
