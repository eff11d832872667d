"""A crosswalk at work from its source to its target: what every bench screen asks about."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import Any, TypeVar

import polars as pl
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.crosswalk.compiler import Plan, compile_plan
from nomotax.core.crosswalk.demands import missing_columns
from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.problems import problems_of, rows_missing, without_missing
from nomotax.core.crosswalk.saved import KINDS, named_by
from nomotax.core.errors import CrosswalkError, NotFound
from nomotax.core.flow.context import Context, Lookups
from nomotax.core.lookups.names import Names
from nomotax.core.matching.finder import Finder
from nomotax.core.matching.rows import problems_of_matched
from nomotax.core.reading.model import DelimitedReading, Reading
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.schema.model import StoreSchema
from nomotax.core.suggest.columns import Fit, fits, weigh
from nomotax.core.suggest.facts import Facts, column_facts
from nomotax.core.suggest.fills import Suggestion, with_fills
from nomotax.core.suggest.lexicon import Languages
from nomotax.core.suggest.names import languages_of_schema
from nomotax.core.suggest.paths import Places
from nomotax.core.table import ROW
from nomotax.flows.companions import marks_of_delivery
from nomotax.flows.evidence import gather_evidence
from nomotax.flows.known import known_products, pairings_of
from nomotax.flows.pictures import pictures_of
from nomotax.flows.receive import AT_ONCE, joined_now
from nomotax.flows.sides import DeliverySource, StoreTarget, received
from nomotax.records.catalog import Catalog
from nomotax.records.crosswalks import Crosswalks, draft_of
from nomotax.records.database import database_url, session
from nomotax.records.decisions import Decisions
from nomotax.records.lookups import LookupsRepository, StoreLookups
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.stamps import Stamp, workbench_stamp
from nomotax.records.tables import CrosswalkRecord, Delivery

T = TypeVar("T")
#: Paths of a store's categories, and what those that have names are called.
Tree = tuple[tuple[str, ...], Names]


@dataclass(frozen=True)
class Workbench:
    """Everything needed to run a draft from a source to a target: loaded once a request.
    ``record`` keeps the ``crosswalk``, which here has no fills of fields that are retired."""

    source: DeliverySource
    target: StoreTarget
    record: CrosswalkRecord
    crosswalk: Crosswalk
    decisions: frozenset[tuple[str, str, str]] = frozenset()

    @property
    def store_id(self) -> int:
        return self.target.store_id

    @property
    def schema(self) -> StoreSchema:
        return self.target.schema

    @property
    def lookups(self) -> Lookups:
        return self.target.lookups

    @property
    def categories(self) -> tuple[str, ...]:
        return self.target.categories

    @property
    def sample(self) -> pl.DataFrame:
        return self.source.sample

    def decided(self, verdict: str) -> set[tuple[str, str]]:
        """Subject and proposal of each decision of this kind."""
        return {(s, p) for v, s, p in self.decisions if v == verdict}

    @cached_property
    def profiles(self) -> list[ColumnProfile]:
        return remembered(
            ("profiles", artifacts().root, self.source.artifact), lambda: self.source.profiles
        )

    @property
    def ranking(self) -> list[Suggestion]:
        """Every column for every field it might fill, best first."""
        key = ("ranking", *self._known_by)
        return remembered(
            key, lambda: with_fills(self.schema, self._fits, self.facts, self.evidence)
        )

    @property
    def _fits(self) -> dict[str, list[Fit]]:
        """Which columns fit which field: hangs on less than the fills that are made of it."""
        key = ("fits", self.schema, *self._told_by)
        return remembered(key, lambda: fits(weigh(self.schema, self.facts)))

    @property
    def facts(self) -> Facts:
        """What is known of the delivery's columns where they are looked at as answers."""
        keys = self.evidence.keys
        return remembered(
            ("facts", *self._told_by), lambda: column_facts(self.profiles, self.sample, keys)
        )

    @property
    def _told_by(self) -> tuple[Hashable, ...]:
        """The delivery's table, and how its codes stand to the catalog."""
        return (artifacts().root, self.source.artifact, tuple(sorted(self.evidence.keys.items())))

    @property
    def store_languages(self) -> Languages:
        """The languages that the store's own names are likely in."""
        key = ("languages", self.schema)
        return remembered(key, lambda: languages_of_schema(self.schema))

    @property
    def places(self) -> Places:
        """The store's tree, ready to be compared with; the same as long as the tree is."""
        called = self.target.category_names
        names = tuple((path, *sorted(own.items())) for path, own in called.items())
        key = ("places", artifacts().root, self.store_id, self.categories, names)
        return remembered(
            key,
            lambda: Places(self.categories, called, languages=self.store_languages),
        )

    @property
    def _known_by(self) -> tuple[Hashable, ...]:
        """What evidence hangs on: the delivery's table, the schema, and the catalog's keys."""
        root, source = artifacts().root, self.source
        held = (self.schema, source.supplier, self.categories)
        return (root, source.artifact, source.decimal, held, self.store_id, self.target.revision)

    @cached_property
    def evidence(self) -> Evidence:
        """What fills of this delivery are made from."""
        return remembered(
            ("evidence", *self._known_by),
            lambda: gather_evidence(
                self.store_id, self.source.supplier, self.schema, self.profiles, self.sample,
                self.source.decimal, frozenset(self.categories), self.source.marks,
            ),
        )  # fmt: skip

    @cached_property
    def context(self) -> Context:
        source, categories = self.source, frozenset(self.categories)
        return Context(
            source.decimal, self.lookups, categories, source.facts,
            pictures=source.pictures, marks=source.marks,
        )  # fmt: skip

    @cached_property
    def broken(self) -> dict[str, CrosswalkError]:
        """Fields whose steps cannot run, with what is wrong."""
        return self._compiled[1]

    @cached_property
    def _compiled(self) -> tuple[Plan, dict[str, CrosswalkError]]:
        return remembered(("plan", *self._key), self._compile)

    def _compile(self) -> tuple[Plan, dict[str, CrosswalkError]]:
        broken: dict[str, CrosswalkError] = {}
        columns = self.source.columns
        return compile_plan(self.runnable, self.schema, self.context, columns, broken), broken

    @cached_property
    def missing(self) -> dict[str, list[str]]:
        """Columns the crosswalk asks for that this delivery does not have."""
        return missing_columns(self.crosswalk.all_fills(), set(self.source.columns))

    @cached_property
    def runnable(self) -> Crosswalk:
        """The crosswalk without fills that this delivery cannot feed (they are open questions)."""
        lost = {name for names in self.missing.values() for name in names}
        fills = {n: f for n, f in self.crosswalk.fills.items() if n not in lost}
        parked = {c: f for c, f in self.crosswalk.parked.items() if c not in self.missing}
        return self.crosswalk.model_copy(update={"fills": fills, "parked": parked})

    @cached_property
    def plan(self) -> Plan:
        return self._compiled[0]

    @cached_property
    def filled(self) -> pl.DataFrame:
        """The filled sample, kept between requests while nothing has changed."""
        return remembered(self._key, lambda: self.plan.fill(self.sample))

    @cached_property
    def problems(self) -> pl.DataFrame:
        key = ("problems", self.store_id, self.target.revision, self.source.decided, *self._key)
        return remembered(key, lambda: self.problems_in(self.filled, self.sample))

    def problems_in(self, filled: pl.DataFrame, arriving: pl.DataFrame) -> pl.DataFrame:
        """The problems of rows of this delivery, as a changeset would have them: products that
        are in the catalog keep what a required field leaves empty."""
        if not self.plan.by_key:
            return problems_of_matched(filled, self.plan, arriving, self.finder)
        problems = problems_of(filled, self.plan, arriving)
        missing, key = rows_missing(problems, self.plan), self.schema.key
        if missing.is_empty() or key not in filled.columns:
            return problems
        asked = filled.filter(pl.col(ROW).is_in(missing.implode())).select(ROW, pl.col(key))
        with session() as db:
            there = Catalog(db, self.store_id).keys_among(asked[key].drop_nulls().to_list())
        known = asked.filter(pl.col(key).is_in(there))[ROW].cast(pl.UInt32)
        return without_missing(problems, known, self.plan)

    @cached_property
    def finder(self) -> Finder:
        """What finds the products of rows, as the catalog and the pairings are now."""
        identity = self.plan.identity
        products = (artifacts().root, self.store_id, self.target.revision)
        finder = remembered(
            ("finder", *products, identity),
            lambda: Finder(identity, known_products(self.store_id, identity.fields)),
        )
        if identity.article is None:
            return finder
        return finder.beside(pairings_of(self.store_id, self.source.feed.supplier_id))

    @cached_property
    def _key(self) -> tuple[Hashable, ...]:
        return (
            artifacts().root,
            self.source.artifact,
            self.bundle().model_dump_json(),
            self.schema,
            self.categories,
        )

    def remembered(self, what: str, make: Callable[[], T]) -> T:
        """Something worked out of this workbench, kept as long as it is."""
        known: T
        if what in self._worked:
            known = self._worked[what]
            return known
        known = self._worked[what] = make()
        return known

    @cached_property
    def _worked(self) -> dict[str, Any]:
        return {}

    def bundle(self) -> Bundle:
        """The crosswalk with its reading and the look-ups it names: what runs, and is exported."""
        named = named_by(self.crosswalk, self.lookups)
        used = {
            kind.where: tuple(
                one for name, one in kind.of(self.lookups).items() if name in named[kind.name]
            )
            for kind in KINDS
        }
        return Bundle(
            name=self.source.name,
            reading=_portable(self.source.reading),
            crosswalk=self.crosswalk,
            **used,
            facts=self.source.standing,
        )

    def freeze(self, note: str = "") -> int:
        """Keep the bundle as a version (the newest again, if nothing changed) and give its id."""
        named = named_by(self.crosswalk, self.lookups)
        uses = {
            str(lookup): number
            for (kind, name), (lookup, number) in self.target.at.items()
            if name in named[kind]
        }
        with session() as db:
            walks = Crosswalks(db, self.store_id)
            return known_id(walks.freeze(self.record, self.bundle(), uses, note))


