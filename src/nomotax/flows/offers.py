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
from nomotax.core.errors import Conflict
from nomotax.core.resolve.offers import HAS, TAKEN, Offers, Resolver, Standing
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


def offered_before(db: Session, run: Run) -> list[Run]:
    """The runs that were applied last of the other feeds whose offers stand beside those of a
    run's feed, the preferred first; none where the store does not name the feed."""
    sources = sources_of(Stores(db).get(run.store_id))
    if run.feed_id not in sources.feeds:
        return []
    in_sight = {known_id(feed) for feed, _ in Feeds(db, run.store_id).all()}
    others = [f for f in sources.feeds if f != run.feed_id and f in in_sight]
    runs = Runs(db, run.store_id)
    return [last for feed in others for last in runs.last_applied(feed, 1)]


def standing_of(
    db: Session, run: Run, before: Sequence[Run], schema: StoreSchema, fields: Sequence[str]
) -> Standing | None:
    """What a run's feed says among the offers ``before``, as ``offered_before`` gives them; None
    where there are none."""
    if not before:
        return None
    store = Stores(db).get(run.store_id)
    rules = _Rules(schema, store.rules_revision, frozenset(Stores(db).category_paths(run.store_id)))
    there = [(known_id(f), f, s) for f, s in Feeds(db, run.store_id).all()]
    return Standing(
        resolver=Resolver(sources_of(store), schema),
        own=run.feed_id or 0,
        day=_day(run),
        others=[_offers(one, _asked(schema, fields), rules) for one in before],
        names={number: f"{s.name}: {f.name}" for number, f, s in there},
        owners=frozenset(s.name for number, _, s in there if number in sources_of(store).order),
    )


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


def _offers(run: Run, fields: Sequence[str], rules: _Rules, key: str | None = None) -> Offers:
    """What a run's feed said of products, or of one, by the rows that it applied: without what the
    store does not take any more."""
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
    return Offers(run.feed_id or 0, _day(run), frame)


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
        applied = [run for f in feeds for run in Runs(db, store_id).last_applied(f, 1)]
        rules = _Rules(schema, store.rules_revision, frozenset(stores.category_paths(store_id)))
    sources, names = sources_of(store), [n for n in schema.names if n != schema.key]
    said = [(run, _offers(run, names, rules, product.key)) for run in applied]
    found = {one.feed: (run, one.frame.drop("key")) for run, one in said if one.frame.height}
    resolver = Resolver(sources, schema)
    sides = {f: row.with_columns(pl.lit(True).alias(HAS)) for f, (_, row) in found.items()}
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
