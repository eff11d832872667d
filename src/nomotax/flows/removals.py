"""Taking feeds, deliveries and stores out of sight, and bringing them back; moving a delivery.

Nothing of the catalog, its history and its runs is touched, and no byte is deleted: what runs have
done stays explained.
"""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel
from sqlalchemy import func
from sqlmodel import Session, col, select

from nomotax.core.errors import Conflict, NotFound
from nomotax.flows.companions import feeds_leaning_on
from nomotax.flows.receive import read_anew
from nomotax.flows.run_states import BUSY, move
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.products import Product
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Delivery, Feed, Run, Store

Kind = Literal["store", "feed", "delivery"]
Removable = Store | Feed | Delivery


class RemovalTouch(BaseModel):
    """What goes out of sight with it, what stays, and which feeds join its tables."""

    name: str
    feeds: int
    deliveries: int
    applied_runs: int
    waiting_runs: int
    products: int
    leaning: list[str]


class Removed(BaseModel):
    kind: Kind
    id: int
    name: str
    removed_at: datetime


def touch(kind: Kind, key: int) -> RemovalTouch:
    """What a removal would touch; nothing is changed. Raises ``NotFound``."""
    with session() as db:
        one = _find(db, kind, key)
        feeds, deliveries, runs = _feeds(db, one), _deliveries(db, one), _runs(db, one)
        suppliers = {f.supplier_id for f in feeds}
        held = select(func.count()).where(col(Product.supplier_id).in_(suppliers))
        leaning = feeds_leaning_on(db, known_id(one)) if isinstance(one, Feed) else []
        return RemovalTouch(
            name=_name(db, one),
            feeds=len(feeds) if kind == "store" else 0,
            deliveries=len(deliveries),
            applied_runs=sum(r.status == "applied" for r in runs),
            waiting_runs=sum(r.status == "prepared" for r in runs),
            products=int(db.exec(held).one()) if kind != "delivery" else 0,
            leaning=[_name(db, Feeds.holding(db, f).get(f)) for f in leaning],
        )


def remove(kind: Kind, key: int) -> None:
    """Take it out of sight. Raises ``Conflict`` while a run of it is under way."""
    with session() as db:
        one = _find(db, kind, key)
        busy = [r for r in _runs(db, one) if r.status in BUSY]
        if busy:
            raise _under_way(busy[0])
        one.removed_at = now()
        db.add(one)


def bring_back(kind: Kind, key: int) -> None:
    """Put it back in sight as it was. Raises ``NotFound``."""
    with session() as db:
        one = _find(db, kind, key)
        one.removed_at = None
        db.add(one)


def removed_of(store_id: int) -> list[Removed]:
    """Feeds and deliveries of a store that were removed, the last one first."""
    with session() as db:
        Stores(db).get(store_id)
        feeds = select(Feed).where(Feed.store_id == store_id)
        deliveries = select(Delivery).where(Delivery.store_id == store_id)
        found: list[Removable] = [
            *db.exec(feeds.where(col(Feed.removed_at).is_not(None))),
            *db.exec(deliveries.where(col(Delivery.removed_at).is_not(None))),
        ]
        return _listed(db, found)


def removed_stores() -> list[Removed]:
    """Stores that were removed, the last one first."""
    with session() as db:
        return _listed(db, Stores(db).all(removed=True))


def move_delivery(delivery_id: int, feed_id: int) -> Delivery:
    """Give a delivery to another feed of the store, and read it as that feed reads.

    Raises ``Conflict`` when a run of it has been applied, or is under way; runs that were only
    prepared are given up.
    """
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        if Feeds(db, delivery.store_id).get(feed_id).removed_at:
            raise NotFound(f"There is no feed {feed_id} in this store.")
        for run in _runs(db, delivery):
            if run.status in BUSY:
                raise _under_way(run)
            if run.status == "applied" and run.kind == "delivery":
                raise Conflict(
                    f"Run {run.id} of this delivery is applied.",
                    remedy="Undo it first: the catalog remembers which feed its products are of.",
                )
            if run.status in ("prepared", "declined"):
                said = "its delivery was given to another feed"
                move(db, known_id(run), "failed", said, error=said)
        delivery.feed_id = feed_id
        db.add(delivery)
    # Read after the move is committed: a reading that fails leaves it with its new feed, and says
    # so there.
    return read_anew(delivery_id)


def rename_feed(feed_id: int, name: str) -> None:
    """Call a feed otherwise. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        if name != feed.name:
            note_change(db, feed, f"is called {name}, and was called {feed.name}")
        feed.name = name
        db.add(feed)


def _under_way(run: Run) -> Conflict:
    return Conflict(f"Run {run.id} is {run.status}.", remedy="Wait until it has ended, or stop it.")


def _find(db: Session, kind: Kind, key: int) -> Removable:
    if kind == "store":
        return Stores(db).get(key)
    if kind == "feed":
        return Feeds.holding(db, key).get(key)
    return Deliveries.holding(db, key).get(key)


def _feeds(db: Session, one: Removable) -> list[Feed]:
    if isinstance(one, Store):
        return [feed for feed, _ in Feeds(db, known_id(one)).all()]
    return [one if isinstance(one, Feed) else Feeds(db, one.store_id).get(one.feed_id)]


def _deliveries(db: Session, one: Removable) -> list[Delivery]:
    if isinstance(one, Delivery):
        return [one]
    return [d for f in _feeds(db, one) for d in Deliveries(db, f.store_id).of_feed(known_id(f))]


def _runs(db: Session, one: Removable) -> list[Run]:
    ids = [known_id(d) for d in _deliveries(db, one)]
    store_id = known_id(one) if isinstance(one, Store) else one.store_id
    return Runs(db, store_id).of_deliveries(ids)


def _name(db: Session, one: Removable) -> str:
    if isinstance(one, Delivery):
        return one.file_name
    if isinstance(one, Store):
        return one.name
    return f"{Feeds(db, one.store_id).supplier(one).name}, {one.name}"


def _listed(db: Session, found: list[Removable] | list[Store]) -> list[Removed]:
    kinds: dict[type, Kind] = {Store: "store", Feed: "feed", Delivery: "delivery"}
    lines = [
        Removed(kind=kinds[type(one)], id=known_id(one), name=_name(db, one), removed_at=at)
        for one in found
        if (at := one.removed_at) is not None
    ]
    return sorted(lines, key=lambda line: line.removed_at, reverse=True)