def _portable(reading: Reading) -> Reading:
    """A reading without the numbers of this installation's feeds; companions keep their names."""
    own = tuple(c.model_copy(update={"feed": None}) for c in reading.companions)
    return reading.model_copy(update={"companions": own})


def context_of(bundle: Bundle, delivery: Delivery, categories: frozenset[str]) -> Context:
    """What a version may ask about one delivery."""
    reading = bundle.reading or DelimitedReading()
    marks = marks_of_delivery(delivery, reading)
    facts = bundle.facts | received(delivery)
    pictures = pictures_of(delivery)
    looked_up = bundle.lookups()
    return Context(reading.decimal, looked_up, categories, facts, pictures=pictures, marks=marks)


#: What was worked out, kept between requests while nothing it hangs on has changed.
_memory: dict[Hashable, Any] = {}
_KEPT = 64
_turn = Lock()


def remembered(key: Hashable, make: Callable[[], T]) -> T:
    """What was worked out under this key before, else made now."""
    with _turn:
        if key in _memory:
            # Put last again: what is asked for often stays, though every edit adds more.
            found: T = _memory.pop(key)
            _memory[key] = found
            return found
    made = make()
    with _turn:
        while len(_memory) >= _KEPT:
            _memory.pop(next(iter(_memory)))
        _memory[key] = made
    return made


