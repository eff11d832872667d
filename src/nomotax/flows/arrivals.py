"""The first screen: what came in, from whom, and what waits for a person."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel

from nomotax.core.errors import NomotaxError
from nomotax.flows.questions import count_open
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Delivery, Run


class DeliveryLine(BaseModel):
    """One delivery. ``rows_before`` is the size of the delivery before it, for comparison."""

    id: int
    file_name: str
    size: int
    received_at: datetime
    status: str
    rows: int
    rows_before: int | None
    columns: int
    problems: int
    error: str
    stage: str
    because: str
    complete: bool
    same_as: int | None
    run_id: int | None
    run_status: str | None
    counts: dict[str, int]


class FeedLine(BaseModel):
    id: int
    name: str
    supplier: str
    versions: int
    questions: int
    mapped: int
    deliveries: list[DeliveryLine]


def arrivals(store_id: int) -> list[FeedLine]:
    """Every feed of the store with its deliveries, newest first."""
    with session() as db:
        feeds, runs = Feeds(db, store_id).all(), Runs(db, store_id)
        received = Deliveries(db, store_id).all()
        shown = {known_id(f): received.get(known_id(f), [])[:_SHOWN] for f, _ in feeds}
        newest = runs.newest_of([known_id(d) for own in shown.values() for d in own])
        walks = Crosswalks(db, store_id)
        versions, drafts = walks.counted(), walks.by_feed()
        lines = [
            FeedLine(
                id=(feed_id := known_id(feed)),
                name=feed.name,
                supplier=supplier.name,
                versions=versions.get(feed_id, 0),
                questions=0,
                mapped=len(drafts[feed_id].draft.get("fills", {})),
                deliveries=[
                    delivery_line(d, received[feed_id][i + 1 :], newest.get(known_id(d)))
                    for i, d in enumerate(shown[feed_id])
                ],
            )
            for feed, supplier in feeds
        ]
    for line in lines:
        line.questions = _questions(line)
    return lines


#: So many deliveries of a feed are listed.
_SHOWN = 20


def delivery_line(delivery: Delivery, earlier: list[Delivery], run: Run | None) -> DeliveryLine:
    # Read again with another companion, the same bytes bring something else.
    known = [d for d in earlier if d.sha256 == delivery.sha256 and d.uses == delivery.uses]
    same = next(iter(known), None) if not delivery.because else None
    return DeliveryLine(
        id=known_id(delivery),
        file_name=delivery.file_name,
        size=delivery.size,
        received_at=delivery.received_at,
        status=delivery.status,
        rows=delivery.rows,
        rows_before=earlier[0].rows if earlier else None,
        columns=len(delivery.columns),
        problems=sum(p.get("level") != "note" for p in delivery.problems),
        error=delivery.error,
        stage=delivery.stage,
        because=delivery.because,
        complete=delivery.complete or delivery.accepted,
        same_as=same.id if same else None,
        run_id=run.id if run else None,
        run_status=run.status if run else None,
        counts=run.counts if run else {},
    )


def _questions(line: FeedLine) -> int:
    if not any(d.status != "unreadable" for d in line.deliveries):
        return 0
    try:
        return count_open(line.id)
    except NomotaxError:
        return 1
