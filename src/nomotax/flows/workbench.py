"""One feed's crosswalk over one of its deliveries: what every bench screen asks about."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from threading import Lock
from typing import Any, TypeVar

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.crosswalk.compiler import Plan, compile_plan, missing_columns
from nomotax.core.crosswalk.flow import Context, Lookups
from nomotax.core.crosswalk.model import Bundle, Crosswalk
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.crosswalk.suggest import Suggestion, prefix_of, ranking
from nomotax.core.errors import CrosswalkError, NotFound
from nomotax.core.lookups.names import Names
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.model import DelimitedReading, Reading, parse_reading
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.schema.model import StoreSchema
from nomotax.core.table import ROW
from nomotax.flows.pictures import pictures_of
from nomotax.records.database import session
from nomotax.records.repositories import (
    Deliveries,
    Feeds,
    LookupsRepository,
    Runs,
    Stores,
    known_id,
)
from nomotax.records.tables import Delivery, Feed

T = TypeVar("T")

#: Up to this many rows the bench works on the whole delivery; beyond it, on ``SAMPLE_ROWS`` of
#: them, evenly spread, so that an edit answers at once. A prepared changeset counts every row.
WHOLE_ROWS = 20_000
SAMPLE_ROWS = 3_000


@lru_cache(maxsize=4)
def _sample(root: str, artifact: str) -> pl.DataFrame:
    """The whole table where it is small, else rows evenly spread over it."""
    scan = artifacts().scan(artifact)
    rows = scan.select(pl.len()).collect().item()
    if rows <= WHOLE_ROWS:
        return scan.collect()
    every = rows // SAMPLE_ROWS + 1
    return scan.filter((pl.col(ROW) - 1) % every == 0).collect()


@dataclass(frozen=True)
class Workbench:
    """Everything needed to run a draft: loaded once a request."""

    store_id: int
    store_name: str
    feed: Feed
    supplier: str
    delivery: Delivery
    schema: StoreSchema
    crosswalk: Crosswalk
    lookups: Lookups
    categories: tuple[str, ...]
    category_names: Names

    @property
    def artifact(self) -> str:
        if self.delivery.table_artifact is None:
            raise NotFound(
                f"{self.delivery.file_name} could not be read: {self.delivery.error}",
                remedy="Open its reading and change how it is read.",
            )
        return self.delivery.table_artifact

    @property
    def decimal(self) -> DecimalMark:
        return self.reading.decimal

    @property
    def reading(self) -> Reading:
        return parse_reading(self.delivery.reading) if self.delivery.reading else DelimitedReading()

    @cached_property
    def profiles(self) -> list[ColumnProfile]:
        return _remembered(
            ("profiles", artifacts().root, self.artifact),
            lambda: [ColumnProfile.model_validate(p) for p in self.delivery.profile],
        )

    @property
    def ranking(self) -> list[Suggestion]:
        """Every column for every field it might fill, best first."""
        key = ("ranking", artifacts().root, self.artifact, self.schema, self.supplier)
        return _remembered(key, lambda: ranking(self.schema, self.profiles, self.supplier))

    @cached_property
    def context(self) -> Context:
        facts = facts_of(self.supplier, self.feed.name) | _received(self.delivery)
        categories, pictures = frozenset(self.categories), pictures_of(self.delivery)
        return Context(self.decimal, self.lookups, categories, facts, pictures=pictures)

    @cached_property
    def broken(self) -> dict[str, CrosswalkError]:
        """Fields whose steps cannot run, with what is wrong."""
        return self._compiled[1]

    @cached_property
    def _compiled(self) -> tuple[Plan, dict[str, CrosswalkError]]:
        return _remembered(("plan", *self._key), self._compile)

    def _compile(self) -> tuple[Plan, dict[str, CrosswalkError]]:
        broken: dict[str, CrosswalkError] = {}
        columns = self.delivery.columns
        return compile_plan(self.runnable, self.schema, self.context, columns, broken), broken

    @cached_property
    def missing(self) -> dict[str, list[str]]:
        """Columns the crosswalk asks for that this delivery does not have."""
        return missing_columns(self.crosswalk.all_fills(), set(self.delivery.columns))

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

    @property
    def sample(self) -> pl.DataFrame:
        return _sample(artifacts().root, self.artifact)

    @cached_property
    def filled(self) -> pl.DataFrame:
        """The filled sample, kept between requests while nothing has changed."""
        return _remembered(self._key, lambda: self.plan.fill(self.sample))

    @cached_property
    def problems(self) -> pl.DataFrame:
        return _remembered(
            ("problems", *self._key), lambda: problems_of(self.filled, self.plan, self.sample)
        )

    @cached_property
    def _key(self) -> tuple[Hashable, ...]:
        return (
            artifacts().root,
            self.artifact,
            self.bundle().model_dump_json(),
            self.schema,
            self.categories,
        )

    def window(self, offset: int, limit: int) -> pl.DataFrame:
        """Arriving rows by position, read from the stored table."""
        return artifacts().scan(self.artifact).slice(offset, limit).collect()

    def bundle(self) -> Bundle:
        """The crosswalk with its reading and the look-ups it names: what runs, and is exported."""
        named = names_of_lookups(self.crosswalk, self.lookups)
        return Bundle(
            name=self.feed.name,
            reading=_portable(self.reading),
            crosswalk=self.crosswalk,
            value_tables=_used(self.lookups.value_tables, named["value_table"]),
            category_tables=_used(self.lookups.category_tables, named["category_table"]),
            ladders=_used(self.lookups.ladders, named["ladder"]),
            rates=_used(self.lookups.rates, named["rate"]),
            chains=_used(self.lookups.chains, named["chain"]),
            facts=facts_of(self.supplier, self.feed.name),
        )


def _portable(reading: Reading) -> Reading:
    """A reading without the numbers of this installation's feeds; companions keep their names."""
    own = tuple(c.model_copy(update={"feed": None}) for c in reading.companions)
    return reading.model_copy(update={"companions": own})


