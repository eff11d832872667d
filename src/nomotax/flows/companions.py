"""Feeds that lean on other feeds: whose tables are joined, and who must be read again."""

from __future__ import annotations

from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.errors import Conflict, NotFound
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.companions import marks_of
from nomotax.core.reading.model import ArrivingTable, Reading, parse_reading
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds, known_id
from nomotax.records.tables import Delivery, Feed


def companion_tables(
    db: Session, feed_id: int, reading: Reading
) -> tuple[dict[str, ArrivingTable], dict[str, int]]:
    """The newest tables of the feeds a reading names, and which deliveries they are.

    A feed that has not brought anything yet is left out; the reading tells it. Raises
    ``NotFound`` for a feed of another store.
    """
    tables: dict[str, ArrivingTable] = {}
    uses: dict[str, int] = {}
    feeds = Feeds(db)
    store_id = feeds.supplier(feeds.get(feed_id)).store_id
    for own in reading.companions:
        if own.feed is None:
            continue
        if feeds.supplier(feeds.get(own.feed)).store_id != store_id:
            raise NotFound(f"The companion {own.name!r} names a feed of another store.")
        readable = [d for d in Deliveries(db).of_feed(own.feed) if d.table_artifact]
        if readable and readable[0].table_artifact:
            tables[own.name] = ArrivingTable(artifacts().scan(readable[0].table_artifact), [])
            uses[own.name] = known_id(readable[0])
    return tables, uses


def marks_of_delivery(delivery: Delivery, reading: Reading) -> dict[str, DecimalMark]:
    """The columns of a delivery that came from companions with another decimal mark."""
    others: dict[str, DecimalMark] = {}
    if delivery.uses:
        with session() as db:
            for name, delivery_id in delivery.uses.items():
                used = Deliveries(db).get(delivery_id).reading
                others |= {name: parse_reading(used).decimal} if used else {}
    return marks_of(reading, delivery.columns, others)


def feeds_leaning_on(db: Session, feed_id: int) -> list[int]:
    """Feeds of the same store whose reading has this feed as a companion."""
    feeds = Feeds(db)
    store_id = feeds.supplier(feeds.get(feed_id)).store_id
    found = [f for f, _ in feeds.of_store(store_id) if feed_id in _leans_on(f)]
    return [known_id(f) for f in found]


def _leans_on(feed: Feed) -> set[int]:
    if not feed.reading:
        return set()
    return {c.feed for c in parse_reading(feed.reading).companions if c.feed is not None}


def refuse_circle(db: Session, feed_id: int, reading: Reading) -> None:
    """Raises ``Conflict`` when the feed would, by its companions, lean on itself."""
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
            open_ids += _leans_on(Feeds(db).get(one))
