/** The supplier's tree with product counts, and where each branch goes in the store. */
import Autocomplete, { createFilterOptions } from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { putPlaces, type PlaceEdit, type Words } from "../../api/decisions";
import { putFallback, putSeparator, useCategories, useFeedEdit } from "../../api/hooks";
import { Mark } from "../../components/Mark";
import { Answered } from "../../components/Answered";
import { AcceptList, answersOf, type Proposed } from "../../components/AcceptList";
import { useDecisionFiles } from "../../components/DecisionFiles";
import { PickAll } from "../../components/PickAll";
import { Rows } from "../../components/Rows";
import { SearchField } from "../../components/SearchField";
import { Nothing, Waiting } from "../../components/states";
import { suggestedFirst } from "../../components/suggested";
import { ToLookAt, useLookAt } from "../../components/ToLookAt";
import { count } from "../../components/words";
import { useFeed } from "../../shell/feed";
import { useUndo } from "../../shell/undo";
import { LookingNow } from "./LookingNow";
import { StoreTree, type Placing } from "./StoreTree";

type View = Schemas["CategoryView"];
type Place = Schemas["PlaceRow"];

/** The supplier's tree beside the store's; a placement covers what is below it. */
export function Categories() {
  const { feed, delivery } = useFeed();
  const view = useCategories(feed, delivery);
  const [params, setParams] = useSearchParams();
  if (view.isPending) return <Waiting what="categories" />;
  if (view.isError) return <Nothing title="No category is placed yet">{view.error.message}</Nothing>;
  const views = view.data.views;
  const shown = views.find((v) => v.field === params.get("field")) ?? views[0];
  if (!shown)
    return (
      <Nothing title="No category is placed yet">
        On the bench, fill the category field from the column with the supplier's groups.
      </Nothing>
    );
  return (
    <>
      {views.length > 1 && (
        <Tabs
          value={shown.field}
          onChange={(_, field: string) =>
            setParams(field === views[0]?.field ? {} : { field }, { replace: true })
          }
          aria-label="Fields with categories"
          sx={{
            px: 1.25,
            borderBottom: 1,
            borderColor: "divider",
            minHeight: 34,
            "& button": { minHeight: 34, py: 0 },
          }}
        >
          {views.map((v) => (
            <Tab
              key={v.field}
              value={v.field}
              label={v.unplaced ? `${v.field_label} (${v.unplaced} open)` : v.field_label}
            />
          ))}
        </Tabs>
      )}
      <Ready key={shown.field} feed={feed} view={shown} />
    </>
  );
}

function Ready({ feed, view }: { feed: number; view: View }) {
  const undo = useUndo();
  const [picked, setPicked] = useState<Set<string>>(new Set());
  const [what, show] = useState<"all" | "open" | "unseen">("all");
  const openOnly = what === "open";
  const unseenOnly = what === "unseen";
  const [search, setSearch] = useState("");
  const lookAt = useLookAt(feed);
  const edit = useFeedEdit(feed, (places: PlaceEdit) => putPlaces(feed, view.table, places));
  const own = new Map(view.arriving.map((p) => [p.path, p.by === p.path ? p.place : null]));
  const put = (places: PlaceEdit, label: string) => {
    const touched = [...Object.keys(places.places ?? {}), ...(places.keep_names ?? [])];
    const before = Object.fromEntries(touched.map((p) => [p, own.get(p) ?? null]));
    edit.mutate(places, {
      onSuccess: ({ made }) => {
        // What was picked in the meantime stays picked.
        setPicked((now) => new Set([...now].filter((p) => !touched.includes(p))));
        const grown = made.length ? `; ${count(made.length, "category was", "categories were")} made` : "";
        undo.did(label + grown, async () => {
          const { left } = await edit.mutateAsync({ places: before, unmake: made });
          return left.length ? `${count(left.length, "category stays", "categories stay")}: in use` : "";
        });
      },
      onError: undo.failed,
    });
  };
  const set = (places: Words, label: string, accepted = false) => put({ places, accepted }, label);
  const place: Placing = (places, label) => set(places, label);
  const proposed = view.arriving.flatMap((p) =>
    p.place === null && p.own > 0 && p.proposals[0] ? [{ asked: p.path, proposal: p.proposals[0] }] : [],
  );
  const accept = (chosen: Proposed[]) =>
    set(answersOf(chosen), `Placed ${count(chosen.length, "category", "categories")} as suggested`, true);
  const subject = (p: Place) => `category:${view.table}:${p.path}`;
  const marked = Object.fromEntries(
    view.arriving.flatMap((p) => (p.accepted && p.place !== null ? [[subject(p), p.place]] : [])),
  );
  const wanted = search.toLowerCase();
  const shown = view.arriving.filter(
    (p) =>
      (!openOnly || p.place === null) && (!unseenOnly || p.accepted) && p.path.toLowerCase().includes(wanted),
  );
  return (
    <Box sx={{ flex: 1, minHeight: 0, display: "flex" }}>
      <Box sx={{ flex: 1, minWidth: 0, display: "flex", flexDirection: "column" }}>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, p: 1.25 }}>
          <Typography variant="h2">What arrives</Typography>
          <Typography color="textSecondary" noWrap>
            {view.unplaced
              ? `${count(view.unplaced, "product is", "products are")} not placed`
              : "every product is placed"}
          </Typography>
          {view.looking && <LookingNow looking={view.looking} />}
          <Box sx={{ flex: 1 }} />
          <Placements feed={feed} table={view.table} />
          <AcceptList proposed={proposed} label="Suggested places" onAccept={accept} />
        </Box>
        <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, px: 1.25, pb: 1 }}>
          <PickAll shown={shown.map((p) => p.path)} picked={picked} onPick={setPicked} />
          <SearchField
            label="Find an arriving category"
            placeholder="Find a category"
            value={search}
            width={150}
            onSearch={setSearch}
          />
          <Button color="inherit" onClick={() => show(openOnly ? "all" : "open")} aria-pressed={openOnly}>
            {openOnly ? "Show all" : "Show open ones"}
          </Button>
          <ToLookAt
            feed={feed}
            marked={marked}
            only={unseenOnly}
            onOnly={(only) => show(only ? "unseen" : "all")}
          />
        </Box>
        <Rows items={shown} row={33} label="Arriving categories" role="tree" of={(p) => p.path}>
          {(p) => (
            <PlaceLine
              table={view.table}
              place={p}
              store={view.store}
              picked={picked.has(p.path)}
              onPick={(on) => {
                const next = new Set(picked);
                if (on) next.add(p.path);
                else next.delete(p.path);
                setPicked(next);
              }}
              onPlace={place}
              onLookedAt={() => lookAt({ [subject(p)]: p.place ?? "" })}
            />
          )}
        </Rows>
      </Box>
      <StoreTree
        store={view.store}
        picked={[...picked]}
        onPlace={place}
        onKeepNames={(paths, label) => put({ keep_names: paths }, label)}
        fallback={<Rules feed={feed} view={view} />}
      />
    </Box>
  );
}

