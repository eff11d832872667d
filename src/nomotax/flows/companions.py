"""Feeds that lean on other feeds: whose tables are joined, and who must be read again."""

from __future__ import annotations

from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.errors import Conflict
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.companions import marks_of
from nomotax.core.reading.model import ArrivingTable, Reading, parse_reading
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds
from nomotax.records.repository import known_id
from nomotax.records.tables import Delivery, Feed


def companion_tables(
    db: Session, feed_id: int, reading: Reading
) -> tuple[dict[str, ArrivingTable], dict[str, int]]:
    """The newest tables of the feeds a reading names, and which deliveries they are.

    A feed that has not brought anything yet is left out; the reading tells it. Raises
    ``NotFound`` for a feed that this store does not have.
    """
    tables: dict[str, ArrivingTable] = {}
    uses: dict[str, int] = {}
    feeds = Feeds.holding(db, feed_id)
    for own in reading.companions:
        if own.feed is None:
            continue
        feeds.get(own.feed)
        received = Deliveries(db, feeds.store_id).of_feed(own.feed)
        readable = [d for d in received if d.table_artifact]
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
                used = Deliveries(db, delivery.store_id).get(delivery_id).reading
                others |= {name: parse_reading(used).decimal} if used else {}
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
