"""Feeds by what people call them, and what became of a delivery of theirs."""

from __future__ import annotations

from pydantic import BaseModel, Field

from nomotax.core.errors import Conflict, NotFound
from nomotax.flows.run_states import BUSY
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.queue import has_job
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Delivery


class DeliveryOutcome(BaseModel):
    """What became of a delivery: ``status`` is that of its run, or its own where it has none;
    ``busy`` while a worker has to do with it."""

    status: str
    busy: bool
    said: str
    run_id: int | None
    counts: dict[str, int]


class FeedCode(BaseModel):
    """What programs call a feed by; "" for nothing. It is no number."""

    code: str = Field(default="", max_length=40, pattern=r"^$|^[A-Za-z][A-Za-z0-9_.-]*$")


def code_of(feed_id: int) -> FeedCode:
    """Raises ``NotFound``."""
    with session() as db:
        return FeedCode(code=Feeds.holding(db, feed_id).get(feed_id).code)


def set_code(feed_id: int, wanted: FeedCode) -> FeedCode:
    """Raises ``Conflict`` for the code of another feed of the store."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        feed = feeds.locked(feed_id)
        others = [one for one, _ in feeds.all() if one.code and one.id != feed_id]
        if wanted.code and any(one.code.lower() == wanted.code.lower() for one in others):
            raise Conflict(f"Another feed is called {wanted.code} already.")
        if wanted.code != feed.code:
            note_change(db, feed, f"its code is {wanted.code or 'no more'}")
        feed.code = wanted.code
        db.add(feed)
    return wanted


def feed_named(name: str) -> int:
    """A feed by its number or its code, or as "Supplier, name" or "Store, Supplier, name". Raises
    ``NotFound`` for none, and for several."""
    with session() as db:
        if name.isdecimal():
            return known_id(Feeds.holding(db, int(name)).get(int(name)))
        every = [
            (store, feed, supplier)
            for store in Stores(db).all()
            for feed, supplier in Feeds(db, known_id(store)).all()
        ]
    found = {known_id(feed): f"{s.name}, {p.name}, {feed.name}" for s, feed, p in every}
    meant = [known_id(feed) for _, feed, _ in every if feed.code and feed.code == name]
    meant = meant or [key for key, full in found.items() if f", {full}".endswith(f", {name}")]
    if len(meant) != 1:
        shown = "; ".join(f"{key}: {full}" for key, full in found.items())
        what = "several feeds are" if meant else "no feed is"
        raise NotFound(f"{what.capitalize()} called {name!r}.", remedy=f"There are: {shown}.")
    return meant[0]


def newest_delivery(feed_id: int) -> Delivery:
    """The newest delivery of a feed that has one."""
    with session() as db:
        return Deliveries(db, Feeds.holding(db, feed_id).store_id).last(feed_id)[0]


def outcome_of(delivery_id: int) -> DeliveryOutcome:
    """What has become of it so far; busy as long as a worker has anything to do about it, such as
    to apply what it has just prepared. Raises ``NotFound``."""
    with session() as db:
        # Asked for jobs first: of what none is left, the state is the last one.
        busy = has_job(db, "delivery_id", delivery_id)
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        runs = Runs(db, delivery.store_id)
        run = runs.newest_of([delivery_id]).get(delivery_id)
        if run is None:
            return DeliveryOutcome(
                status=delivery.status, busy=busy or delivery.status == "reading",
                said=delivery.error,
                run_id=None, counts={},
            )  # fmt: skip
        busy = busy or has_job(db, "run_id", known_id(run))
        db.refresh(run)
        log = runs.log(known_id(run))
    said = run.error or (log[-1].text if log else "")
    return DeliveryOutcome(
        status=run.status, busy=busy or run.status in BUSY, said=said,
        run_id=run.id, counts=run.counts,
    )  # fmt: skip
