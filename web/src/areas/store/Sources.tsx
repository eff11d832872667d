/** Whose values hold where several feeds offer one product: an order, a rule, and fields of their own. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useSchema } from "../../api/hooks";
import { putSources, useSources, type Sources as Document } from "../../api/offers";
import { useStoreEdit } from "../../api/storeEdits";
import { Failure, Nothing, Waiting } from "../../components/states";
import { useUndo } from "../../shell/undo";
import { FeedOrder } from "./FeedOrder";

const CHOICES: Record<Document["choose"], string> = {
  order: "the first of them",
  cheapest: "the cheapest of them",
  newest: "the newest of them",
};

/** What the store says; every change holds at once, from the next run of a feed on. */
export function Sources({ store }: { store: number }) {
  const sources = useSources(store);
  const schema = useSchema(store);
  const undo = useUndo();
  const edit = useStoreEdit((next: Document) => putSources(store, next));
  if (sources.isPending || schema.isPending) return <Waiting what="the sources" />;
  if (sources.isError) return <Failure error={sources.error} retry={() => void sources.refetch()} />;
  if (schema.isError) return <Failure error={schema.error} retry={() => void schema.refetch()} />;
  const now: Document = {
    order: [],
    choose: "order",
    in_stock: true,
    fields: {},
    ...sources.data.sources,
  };
  const set = (part: Partial<Document>, label: string) =>
    edit.mutate(
      { ...now, ...part },
      { onSuccess: () => undo.did(label, () => edit.mutateAsync(now)), onError: undo.failed },
    );
  const { feeds, cost, stock } = sources.data;
  if (feeds.length < 2 && !now.order.length)
    return (
      <>
        <Typography variant="h1">Sources</Typography>
        <Nothing title="One feed, one word">
          When two feeds offer the same products, say here whose values hold.
        </Nothing>
      </>
    );
  const labels = schema.data.product_schema.fields
    .filter((f) => f.name !== schema.data.product_schema.key)
    .map((f): [string, string] => [f.name, f.title || f.name]);
  return (
    <>
      <Typography variant="h1">Sources</Typography>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        Where several feeds offer one product, found by its key or by what they are matched by. It holds from
        the next run of each of them on; what is kept by hand stays.
      </Typography>
      <Box component="section" aria-label="Feeds that compete" sx={{ maxWidth: 560, mb: 4 }}>
        <Typography variant="h2">Feeds that offer the same products</Typography>
        <FeedOrder
          label="Feeds that compete"
          order={now.order}
          feeds={feeds}
          onChange={(order, did) => set({ order }, did)}
        />
        {now.order.length === 1 && (
          <Typography color="textSecondary">One alone stands against nobody: add another.</Typography>
        )}
        {now.order.length > 1 && (
          <Box sx={{ display: "grid", gap: 1, mt: 1.5 }}>
            <TextField
              select
              label="A product goes by"
              value={now.choose}
              onChange={(e) => {
                const choose = e.target.value as Document["choose"];
                set({ choose }, `Products go by ${CHOICES[choose]}`);
              }}
              error={now.choose === "cheapest" && !cost}
              helperText={decidedBy(now.choose, cost)}
            >
              {Object.entries(CHOICES).map(([name, said]) => (
                <MenuItem key={name} value={name}>
                  {said}
                </MenuItem>
              ))}
            </TextField>
            <FormControlLabel
              control={
                <Checkbox
                  size="small"
                  checked={now.in_stock}
                  onChange={(_, in_stock) =>
                    set({ in_stock }, in_stock ? "Stock comes first" : "Stock does not matter")
                  }
                />
              }
              label="An offer without stock is passed over while another has some"
            />
            {now.in_stock && !stock && (
              <Typography variant="caption" color="error">
                No field of the store is its stock: until one has that role, under Fields, stock does not
                matter.
              </Typography>
            )}
          </Box>
        )}
      </Box>
      <Fields now={now} feeds={feeds} labels={labels} set={set} />
    </>
  );
}

function decidedBy(choose: Document["choose"], cost: string | null): string {
  if (choose !== "cheapest") return "Where that does not decide, the order does.";
  if (cost) return `By ${cost}, as each crosswalk fills it: with freight or duty, if its formula has them.`;
  return "No field of the store is its cost: until one has that role, under Fields, the order decides.";
}

interface FieldsProps {
  now: Document;
  feeds: Parameters<typeof FeedOrder>[0]["feeds"];
  labels: [string, string][];
  set: (part: Partial<Document>, label: string) => void;
}

/** Fields that go by the first feed that fills them, whoever the product goes by. */
function Fields({ now, feeds, labels, set }: FieldsProps) {
  const called = new Map(labels);
  return (
    <Box component="section" aria-label="Fields with an order of their own" sx={{ maxWidth: 560 }}>
      <Typography variant="h2">Fields with an order of their own</Typography>
      <Typography color="textSecondary" sx={{ mb: 1 }}>
        Such a field has the value of the first of its feeds that fills it: an agency's texts, say, before
        those of any supplier.
      </Typography>
      {Object.entries(now.fields).map(([name, order]) => (
        <Box key={name} sx={{ mb: 2 }}>
          <Typography sx={{ fontWeight: 600 }}>
            {called.get(name) ?? `${name} (no field any more)`}
          </Typography>
          <FeedOrder
            label={`Feeds that fill ${called.get(name) ?? name}`}
            order={order}
            feeds={feeds}
            onChange={(next, did) => {
              const fields = { ...now.fields, [name]: next };
              if (!next.length) delete fields[name];
              set({ fields }, did);
            }}
          />
        </Box>
      ))}
      <TextField
        select
        label="Give a field an order"
        value=""
        sx={{ minWidth: 240 }}
        disabled={!feeds.length}
        onChange={(e) => {
          const first = now.order[0] ?? feeds[0]?.id;
          if (first === undefined) return;
          set(
            { fields: { ...now.fields, [e.target.value]: [first] } },
            `${called.get(e.target.value)} has an order of its own`,
          );
        }}
      >
        {labels
          .filter(([name]) => !(name in now.fields))
          .map(([name, label]) => (
            <MenuItem key={name} value={name}>
              {label}
            </MenuItem>
          ))}
      </TextField>
    </Box>
  );
}