/** The placements out and in as a file. */
function Placements({ feed, table }: { feed: number; table: string }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const close = () => setAnchor(null);
  const files = useDecisionFiles({ feed, table, kind: "placements", onChosen: close });
  return (
    <>
      <Button color="inherit" aria-haspopup="menu" onClick={(e) => setAnchor(e.currentTarget)}>
        Table
      </Button>
      <Menu open={anchor !== null} anchorEl={anchor} onClose={close}>
        {files.lines}
      </Menu>
      {files.input}
    </>
  );
}

/** How the arriving paths are cut, and where all goes that no placement covers. */
function Rules({ feed, view }: { feed: number; view: View }) {
  return (
    <Box sx={{ display: "flex", gap: 1 }}>
      <Separator feed={feed} view={view} />
      <Fallback feed={feed} view={view} />
    </Box>
  );
}

/** The sign between the levels of the arriving paths: the one that was found, or another. */
function Separator({ feed, view }: { feed: number; view: View }) {
  const undo = useUndo();
  const [typed, setTyped] = useState(view.separator);
  const edit = useFeedEdit(feed, (separator: string) => putSeparator(feed, view.table, separator));
  const save = () => {
    if (typed === view.separator) return;
    edit.mutate(typed, {
      onSuccess: () => undo.did("Paths are cut at another sign", () => edit.mutateAsync(view.separator)),
      onError: (error) => {
        setTyped(view.separator);
        undo.failed(error);
      },
    });
  };
  return (
    <TextField
      label="Between levels"
      value={typed}
      placeholder="nothing"
      onChange={(e) => setTyped(e.target.value)}
      onBlur={save}
      onKeyDown={(e) => e.key === "Enter" && save()}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 8, className: "mono" } }}
      sx={{ width: 110, flex: "none" }}
    />
  );
}

/** Where all goes that no placement covers. */
function Fallback({ feed, view }: { feed: number; view: View }) {
  const undo = useUndo();
  const edit = useFeedEdit(feed, (fallback: string) => putFallback(feed, view.table, fallback));
  return (
    <TextField
      select
      label="What no branch covers"
      value={view.fallback}
      fullWidth
      slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
      onChange={(e) =>
        edit.mutate(e.target.value, {
          onSuccess: () => undo.did("Where the rest goes was changed", () => edit.mutateAsync(view.fallback)),
          onError: undo.failed,
        })
      }
    >
      <MenuItem value="">ask me</MenuItem>
      {view.store.map((path) => (
        <MenuItem key={path} value={path}>
          goes to {path}
        </MenuItem>
      ))}
    </TextField>
  );
}