#: Workbenches that are kept; each holds its sample.
_OPEN = 16
#: Workbenches as they were opened last, each with the stamp of what it was made of.
_benches: dict[Hashable, tuple[Stamp | None, Workbench]] = {}


def open_workbench(feed_id: int, delivery_id: int | None = None) -> Workbench:
    """The workbench of a feed over one delivery, the newest readable one by default. It is kept,
    with all that it has worked out, until something that it is made of changes. A delivery that
    joins the catalog is joined with it as it is now, unless it is too large for that to be waited
    for: then as it was, until a run is prepared.

    Raises ``NotFound``.
    """
    key = (database_url(), artifacts().root, feed_id, delivery_id or 0)
    found = _opened(key, feed_id, delivery_id)
    delivery, now = found.source.delivery, found.target.revision
    if delivery.catalog in (None, now) or delivery.size > AT_ONCE:
        return found
    joined_now(known_id(delivery))
    return _opened(key, feed_id, delivery_id)


def _opened(key: Hashable, feed_id: int, delivery_id: int | None) -> Workbench:
    with session() as db:
        # The stamp comes first: a change between the two is seen the next time.
        stamp = workbench_stamp(db, feed_id, delivery_id)
        with _turn:
            known = _benches.get(key)
        if known is not None and known[0] == stamp:
            return known[1]
        made = _load(db, feed_id, delivery_id, _Kept(stamp, known))
    with _turn:
        while len(_benches) >= _OPEN:
            _benches.pop(next(iter(_benches)))
        _benches[key] = (stamp, made)
    return made


