"""What the feeds of a store offer, set beside each other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.fitting import still_fit
from nomotax.core.changes.later import standing
from nomotax.core.changes.marks import NEW
from nomotax.core.changes.offers import says
from nomotax.core.crosswalk.scope import Scope
from nomotax.core.errors import Conflict
from nomotax.core.resolve.offers import HAS, TAKEN, Aside, Offers, Resolver, Standing
from nomotax.core.resolve.sources import Sources
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.flows.changesets import changeset_name
from nomotax.flows.waiting import today
from nomotax.records.catalog import Catalog
from nomotax.records.database import session
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run, Store

#: What became of rows that say something of a product.
_SOUND = ["new", "changed", "same"]


class SourceFeed(BaseModel):
    """A feed that may be named in an order; one that is removed says nothing any more."""

    id: int
    name: str
    removed: bool


class SourcesView(BaseModel):
    """What a store says of whose values hold, and the feeds that it can name. ``cost`` and
    ``stock`` are the labels of the fields by which one offer is taken before another, null where no
    field of the store has the role."""

    sources: Sources
    feeds: list[SourceFeed]
    cost: str | None
    stock: str | None


class FeedOffer(BaseModel):
    """What a feed says of a product, by field; ``taken`` where the product goes by it, ``competes``
    where it stands against others. ``day`` is when its delivery came."""

    feed_id: int
    feed: str
    run_id: int
    day: datetime
    competes: bool
    taken: bool
    values: dict[str, str]


class FieldSource(BaseModel):
    """Whose value of a field holds: that of a feed, or what is kept by hand (``kept``). ``value``
    is what the next run of a feed that is named writes; null where nothing says so."""

    field: str
    feed_id: int | None
    kept: bool
    value: str | None


class ProductOffers(BaseModel):
    offers: list[FeedOffer]
    fields: list[FieldSource]


def sources_of(store: Store) -> Sources:
    """What a store says of whose values hold."""
    return Sources.model_validate(store.sources)


def sources_view(store_id: int) -> SourcesView:
    """The same with the feeds that it can name. Raises ``NotFound``."""
    with session() as db:
        sources, schema = sources_of(Stores(db).get(store_id)), Stores(db).schema(store_id)
        cost, stock = (schema.with_role(role) for role in (Role.COST, Role.STOCK))
        return SourcesView(
            sources=sources,
            feeds=_feeds(db, store_id, sources),
            cost=cost.label if cost else None,
            stock=stock.label if stock else None,
        )


def _feeds(db: Session, store_id: int, sources: Sources) -> list[SourceFeed]:
    seen = Feeds(db, store_id).all()
    there = [
        SourceFeed(id=known_id(feed), name=f"{supplier.name}: {feed.name}", removed=False)
        for feed, supplier in seen
    ]
    ids = {feed.id for feed in there}
    gone = [SourceFeed(id=f, name="a removed feed", removed=True) for f in sources.feeds]
    return [*there, *(feed for feed in gone if feed.id not in ids)]


def set_sources(store_id: int, sources: Sources) -> SourcesView:
    """Say whose values hold from the next runs on. Raises ``Conflict`` for a feed or a field that
    the store does not have."""
    with session() as db:
        stores = Stores(db)
        store, schema = stores.locked(store_id), stores.schema(store_id)
        before = sources_of(store).feeds
        known = {known_id(feed) for feed, _ in Feeds(db, store_id).all()}
        strange = [f for f in sources.feeds if f not in known and f not in before]
        lost = [name for name in sources.fields if name not in schema or name == schema.key]
        if strange or lost:
            raise Conflict(
                f"The store has no feed {strange[0]}." if strange else
                f"{lost[0]!r} is no field that feeds can share.",
                where="the order of the sources",
                remedy="Name feeds that are in sight, and fields other than the key.",
            )  # fmt: skip
        store.sources = sources.model_dump(mode="json")
        db.add(store)
    return sources_view(store_id)


#: The runs by which a feed says what it says, as ``Runs.said_last`` gives them.
Word = Sequence[Run]


def offered_before(db: Session, run: Run) -> list[Word]:
    """What the other feeds say whose offers stand beside those of a run's feed, the preferred
    first; none where the store does not name the feed."""
    sources = sources_of(Stores(db).get(run.store_id))
    if run.feed_id not in sources.feeds:
        return []
    in_sight = {known_id(feed) for feed, _ in Feeds(db, run.store_id).all()}
    others = [f for f in sources.feeds if f != run.feed_id and f in in_sight]
    runs = Runs(db, run.store_id)
    return [word for feed in others if (word := runs.said_last(feed))]


def standing_of(
    db: Session, run: Run, before: Sequence[Word], schema: StoreSchema, fields: Sequence[str]
) -> Standing | None:
    """What a run's feed says among the offers ``before``, as ``offered_before`` gives them; None
    where there are none."""
    if not before:
        return None
    store, asked = Stores(db).get(run.store_id), _asked(schema, fields)
    rules = _Rules(schema, store.rules_revision, frozenset(Stores(db).category_paths(run.store_id)))
    there = [(known_id(f), f, s) for f, s in Feeds(db, run.store_id).all()]
    return Standing(
        resolver=Resolver(sources_of(store), schema),
        own=run.feed_id or 0,
        day=_day(run),
        others=[_offers(one, asked, rules) for one in before],
        names={number: f"{s.name}: {f.name}" for number, f, s in there},
        owners=frozenset(s.name for number, _, s in there if number in sources_of(store).order),
        aside=_aside(db, run, asked, rules),
    )


def _aside(db: Session, run: Run, asked: Sequence[str], rules: _Rules) -> Aside | None:
    """What a run of a scope leaves aside."""
    scope = scope_of(run)
    if scope is None:
        return None
    word = Runs(db, run.store_id).said_last(run.feed_id or 0)
    nothing = pl.DataFrame(schema={"key": pl.String, **{NEW + f: pl.String for f in asked}})
    own = _offers(word, asked, rules) if word else Offers(run.feed_id or 0, _day(run), nothing)
    return Aside(frozenset(scope.fields), own)


def scope_of(run: Run) -> Scope | None:
    """The scope that a run is of; None where it is of all fields."""
    said = run.used.get("scope")
    return Scope.model_validate(said) if said else None


class _Line(NamedTuple):
    """Of the row that a run took for a product, what it writes in a field, and what it says."""

    writes: str | None
    says: str | None


def offer_behind(run: Run, key: str, field: str) -> int | None:
    """The run of another feed whose value a run wrote in a product; None where it was its own."""
    line = _line(run, key, field)
    if line is None or line.writes == line.says:
        return None
    with session() as db:
        before = [Runs.holding(db, one).get(one) for one in run.used.get("beside", [])]
    for other in before:
        said = _line(other, key, field)
        if said is not None and said.says == line.writes:
            return known_id(other)
    return None


def _line(run: Run, key: str, field: str) -> _Line | None:
    """None where the run has no row of the product, or nothing to say of the field."""
    scan = artifacts().scan(changeset_name(run))
    columns = scan.collect_schema().names()
    if NEW + field not in columns:
        return None
    said = pl.when(pl.col("row").is_not_null()).then(says(columns, field)).alias("said")
    own = scan.filter(pl.col("key") == key).sort(~pl.col("status").is_in(_SOUND), "row")
    found = own.select(pl.col(NEW + field), said).head(1).collect()
    return _Line(*found.row(0)) if found.height else None


def _asked(schema: StoreSchema, fields: Sequence[str]) -> list[str]:
    """Fields that are set beside each other, and those that tell which offer is taken."""
    weighed = [schema.with_role(role) for role in (Role.COST, Role.STOCK)]
    names = dict.fromkeys([*fields, *(f.name for f in weighed if f)])
    return [name for name in names if name != schema.key]


@dataclass(frozen=True)
class _Rules:
    """What a store takes, and at which revision."""

    schema: StoreSchema
    revision: int
    categories: frozenset[str]


def _offers(word: Word, fields: Sequence[str], rules: _Rules, key: str | None = None) -> Offers:
    """What a feed says of products, or of one: of each field by the last run that was of it."""
    first = word[0]
    frame, parts = _said(first, fields, rules, key), word[1:]
    if scope_of(first) is not None:
        frame, parts = frame.clear(), word
    if not parts:
        return Offers(first.feed_id or 0, _day(first), frame)
    frame = frame.with_columns(pl.lit(True).alias(HAS))
    for part in parts:
        scope = scope_of(part)
        said = _said(part, [f for f in fields if scope and f in scope.fields], rules, key)
        frame = frame.drop(said.columns[1:], strict=False)
        frame = frame.join(said, on="key", how="full", coalesce=True)
    return Offers(first.feed_id or 0, _day(first), frame.with_columns(pl.col(HAS).fill_null(False)))


def _said(run: Run, fields: Sequence[str], rules: _Rules, key: str | None) -> pl.DataFrame:
    """What a run said of products by the rows that it applied: ``key`` and ``new:<field>``, each
    product once, without what the store does not take any more."""
    scan = artifacts().scan(changeset_name(run))
    columns = scan.collect_schema().names()
    there = [f for f in fields if NEW + f in columns]
    sound = pl.col("status").is_in(_SOUND) & pl.col("key").is_not_null()
    if key is not None:
        sound &= pl.col("key") == key
    now = [says(columns, f, standing(columns, f, today())).alias(NEW + f) for f in there]
    rows = scan.filter(sound).select("key", *now)
    frame = rows.collect().unique("key", keep="first", maintain_order=True)
    if run.rules_revision != rules.revision:
        frame = still_fit(frame, rules.schema, rules.categories)
    return frame


def _day(run: Run) -> int:
    came = run.used.get("received_at")
    return int(datetime.fromisoformat(came).timestamp()) if came else 0


def product_offers(store_id: int, key: str) -> ProductOffers:
    """What every feed says of a product, and whose value of each field holds. Raises
    ``NotFound``."""
    with session() as db:
        stores = Stores(db)
        store, schema = stores.get(store_id), stores.schema(store_id)
        product = Catalog(db, store_id).product(key)
        kept = {field for field, keys in Catalog(db, store_id).kept().items() if key in keys}
        feeds = {known_id(f): f"{s.name}: {f.name}" for f, s in Feeds(db, store_id).all()}
        words = [word for f in feeds if (word := Runs(db, store_id).said_last(f))]
        rules = _Rules(schema, store.rules_revision, frozenset(stores.category_paths(store_id)))
    sources, names = sources_of(store), [n for n in schema.names if n != schema.key]
    said = [(word[0], _offers(word, names, rules, product.key)) for word in words]
    there = pl.Series([product.key])
    sides = {one.feed: one.beside(there) for _, one in said if one.frame.height}
    found = {one.feed: (run, sides[one.feed].drop(HAS)) for run, one in said if one.feed in sides}
    resolver = Resolver(sources, schema)
    days = {f: _day(run) for f, (run, _) in found.items()}
    stands = resolver.resolve(None, sides, days).row(0, named=True) if sides else {}
    offers = [
        FeedOffer(
            feed_id=feed, feed=feeds[feed], run_id=known_id(run),
            day=datetime.fromtimestamp(days[feed], UTC),
            competes=sources.competes(feed), taken=stands.get(TAKEN) == feed,
            values={c.removeprefix(NEW): v for c, v in row.row(0, named=True).items() if v},
        )
        for feed, (run, row) in found.items()
    ]  # fmt: skip
    return ProductOffers(
        offers=sorted(offers, key=lambda o: (not o.taken, o.feed)),
        fields=_held(resolver, stands, offers, kept, names),
    )


def _held(
    resolver: Resolver,
    stands: dict[str, object],
    offers: Sequence[FeedOffer],
    kept: set[str],
    names: Sequence[str],
) -> list[FieldSource]:
    taken = stands.get(TAKEN)
    found = []
    for name in names:
        value = stands.get(NEW + name)
        own = [*resolver.sources.fields.get(name, ()), taken, *resolver.sources.order]
        says = {o.feed_id: o.values.get(name) for o in offers}
        whose = next(
            (f for f in own if isinstance(f, int) and says.get(f) == value and value), None
        )
        if whose is not None or name in kept:
            found.append(
                FieldSource(
                    field=name, feed_id=whose, kept=name in kept,
                    value=str(value) if value is not None else None,
                )
            )  # fmt: skip
    return found
