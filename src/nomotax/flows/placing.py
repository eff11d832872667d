"""Categories and values: what arrives with product counts, and the store's place or word."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal, TypeVar

import polars as pl
from pydantic import BaseModel, Field
from sqlmodel import Session

from nomotax.core.crosswalk.steps.lookups import UseValueTable
from nomotax.core.errors import NotFound
from nomotax.core.lookups.tables import Otherwise, ValueTable
from nomotax.core.suggest.memory import Memory, remembered_first
from nomotax.core.suggest.weighing import Proposal
from nomotax.core.suggest.words import rank
from nomotax.flows.entering import ArrivingTree, Path, arriving_trees, entering
from nomotax.flows.levels import with_sign
from nomotax.flows.likely import Looking, likely_places
from nomotax.flows.tree import take_out_unused
from nomotax.flows.workbench import Workbench, open_workbench
from nomotax.records.crosswalks import Crosswalks, draft_of
from nomotax.records.database import session
from nomotax.records.decisions import Decisions
from nomotax.records.lookups import LookupsRepository
from nomotax.records.repositories import Feeds, Stores

T = TypeVar("T")


class WordRow(BaseModel):
    """One arriving word. ``word`` is the store's, null while nobody has decided; ``accepted`` says
    that it was taken together with other suggestions, and nobody has looked at it since."""

    arriving: str
    count: int
    word: str | None
    proposals: list[Proposal]
    accepted: bool = False


class ValueTableView(BaseModel):
    """One value table in use by a field of the crosswalk."""

    field: str
    field_label: str
    table: str
    otherwise: Otherwise
    match: Literal["exact", "fold", "loose"]
    fallback_word: str
    allowed: list[str]
    words: list[WordRow]


class PlaceRow(BaseModel):
    """One branch or leaf of the arriving tree. ``count`` includes everything below it;
    ``place`` is the store category that holds, decided here or by a branch above (``by``);
    ``accepted`` is that of a word."""

    path: str
    depth: int
    label: str
    count: int
    own: int
    place: str | None
    by: str | None
    proposals: list[Proposal]
    accepted: bool = False


class CategoryView(BaseModel):
    """One arriving tree beside the store's. ``looking`` says how far the background is with its
    suggestions; null where no more will come."""

    field: str
    field_label: str
    table: str
    separator: str
    fallback: str
    arriving: list[PlaceRow]
    store: list[str]
    unplaced: int
    looking: Looking | None = None


def value_tables(feed_id: int, delivery_id: int | None = None) -> list[ValueTableView]:
    """Every value table that the crosswalk uses, with the words that arrive."""
    return value_views(open_workbench(feed_id, delivery_id))


def value_views(bench: Workbench) -> list[ValueTableView]:
    """The same of a workbench at hand."""
    views = []
    for name, fill in bench.runnable.fills.items():
        step = next((s for s in fill.steps if isinstance(s, UseValueTable)), None)
        counts = entering(bench, name, fill, UseValueTable)
        if step is None or counts is None:
            continue
        views.append(_value_view(bench, name, bench.lookups.value_tables[step.table], counts))
    return views


def _value_view(
    bench: Workbench, name: str, table: ValueTable, counts: pl.DataFrame
) -> ValueTableView:
    field = bench.schema[name]
    if table.match != "exact":
        counts = (
            counts.group_by(table.key(pl.col("value")).alias("key"))
            .agg(pl.col("value").first(), pl.col("count").sum())
            .sort("count", "value", descending=[True, False])
        )
    frame = counts.with_columns(word=table.look_up(pl.col("value")))
    memory = Memory(bench.lookups, table.name)
    refused, accepted = bench.decided("refused"), bench.decided("accepted")
    languages, store = bench.facts.languages, bench.store_languages
    words = [
        WordRow(
            arriving=r["value"],
            count=r["count"],
            word=r["word"],
            proposals=[]
            if r["word"]
            else _proposals(
                memory.words(r["value"], field.allowed),
                rank(r["value"], field.allowed, languages, store),
                refused,
                f"value:{table.name}:{r['value']}",
            ),
            accepted=(f"value:{table.name}:{r['value']}", r["word"]) in accepted,
        )
        for r in frame.head(5000).iter_rows(named=True)
    ]
    return ValueTableView(
        field=name,
        field_label=field.label,
        table=table.name,
        otherwise=table.otherwise,
        match=table.match,
        fallback_word=table.word,
        allowed=list(field.allowed),
        words=words,
    )


def category_views(feed_id: int, delivery_id: int | None = None) -> list[CategoryView]:
    """The arriving trees beside the store's, one for each field that is filled through a category
    table: the main category first."""
    return place_views(open_workbench(feed_id, delivery_id))


def place_views(bench: Workbench) -> list[CategoryView]:
    """The same of a workbench at hand."""
    return [_category_view(bench, tree) for tree in arriving_trees(bench)]


def _category_view(bench: Workbench, tree: ArrivingTree) -> CategoryView:
    likely = likely_places(bench, tree)
    memory = Memory(bench.lookups, tree.table.name)
    refused, accepted = bench.decided("refused"), bench.decided("accepted")
    total = tree.total

    def row(branch: Path) -> PlaceRow:
        path = tree.table.separator.join(branch)
        place, by = tree.table.resolve(path)
        subject = f"category:{tree.table.name}:{path}"
        return PlaceRow(
            path=path,
            depth=len(branch) - 1,
            label=branch[-1],
            count=total[branch],
            own=tree.own.get(branch, 0),
            place=place,
            by=by,
            proposals=_proposals(
                memory.places(branch, bench.categories),
                likely.places.get(branch, []),
                refused,
                subject,
            )
            if place is None
            else [],
            accepted=by == path and (subject, place) in accepted,
        )

    rows = [row(branch) for branch in tree.branches]
    return CategoryView(
        field=tree.field,
        field_label=bench.schema[tree.field].label,
        table=tree.table.name,
        separator=tree.table.separator,
        fallback=tree.table.fallback,
        arriving=rows,
        store=list(bench.categories),
        unplaced=sum(r.own for r in rows if r.place is None),
        looking=likely.looking,
    )


def _proposals(
    remembered: list[Proposal],
    ranked: list[Proposal],
    refused: set[tuple[str, str]],
    subject: str,
) -> list[Proposal]:
    """What was decided before and what is likely, without what a person has refused."""

    def left(proposals: list[Proposal]) -> list[Proposal]:
        return [p for p in proposals if (subject, p.place) not in refused]

    return remembered_first(left(remembered), left(ranked))


def set_words(
    feed_id: int, table: str, words: dict[str, str | None], accepted: bool = False
) -> None:
    """Give arriving words their store word; null takes the decision back. ``accepted`` says that
    these are suggestions taken together."""
    with session() as db:
        lookups = _lookups_of(feed_id, db)
        _mark(lookups, feed_id, f"value:{table}", words, accepted)
        current = _named(lookups.all().value_tables, table)
        changed = set(current.keys_of(list(words)))
        known = current.keys_of(list(current.entries))
        entries = {
            w: v
            for (w, v), key in zip(current.entries.items(), known, strict=True)
            if key not in changed
        }
        entries |= {k.strip(): v for k, v in words.items() if v is not None}
        lookups.save(current.model_copy(update={"entries": entries}))


def set_otherwise(feed_id: int, table: str, otherwise: Otherwise, word: str) -> None:
    """Change the rule for words that are not listed."""
    with session() as db:
        lookups = _lookups_of(feed_id, db)
        current = _named(lookups.all().value_tables, table)
        lookups.save(current.model_copy(update={"otherwise": otherwise, "word": word}))


class PlaceEdit(BaseModel):
    """Store paths by arriving path: null takes a placement back, "" says that the branch is not
    sold. ``keep_names`` are arriving paths that go to store categories of their own names. Store
    categories that are not there yet are made; ``unmake`` are such as were made by an edit that is
    taken back: they go where nothing stands in them.

    ``fallback`` is where all goes that no placement covers ("" asks); ``separator`` the sign
    between the levels of the arriving paths from now on, "" for none; null leaves either as it is.
    Placements stay with the paths that they name. ``accepted`` says that these are suggestions
    taken together, which nobody has looked at one by one.
    """

    table: str
    places: dict[str, str | None] = {}
    keep_names: list[str] = []
    unmake: list[str] = []
    fallback: str | None = None
    separator: str | None = Field(default=None, max_length=8)
    accepted: bool = False


class Placed(BaseModel):
    """Store categories that an edit of placements has ``made``, parents too, and those that it was
    to take away and has ``left``, as something stands in them by now."""

    made: list[str]
    left: list[str]


def set_places(feed_id: int, edit: PlaceEdit) -> Placed:
    """Place arriving paths. Raises ``NotFound`` for a table that is not there."""
    with session() as db:
        if edit.unmake:
            # Before the look-ups, as whoever edits the tree locks them.
            Stores(db).locked(Feeds.holding(db, feed_id).store_id)
        lookups = _lookups_of(feed_id, db)
        store_id, table = lookups.store_id, edit.table
        current = _named(lookups.all().category_tables, table)
        fallback, separator = edit.fallback, edit.separator
        places = {**edit.places, **{path: current.own_name(path) for path in edit.keep_names}}
        _mark(lookups, feed_id, f"category:{table}", places, edit.accepted)
        changed = {current.split(p) for p in places}
        kept = {k: v for k, v in current.placements.items() if current.split(k) not in changed}
        kept |= {k: v for k, v in places.items() if v is not None}
        # Categories before the table: a placement never names one that is not there.
        stores = Stores(db)
        made = stores.add_categories(store_id, [v for v in places.values() if v])
        changes: dict[str, object] = {"placements": kept}
        if fallback is not None:
            changes["fallback"] = fallback
            made += stores.add_categories(store_id, [fallback] if fallback else [])
        if separator is not None:
            changes["separator"] = separator
            walks = Crosswalks(db, store_id)
            record = walks.from_feed(feed_id, alone=True)
            draft = draft_of(record)
            told = with_sign(draft, Stores(db).schema(store_id), {table: separator})
            if told != draft:
                walks.edit(record, told)
        lookups.save(current.model_copy(update=changes))
        left = take_out_unused(db, store_id, edit.unmake) if edit.unmake else []
        return Placed(made=made, left=left)


def _mark(
    lookups: LookupsRepository,
    feed_id: int,
    what: str,
    answers: Mapping[str, str | None],
    accepted: bool,
) -> None:
    """Answers taken together are marked until they are looked at; any other answer is not."""
    now = {f"{what}:{asked}": a for asked, a in answers.items() if accepted and a is not None}
    record = Crosswalks(lookups.session, lookups.store_id).from_feed(feed_id)
    Decisions(lookups.session, record).settle(
        "accepted", now, [f"{what}:{asked}" for asked in answers]
    )


def _lookups_of(feed_id: int, db: Session) -> LookupsRepository:
    """The look-ups of a feed's store, to be changed by nobody else meanwhile."""
    lookups = LookupsRepository(db, Feeds.holding(db, feed_id).store_id)
    lookups.alone()
    return lookups


def _named(tables: Mapping[str, T], name: str) -> T:
    if name not in tables:
        raise NotFound(f"There is no table {name!r}.")
    return tables[name]