@dataclass(frozen=True)
class _Kept:
    """What the last workbench of the feed has that is still true."""

    stamp: Stamp | None
    known: tuple[Stamp | None, Workbench] | None

    def tree(self, load: Callable[[], Tree]) -> Tree:
        """Paths of the store's categories, and what they are called."""
        before, bench = self.known or (None, None)
        if bench and before and self.stamp and before.tree == self.stamp.tree:
            return bench.categories, bench.target.category_names
        return load()

    def lookups(self, load: Callable[[], StoreLookups]) -> StoreLookups:
        """The store's look-ups."""
        before, bench = self.known or (None, None)
        if bench and before and self.stamp and before.lookups == self.stamp.lookups:
            return StoreLookups(bench.target.lookups, bench.target.at)
        return load()


def _load_tree(stores: Stores, store_id: int) -> Tree:
    tree = stores.tree(store_id)
    return tuple(tree), {path: names for path, names in tree.items() if names}


def _load(db: Session, feed_id: int, delivery_id: int | None, kept: _Kept) -> Workbench:
    feeds = Feeds.holding(db, feed_id)
    store_id = feeds.store_id
    target = _target(db, store_id, kept)
    record = Crosswalks(db, store_id).from_feed(feed_id)
    return Workbench(
        source=_source(feeds, feed_id, delivery_id),
        target=target,
        record=record,
        crosswalk=draft_of(record).within(target.schema),
        decisions=Decisions(db, record).all(),
    )


def _source(feeds: Feeds, feed_id: int, delivery_id: int | None) -> DeliverySource:
    feed, deliveries = feeds.get(feed_id), Deliveries(feeds.session, feeds.store_id)
    delivery = deliveries.get(delivery_id) if delivery_id else deliveries.newest(feed_id)
    if delivery.feed_id != feed_id:
        raise NotFound(f"Delivery {delivery_id} belongs to another feed.")
    supplier = feeds.supplier(feed)
    return DeliverySource(feed, supplier.name, delivery, supplier.decided)


def _target(db: Session, store_id: int, kept: _Kept) -> StoreTarget:
    stores = Stores(db)
    store = stores.get(store_id)
    categories, names = kept.tree(lambda: _load_tree(stores, store_id))
    saved = kept.lookups(LookupsRepository(db, store_id).now)
    return StoreTarget(
        store_id=store_id,
        name=store.name,
        revision=store.revision,
        schema=stores.schema(store_id),
        lookups=saved.lookups,
        at=saved.at,
        categories=categories,
        category_names=names,
    )
