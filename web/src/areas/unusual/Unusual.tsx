/** A delivery beside the ones before it: what is unusual in it, and what to do about each. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { useDelivery, type Reading } from "../../api/hooks";
import { useReread, useTakeName, useUnusual, type DeliveryBeside, type Unusual } from "../../api/unusual";
import { Mark, type ValueState } from "../../components/Mark";
import { Failure, Nothing, Waiting } from "../../components/states";
import { ago, count } from "../../components/words";
import { Breaches } from "../contract/ContractPart";
import { useFeed } from "../../shell/feed";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";

/** What is unusual in the delivery at hand. */
export function UnusualPlace() {
  const { delivery, line } = useFeed();
  const own = line.deliveries.find((d) => d.id === delivery);
  const reading = own?.status === "reading";
  const found = useUnusual(reading ? undefined : delivery);
  if (delivery === undefined)
    return (
      <Nothing title="No delivery that can be read">
        What is unusual in a delivery is told once there is one.
      </Nothing>
    );
  if (reading) return <Waiting what={`${own.file_name}, which is being read`} />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  if (!found.data) return <Waiting what="what is unusual" />;
  return <Told told={found.data} />;
}

const GROUPS: { severity: Unusual["severity"]; title: string; state: ValueState; says: string }[] = [
  {
    severity: "hold",
    title: "Holds it",
    state: "refused",
    says: "A run of this delivery waits for a person, unless its guards are off.",
  },
  { severity: "warn", title: "Worth a look", state: "question", says: "Nothing waits for these." },
  { severity: "note", title: "Good to know", state: "arrived", says: "Nobody needs to do anything." },
];

function Told({ told }: { told: DeliveryBeside }) {
  if (!told.before && !told.breaches.length)
    return (
      <Nothing title="Nothing to hold it beside yet">
        This is the first delivery of its feed that is read this way. From the next one on you see here what
        is unlike before: columns, units, currencies, prices, stocks, codes and words.
      </Nothing>
    );
  return (
    <Box sx={{ overflow: "auto", p: 2 }}>
      <Box sx={{ maxWidth: 980 }}>
        {told.breaches.length > 0 && <Broken told={told} />}
        <Typography variant="h2">
          {told.things.length ? `Unusual in ${told.file_name}` : `Nothing unusual in ${told.file_name}`}
        </Typography>
        <Typography color="textSecondary" sx={{ mb: 2 }}>
          {told.rows.toLocaleString("en")} rows
          {told.before
            ? `, beside ${told.before.file_name} (${ago(told.before.received_at)}) and what ` +
              `${count(told.known, "delivery was", "deliveries were")} like so far.`
            : "; there is nothing to hold it beside yet."}
        </Typography>
        {GROUPS.map((group) => (
          <Group key={group.severity} told={told} group={group} />
        ))}
        <Names told={told} />
      </Box>
    </Box>
  );
}

/** In what it is not as its feed's contract has it. */
function Broken({ told }: { told: DeliveryBeside }) {
  const store = useStoreId();
  const { feed } = useFeed();
  return (
    <Box component="section" aria-label="Its contract" sx={{ mb: 2.5 }}>
      <Typography variant="h2">
        {told.file_name} breaks its contract in {count(told.breaches.length, "point", "points")}
      </Typography>
      <Breaches of={told.breaches} />
      <Button component={Link} color="inherit" to={`/s/${store}/feeds/${feed}/profile`}>
        Open the contract
      </Button>
    </Box>
  );
}

function Group({ told, group }: { told: DeliveryBeside; group: (typeof GROUPS)[number] }) {
  const things = told.things.filter((one) => one.severity === group.severity);
  if (!things.length) return null;
  return (
    <Box component="section" aria-label={group.title} sx={{ mb: 2.5 }}>
      <Box sx={{ display: "flex", alignItems: "baseline", gap: 1, borderBottom: 1, borderColor: "divider" }}>
        <Typography variant="h3">
          {group.title}{" "}
          <Typography component="span" variant="body2" color="textSecondary">
            {things.length}
          </Typography>
        </Typography>
        <Typography variant="caption" color="textSecondary">
          {group.says}
        </Typography>
      </Box>
      {things.map((one) => (
        <Thing key={`${one.kind} ${one.column} ${one.to}`} told={told} one={one} state={group.state} />
      ))}
    </Box>
  );
}

