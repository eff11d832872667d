"""Feeds that lean on other feeds: whose tables are joined, and who must be read again."""

from __future__ import annotations

import polars as pl
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.marks import OLD
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.errors import Conflict
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.companions import marks_of
from nomotax.core.reading.model import ArrivingTable, Companion, Reading, parse_reading
from nomotax.core.table import FAULT, ROW
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.tables import Delivery, Feed
from nomotax.records.whole import products_of


def companion_tables(
    db: Session, feed_id: int, reading: Reading
) -> tuple[dict[str, ArrivingTable], dict[str, int]]:
    """The newest tables of the feeds a reading names, and which deliveries they are.

    A feed that has not brought anything yet is left out; the reading tells it. Raises
    ``NotFound`` for a feed that this store does not have. The catalog is as it is now.
    """
    tables: dict[str, ArrivingTable] = {}
    uses: dict[str, int] = {}
    feeds = Feeds.holding(db, feed_id)
    for own in reading.companions:
        if own.catalog is not None:
            tables[own.name] = _catalog(db, feeds.store_id, own)
        if own.feed is None:
            continue
        feeds.get(own.feed)
        readable = Deliveries(db, feeds.store_id).last(own.feed, read=True)
        if readable and readable[0].table_artifact:
            tables[own.name] = ArrivingTable(artifacts().scan(readable[0].table_artifact), [])
            uses[own.name] = known_id(readable[0])
    return tables, uses


def catalog_revision(db: Session, store_id: int, reading: Reading) -> int | None:
    """Which catalog a reading joins now; None where it joins none."""
    joins = any(own.catalog is not None for own in reading.companions)
    return Stores(db).get(store_id).revision if joins else None


def _catalog(db: Session, store_id: int, own: Companion) -> ArrivingTable:
    """Products that are in the catalog as a table, its columns named as the store's fields."""
    schema = Stores(db).schema(store_id)
    fields = [name for name in own.fields if name in schema]
    products = products_of(store_id, fields).filter(pl.col(STATE).ne_missing(TAKEN_OUT))
    values = [pl.col(OLD + name).alias(name) for name in fields]
    table = products.sort("key").select(pl.lit(None, pl.String).alias(FAULT), *values)
    return ArrivingTable(table.with_row_index(ROW, 1).lazy(), [])


def marks_of_delivery(delivery: Delivery, reading: Reading) -> dict[str, DecimalMark]:
    """The columns of a delivery that came from companions with another decimal mark."""
    others: dict[str, DecimalMark] = {}
    if delivery.uses:
        with session() as db:
            for name, delivery_id in delivery.uses.items():
                used = Deliveries(db, delivery.store_id).get(delivery_id).reading
                others |= {name: parse_reading(used).decimal} if used else {}
    # The store writes its numbers with a point, whatever the feed does.
    others |= {own.name: "." for own in reading.companions if own.catalog is not None}
    return marks_of(reading, delivery.columns, others)


def feeds_leaning_on(db: Session, feed_id: int) -> list[int]:
    """Feeds of the same store whose reading has this feed as a companion."""
    feeds = Feeds.holding(db, feed_id).all()
    return [known_id(f) for f, _ in feeds if feed_id in _leans_on(f)]


def _leans_on(feed: Feed) -> set[int]:
    if not feed.reading:
        return set()
    return {c.feed for c in parse_reading(feed.reading).companions if c.feed is not None}


def refuse_circle(db: Session, feed_id: int, reading: Reading) -> None:
    """Raises ``Conflict`` when the feed would, by its companions, lean on itself."""
    feeds = Feeds.holding(db, feed_id)
    open_ids = [c.feed for c in reading.companions if c.feed is not None]
    seen: set[int] = set()
    while open_ids:
        one = open_ids.pop()
        if one == feed_id:
            raise Conflict(
                "These companions make a circle: the feed would wait for itself.",
                where="companions",
                remedy="Take the feed that leads back out of the list.",
            )
        if one not in seen:
            seen.add(one)
            open_ids += _leans_on(feeds.get(one))
