/** The ladder from cost to price, over the real products of this delivery. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take, type Schemas } from "../../api/client";
import { useFeedEdit, usePrices, useSchema, type Ladder } from "../../api/hooks";
import { useAskContrast } from "../../api/contrasts";
import { Failure, Nothing, Waiting } from "../../components/states";
import { count, signed } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { useStoreId } from "../../shell/Shell";
import { useUndo } from "../../shell/undo";
import { InShort } from "../contrast/InShort";
import { LadderLimits } from "./LadderLimits";
import { LadderRules } from "./LadderRules";
import { LadderTable } from "./LadderTable";
import { NewLadder } from "./NewLadder";
import { useTrial, type Trial } from "./useTrial";
import { Curve, Histogram } from "./charts";

type View = Schemas["PriceView"];

/** The ladder of a feed; one on trial is shown over the products before it is saved. */
export function Prices() {
  const { feed, delivery } = useFeed();
  const [params, setParams] = useSearchParams();
  const level = params.get("level") ?? "";
  const [tried, setTried, newest] = useTrial(feed, level);
  const prices = usePrices(feed, delivery, tried?.ladder ?? null, level);
  if (prices.isPending) return <Waiting what="prices" />;
  if (prices.isError)
    return tried ? (
      <Failure error={prices.error} retry={() => setTried(null)} />
    ) : (
      <NoLadder message={prices.error.message} />
    );
  return (
    <Ready
      key={prices.data.field}
      view={prices.data}
      tried={tried}
      onTry={setTried}
      newest={newest}
      onLevel={(to) => setParams({ level: to }, { replace: true })}
    />
  );
}

/** Where there is none, one is made here. */
function NoLadder({ message }: { message: string }) {
  const [making, setMaking] = useState(false);
  return (
    <Nothing title="No ladder yet">
      {message}
      <Box sx={{ mt: 1.5 }}>
        <Button variant="contained" onClick={() => setMaking(true)}>
          Make a ladder
        </Button>
      </Box>
      {making && <NewLadder names={[]} onClose={() => setMaking(false)} onMade={() => setMaking(false)} />}
    </Nothing>
  );
}

/** The draft with a ladder on trial, beside the draft as it is. */
const beside = (ladder: Ladder) => ({ before: { version: 0 }, after: { version: 0, ladder } });

interface ReadyProps {
  view: View;
  tried: Trial | null;
  onTry: (trial: Trial | null) => void;
  newest: () => Trial | null;
  /** Another of the prices that ladders make is looked at. */
  onLevel: (field: string) => void;
}