function Thing({ told, one, state }: { told: DeliveryBeside; one: Unusual; state: ValueState }) {
  const touched = [
    one.rows > 0 && count(one.rows, "row", "rows"),
    one.fields.length > 0 && `fills ${one.fields.join(", ")}`,
    one.since && `since ${one.since.file_name}, ${ago(one.since.received_at)}`,
  ].filter(Boolean);
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "18px 170px 1fr auto",
        columnGap: 1,
        py: 0.75,
        alignItems: "baseline",
        borderBottom: 1,
        borderColor: "divider",
      }}
    >
      <Mark state={state} says={one.name} />
      <Typography variant="body2" sx={{ fontWeight: 550 }}>
        {one.name}
      </Typography>
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="body2" sx={{ overflowWrap: "anywhere" }}>
          {one.said}
        </Typography>
        <Typography variant="caption" color="textSecondary">
          {touched.join(" · ")}
        </Typography>
      </Box>
      <Remedy told={told} one={one} />
    </Box>
  );
}

/** Where a thing is put right. */
const PLACES: Partial<Record<Unusual["kind"], [path: string, label: string]>> = {
  new_words: ["values", "Place the words"],
  new_categories: ["categories", "Place the categories"],
  prices_moved: ["prices", "Look at the prices"],
  decimal_style_changed: ["reading", "Change the reading"],
  truncated: ["reading", "Look at the file"],
  encoding_damaged: ["reading", "Change the reading"],
  wrong_file: ["reading", "Look at the file"],
  html_instead: ["reading", "Look at the file"],
  column_new: ["bench", "Use it"],
};

function Remedy({ told, one }: { told: DeliveryBeside; one: Unusual }) {
  const store = useStoreId();
  const { feed } = useFeed();
  if (one.kind === "column_renamed") return <TakeName told={told} one={one} />;
  const [path, label] = PLACES[one.kind] ?? (one.column ? ["bench", "See it"] : ["reading", "See the rows"]);
  const column =
    path === "bench" ? `&column=${encodeURIComponent(one.kind === "column_gone" ? "" : one.column)}` : "";
  return (
    <Button
      component={Link}
      to={`/s/${store}/feeds/${feed}/${path}?delivery=${told.id}${column}`}
      sx={{ justifySelf: "end" }}
    >
      {label}
    </Button>
  );
}

function TakeName({ told, one }: { told: DeliveryBeside; one: Unusual }) {
  const { feed } = useFeed();
  const undo = useUndo();
  const reading = useDelivery(told.id).data?.reading;
  const back = useReread(feed, told.id);
  const name = useTakeName(feed, told.id);
  // It is taken once it can be given back, with the reading that there is now. That is told by the
  // promise: this button is gone by then.
  const takeIt = (before: Reading) =>
    name
      .mutateAsync({ column: one.column, to: one.to })
      .then(
        () => undo.did(`'${one.to}' is called '${one.column}'`, () => back.mutateAsync(before)),
        undo.failed,
      );
  return (
    <Button
      variant="contained"
      onClick={() => reading && void takeIt(reading)}
      disabled={!reading || name.isPending}
    >
      Take the new name
    </Button>
  );
}

/** Columns that arrive under a new name, and are called as before. */
function Names({ told }: { told: DeliveryBeside }) {
  const names = Object.entries(told.renames);
  if (!names.length) return null;
  return (
    <Typography variant="body2" color="textSecondary">
      {names.map(([arrives, called]) => `'${arrives}' is called '${called}'`).join(", ")}, as the reading of
      this feed says.
    </Typography>
  );
}