def _used(saved: Mapping[str, T], names: set[str]) -> tuple[T, ...]:
    return tuple(one for name, one in saved.items() if name in names)


def facts_of(supplier: str, feed: str) -> dict[str, str]:
    """What is known of a feed whatever is delivered."""
    code = prefix_of(supplier).strip("-")
    return {"supplier": supplier, "supplier_code": code, "feed": feed}


def _received(delivery: Delivery) -> dict[str, str]:
    return {"received": delivery.received_at.date().isoformat()}


def context_of(bundle: Bundle, delivery: Delivery, categories: frozenset[str]) -> Context:
    """What a version may ask about one delivery."""
    decimal = (bundle.reading or DelimitedReading()).decimal
    facts = bundle.facts | _received(delivery)
    pictures = pictures_of(delivery)
    return Context(decimal, bundle.lookups(), categories, facts, pictures=pictures)


def names_of_lookups(crosswalk: Crosswalk, lookups: Lookups) -> dict[str, set[str]]:
    """The look-ups that the steps name, by kind; those within saved chains as well."""
    found: dict[str, set[str]] = {
        kind: set() for kind in ("value_table", "category_table", "ladder", "rate", "chain")
    }
    waiting = [step for fill in crosswalk.fills.values() for step in fill.steps]
    while waiting:
        step = waiting.pop()
        if step.do in ("value_table", "category_table"):
            found[step.do].add(step.table)
        elif step.do == "ladder":
            found["ladder"].add(step.ladder)
        elif step.do == "exchange":
            found["rate"].add(f"{step.source}/{step.target}")
        elif step.do == "chain":
            found["chain"].add(step.chain)
            saved = lookups.chains.get(step.chain)
            waiting += saved.steps if saved else ()
    return found


#: What was worked out, kept between requests while nothing it hangs on has changed.
_memory: dict[Hashable, Any] = {}
_KEPT = 64
_turn = Lock()


def _remembered(key: Hashable, make: Callable[[], T]) -> T:
    with _turn:
        if key in _memory:
            found: T = _memory[key]
            return found
    made = make()
    with _turn:
        while len(_memory) >= _KEPT:
            _memory.pop(next(iter(_memory)))
        _memory[key] = made
    return made


def open_workbench(feed_id: int, delivery_id: int | None = None) -> Workbench:
    """The workbench of a feed over one delivery, the newest readable one by default.

    Raises ``NotFound``.
    """
    with session() as db:
        feeds, stores = Feeds(db), Stores(db)
        feed = feeds.get(feed_id)
        supplier = feeds.supplier(feed)
        deliveries = Deliveries(db)
        delivery = deliveries.get(delivery_id) if delivery_id else deliveries.newest(feed_id)
        if delivery.feed_id != feed_id:
            raise NotFound(f"Delivery {delivery_id} belongs to another feed.")
        store = stores.get(supplier.store_id)
        categories = stores.categories(supplier.store_id)
        return Workbench(
            store_id=known_id(store),
            store_name=store.name,
            feed=feed,
            supplier=supplier.name,
            delivery=delivery,
            schema=stores.schema(supplier.store_id),
            crosswalk=feeds.draft(feed),
            lookups=LookupsRepository(db).of_store(supplier.store_id),
            categories=tuple(c.path for c in categories),
            category_names={c.path: c.names for c in categories if c.names},
        )


def freeze_version(feed_id: int, bundle: Bundle, note: str = "") -> int:
    """Keep the bundle as a version (the newest again, if nothing changed) and give its id."""
    with session() as db:
        version = Runs(db).freeze(feed_id, bundle.model_dump(mode="json"), note)
        return known_id(version)