function Ready({ view, tried, onTry, newest, onLevel }: ReadyProps) {
  const { feed, delivery } = useFeed();
  const store = useStoreId();
  const schema = useSchema(store);
  const price = schema.data?.product_schema.fields.find((f) => f.role === "price")?.name;
  const undo = useUndo();
  const trial = tried?.ladder ?? null;
  const saved = tried?.saved ?? view.ladder;
  const change = (ladder: Ladder) => onTry({ ladder, saved });
  const edit = useFeedEdit(feed, (ladder: Ladder) =>
    take(
      api.PUT("/api/v1/stores/{store_id}/ladders", {
        params: { path: { store_id: store } },
        body: ladder,
      }),
    ),
  );
  const ask = useAskContrast(feed, delivery);
  const save = () => {
    const wanted = newest()?.ladder;
    if (!wanted) return;
    edit.mutate(wanted, {
      onSuccess: () => {
        // What was edited in the meantime goes on, on top of what is saved now.
        const later = newest();
        onTry(later && later.ladder !== wanted ? { ladder: later.ladder, saved: wanted } : null);
        undo.did(`Saved the ladder '${wanted.name}'`, () => edit.mutateAsync(saved));
      },
      onError: undo.failed,
    });
  };
  return (
    <Box
      sx={{
        overflowY: "auto",
        p: 2,
        display: "grid",
        gridTemplateColumns: "600px 1fr",
        gap: 2.5,
        alignItems: "start",
      }}
    >
      <Box>
        <Box sx={{ display: "flex", alignItems: "baseline", gap: 1, mb: 1 }}>
          <Typography variant="h1" component="h2">
            Ladder “{view.ladder.name}”
          </Typography>
          <Typography color="textSecondary">
            {count(view.products, "product", "products")} with a cost
          </Typography>
          <Box sx={{ flex: 1 }} />
          {Object.keys(view.levels).length > 1 && (
            <TextField
              select
              value={view.field}
              onChange={(e) => onLevel(e.target.value)}
              slotProps={{ htmlInput: { "aria-label": "Price level" } }}
            >
              {Object.entries(view.levels).map(([name, label]) => (
                <MenuItem key={name} value={name}>
                  {label}
                </MenuItem>
              ))}
            </TextField>
          )}
        </Box>
        {!view.used && (
          <Typography color="warning" sx={{ mb: 1 }}>
            No field of this feed is priced by a ladder yet.{" "}
            <Link to={`/s/${store}/feeds/${feed}/bench${price ? `?field=${price}` : ""}`}>
              Open the price
            </Link>{" "}
            on the bench: fill it from the cost, and add “Price by a ladder”.
          </Typography>
        )}
        <LadderTable ladder={trial ?? view.ladder} rungs={view.rungs} onChange={change} />
        <LadderLimits ladder={trial ?? view.ladder} fields={view.fields} onChange={change} />
        <LadderRules ladder={trial ?? view.ladder} fields={view.fields} uses={view.rules} onChange={change} />
        <Box sx={{ display: "flex", gap: 1, mt: 1.5, minHeight: 32 }}>
          {trial && (
            <>
              <Button variant="contained" onClick={save} disabled={edit.isPending}>
                Save the ladder
              </Button>
              <Button color="inherit" onClick={() => onTry(null)}>
                Back to the saved one
              </Button>
              <Button
                variant="outlined"
                disabled={ask.isPending}
                title="Beside the saved one, over all rows of this delivery, with what the store has"
                onClick={() => {
                  const ladder = newest()?.ladder ?? trial;
                  ask.mutate(beside(ladder), {
                    onSuccess: (made) => onTry({ ladder, saved, asked: made.id }),
                    onError: undo.failed,
                  });
                }}
              >
                What would it do?
              </Button>
              <Typography color="textSecondary" sx={{ alignSelf: "center" }}>
                Nothing is saved.
              </Typography>
            </>
          )}
        </Box>
        {tried?.asked !== undefined && <InShort id={tried.asked} />}
        <Typography variant="caption" color="textSecondary" component="p">
          A markup is a share of the cost, a margin a share of the price: 100 % markup is 50 % margin.
        </Typography>
        <Typography variant="h2" sx={{ mt: 2, mb: 1 }}>
          Lowest margins
        </Typography>
        <Products products={view.worst} />
      </Box>
      <Box sx={{ minWidth: 0 }}>
        <Typography variant="h2">Price by cost</Typography>
        {view.ladder.by_field ? (
          <Typography color="textSecondary" sx={{ mb: 2 }}>
            The rungs go by {view.ladder.by_field}, so that one cost has many prices: see the margins below.
          </Typography>
        ) : (
          <Curve points={view.curve} currency={view.ladder.currency ?? "EUR"} />
        )}
        <Typography variant="h2">Margins of the products</Typography>
        <Histogram bins={view.margins} label="margin %" width={5} />
        <Typography variant="h2">
          Against today's catalog{" "}
          <Typography component="span" color="textSecondary">
            {view.up} up · {view.down} down · {view.same} same · {view.new} new
          </Typography>
        </Typography>
        {view.moves.length > 0 ? (
          <Histogram bins={view.moves} label="price change %" width={2} />
        ) : (
          <Typography color="textSecondary">No price in the catalog would move.</Typography>
        )}
      </Box>
    </Box>
  );
}

function Products({ products }: { products: Schemas["PricedProduct"][] }) {
  return (
    <Box
      component="table"
      sx={{
        width: "100%",
        borderCollapse: "collapse",
        "& td, & th": {
          height: 26,
          px: 1,
          borderBottom: 1,
          borderColor: "paper2.line",
          textAlign: "right",
          whiteSpace: "nowrap",
          fontWeight: 400,
          fontSize: 12.5,
        },
        "& th": { color: "text.secondary" },
      }}
    >
      <thead>
        <tr>
          <th style={{ textAlign: "left" }}>Product</th>
          <th>Cost</th>
          <th>Price</th>
          <th>Margin</th>
          <th>Markup</th>
          <th>Today</th>
          <th>Move</th>
        </tr>
      </thead>
      <tbody>
        {products.map((p) => (
          <tr key={p.key}>
            <td
              style={{
                textAlign: "left",
                maxWidth: 190,
                overflow: "hidden",
                textOverflow: "ellipsis",
                whiteSpace: "nowrap",
              }}
              title={p.title}
            >
              {p.title || p.key}
            </td>
            <td>{p.cost}</td>
            <td>
              <b>{p.price}</b>
            </td>
            <td>{p.margin} %</td>
            <td>{p.markup} %</td>
            <td>{p.before ?? "new"}</td>
            <td>{signed(p.move)}</td>
          </tr>
        ))}
      </tbody>
    </Box>
  );
}