interface PlaceLineProps {
  table: string;
  place: Place;
  store: string[];
  picked: boolean;
  onPick: (on: boolean) => void;
  onPlace: Placing;
  onLookedAt: () => void;
}

function PlaceLine({ table, place, store, picked, onPick, onPlace, onLookedAt }: PlaceLineProps) {
  const first = place.place === null && place.own > 0 ? place.proposals[0] : undefined;
  const inherited = place.place !== null && place.by !== place.path;
  return (
    <Box
      role="treeitem"
      aria-level={place.depth + 1}
      aria-selected={picked}
      sx={{
        display: "flex",
        alignItems: "center",
        height: 33,
        gap: 1,
        px: 1,
        borderBottom: 1,
        borderColor: "paper2.line",
        bgcolor: picked ? "paper2.hand" : undefined,
      }}
    >
      <Checkbox
        size="small"
        checked={picked}
        onChange={(e) => onPick(e.target.checked)}
        slotProps={{ input: { "aria-label": `Pick ${place.path}` } }}
        sx={{ p: 0.25 }}
      />
      <Typography
        noWrap
        sx={{ width: 250, flex: "none", pl: place.depth * 2, fontWeight: place.own ? 400 : 550 }}
        title={place.path}
      >
        {place.label}
      </Typography>
      <Typography color="textSecondary" sx={{ width: 52, textAlign: "right", flex: "none" }}>
        {place.count.toLocaleString("en")}
      </Typography>
      <Box sx={{ width: 20, flex: "none", textAlign: "center" }}>
        {place.place === null ? (
          place.own > 0 && <Mark state="question" />
        ) : place.by ? (
          <Answered kind="category_table" table={table} arriving={place.by} nothing="not sold">
            <PlacedMark place={place} />
          </Answered>
        ) : (
          <PlacedMark place={place} />
        )}
      </Box>
      <StorePlace
        key={`${place.place}`}
        place={place}
        store={store}
        onPlace={(to) =>
          onPlace(
            { [place.path]: to },
            to ? `'${place.label}' goes to ${to}` : `'${place.label}' is not sold`,
          )
        }
      />
      <Typography variant="caption" color="textSecondary" noWrap sx={{ width: 130, flex: "none" }}>
        {place.place !== null && !place.by && "the rest"}
        {inherited && place.by && `from '${place.by?.split(/[/>|]/).at(-1)}'`}
        {first && (
          <Button
            onClick={() => onPlace({ [place.path]: first.place }, `'${place.label}' goes to ${first.place}`)}
            title={first.reason}
          >
            Accept
          </Button>
        )}
        {place.accepted && <Button onClick={onLookedAt}>Looked at</Button>}
        {place.place !== null && !inherited && (
          <Button
            color="inherit"
            onClick={() => onPlace({ [place.path]: null }, `'${place.label}' is open again`)}
          >
            Take back
          </Button>
        )}
      </Typography>
    </Box>
  );
}

function PlacedMark({ place }: { place: Place }) {
  if (place.accepted) return <Mark state="accepted" />;
  return <Mark state={place.place ? "computed" : "left"} says={place.place ? "placed" : "not sold"} />;
}

const NOT_SOLD = "Do not sell this branch";
/** A longer tree is narrowed by typing. */
const filter = createFilterOptions<string>({ limit: 200 });

interface StorePlaceProps {
  place: Place;
  store: string[];
  onPlace: (to: string) => void;
}

function StorePlace({ place, store, onPlace }: StorePlaceProps) {
  const proposals = place.place === null && place.own > 0 ? place.proposals : [];
  const first = proposals[0]?.place;
  return (
    <Autocomplete
      {...suggestedFirst(proposals, [...store, NOT_SOLD])}
      value={place.place === "" ? NOT_SOLD : place.place}
      freeSolo
      clearOnBlur
      selectOnFocus
      handleHomeEndKeys
      filterOptions={(options, state) => {
        const found = filter(options, state);
        const typed = state.inputValue.trim();
        return typed && !options.includes(typed) ? [...found, `New: ${typed}`] : found;
      }}
      onChange={(_, value) => {
        if (!value) return;
        onPlace(value === NOT_SOLD ? "" : value.replace(/^New: /, ""));
      }}
      renderInput={(params) => (
        <TextField
          {...params}
          placeholder={first ? `${first} ?` : place.own ? "store category" : ""}
          slotProps={{
            ...params.slotProps,
            htmlInput: { ...params.slotProps.htmlInput, "aria-label": `Store category for ${place.path}` },
          }}
        />
      )}
      sx={{
        flex: 1,
        minWidth: 200,
        "& .MuiOutlinedInput-root": { background: "none", py: "1px !important" },
        "& fieldset": { borderColor: "transparent" },
      }}
    />
  );
}
