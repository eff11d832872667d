"""The first screen: what came in, from whom, and what waits for a person."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from time import monotonic
from typing import Literal

from pydantic import BaseModel

from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.drift.model import DriftFinding
from nomotax.core.errors import NomotaxError
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.beside import found_in, unusual_for
from nomotax.flows.deciding import decisions_of
from nomotax.flows.offers import scope_of
from nomotax.flows.questions import count_open
from nomotax.flows.run_states import BUSY
from nomotax.records.crosswalks import Crosswalks
from nomotax.records.database import session
from nomotax.records.fetches import Fetches
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import CrosswalkRecord, Delivery, Feed, Fetch, Run, Supplier


class DeliveryLine(BaseModel):
    """One delivery. ``rows_before`` is the size of the delivery before it, for comparison.
    ``unusual`` are the things of it that are worth a look, ``said`` the worst of them;
    ``run_scope`` are the fields that its newest run is of, "" for all. In so many points it
    ``breaches`` its feed's contract."""

    id: int
    file_name: str
    size: int
    received_at: datetime
    status: str
    rows: int
    rows_before: int | None
    columns: int
    problems: int
    unusual: int
    said: str
    error: str
    stage: str
    because: str
    complete: bool
    same_as: int | None
    run_id: int | None
    run_status: str | None
    run_scope: str = ""
    breaches: int = 0
    counts: dict[str, int]


#: What a feed needs of a person, the most urgent first; *calm* for nothing.
Need = Literal[
    "unreadable", "unfetched", "failed", "held", "question", "apply", "prepare", "map", "busy",
    "calm",
]  # fmt: skip


class LastFetch(BaseModel):
    """The last look at where a feed's deliveries come from."""

    id: int
    status: str
    stage: str
    said: str
    done: int
    total: int | None
    at: datetime


class FeedLine(BaseModel):
    """A feed. ``needs`` is what it waits for; one that only completes others, by the names of those
    that it is ``joined_to``, waits for nothing. ``held`` are the lines that guards hold of its
    newest run, -1 where they hold the whole of it. ``rows`` and ``prices`` are the sizes and the
    middle prices of its last deliveries, the oldest first. Open ``questions`` are null while they
    are not counted. ``fetch`` is null where nothing was ever fetched."""

    id: int
    name: str
    supplier: str
    versions: int
    questions: int | None
    mapped: int
    needs: Need
    held: int
    joined_to: list[str]
    rows: list[int]
    prices: list[float]
    fetch: LastFetch | None = None
    deliveries: list[DeliveryLine]


def arrivals(store_id: int) -> list[FeedLine]:
    """Every feed of the store with its deliveries, newest first."""
    with session() as db:
        feeds, runs = Feeds(db, store_id).all(), Runs(db, store_id)
        received = Deliveries(db, store_id).last_of_each(_LOOKED_AT)
        shown = {known_id(f): received.get(known_id(f), [])[:_SHOWN] for f, _ in feeds}
        newest = runs.newest_of([known_id(d) for own in shown.values() for d in own])
        walks = Crosswalks(db, store_id)
        schema = Stores(db).schema(store_id)
        versions, drafts = walks.counted(), walks.by_feed()
        leaning, prices = _leaning(feeds), runs.middle_prices(_TREND)
        fetches = Fetches(db, store_id).newest()
        lines = [
            FeedLine(
                id=(feed_id := known_id(feed)),
                name=feed.name,
                supplier=supplier.name,
                versions=versions.get(feed_id, 0),
                questions=0,
                mapped=len(drafts[feed_id].draft.get("fills", {})),
                needs="calm",
                held=0,
                joined_to=leaning.get(feed_id, []),
                rows=[d.rows for d in reversed(received.get(feed_id, [])[:_TREND]) if d.rows],
                prices=[float(price) for price in prices.get(feed_id, [])],
                fetch=_last_fetch(fetches.get(feed_id)),
                deliveries=[
                    delivery_line(
                        d,
                        received[feed_id][i + 1 :],
                        newest.get(known_id(d)),
                        _unusual(d, drafts[feed_id], schema),
                    )
                    for i, d in enumerate(shown[feed_id])
                ],
            )
            for feed, supplier in feeds
        ]
    until = monotonic() + _PATIENCE
    for line in lines:
        line.questions = _questions(line, known=monotonic() > until)
        line.held = _held(line, newest)
        line.needs = needs_of(line)
    return lines


def _last_fetch(one: Fetch | None) -> LastFetch | None:
    if one is None:
        return None
    return LastFetch(
        id=known_id(one), status=one.status, stage=one.stage, said=one.said, done=one.done,
        total=one.total, at=one.finished_at or one.at,
    )  # fmt: skip


#: So many seconds the questions of feeds are counted at a time.
_PATIENCE = 0.4
#: So many deliveries of each feed are looked at, whatever there is.
_LOOKED_AT = 40
#: So many deliveries make a line of what is usual.
_TREND = 12


def _leaning(feeds: Sequence[tuple[Feed, Supplier]]) -> dict[int, list[str]]:
    """The feeds whose deliveries are joined to others', with the names of those."""
    found: dict[int, list[str]] = {}
    for feed, supplier in feeds:
        for companion in (feed.reading or {}).get("companions", []):
            if companion.get("feed") is not None:
                own = found.setdefault(companion["feed"], [])
                own.append(f"{supplier.name}, {feed.name}")
    return found


def _held(line: FeedLine, newest: Mapping[int, Run]) -> int:
    """How many lines guards hold of the newest delivery's run, -1 for all that there is."""
    run = newest.get(line.deliveries[0].id) if line.deliveries else None
    if run is None or run.status != "prepared" or not run.used.get("findings"):
        return 0
    told = decisions_of(known_id(run))
    return -1 if any(one.open and one.holds == "run" for one in told.findings) else told.held


def needs_of(line: FeedLine) -> Need:
    """What a feed waits for: of its newest delivery, and its crosswalk."""
    newest = line.deliveries[0] if line.deliveries else None
    unfetched = line.fetch is not None and line.fetch.status == "failed"
    if newest is None:
        return "unfetched" if unfetched else "calm"
    run, same = newest.run_status, newest.same_as is not None
    done = run in ("applied", "undone", "declined") or same
    broken = newest.status in ("unreadable", "stopped")
    asked: list[tuple[Need, bool]] = [
        ("unreadable", broken or (newest.status != "reading" and not newest.complete)),
        ("unfetched", unfetched),
        ("busy", newest.status == "reading" or run in BUSY),
        # What only completes others has nothing of its own to be mapped.
        ("calm", not line.mapped and bool(line.joined_to)),
        ("map", not line.mapped),
        ("failed", run == "failed"),
        ("held", line.held != 0),
        ("question", bool(line.questions) and not done),
        ("apply", run == "prepared"),
        ("prepare", not done),
    ]
    return next((need for need, so in asked if so), "calm")


#: So many deliveries of a feed are listed.
_SHOWN = 20


def _unusual(delivery: Delivery, walk: CrosswalkRecord, schema: StoreSchema) -> list[DriftFinding]:
    """What of a delivery is worth a look, the worst first."""
    if not found_in(delivery):
        return []
    found = unusual_for(delivery, Crosswalk.model_validate(walk.draft), schema)
    return [one for one in found if one.rank]


def delivery_line(
    delivery: Delivery,
    earlier: list[Delivery],
    run: Run | None,
    unusual: Sequence[DriftFinding] = (),
) -> DeliveryLine:
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
        unusual=len(unusual),
        said=unusual[0].said if unusual else "",
        error=delivery.error,
        stage=delivery.stage,
        because=delivery.because,
        complete=delivery.complete or delivery.accepted,
        same_as=same.id if same else None,
        run_id=run.id if run else None,
        run_status=run.status if run else None,
        breaches=len(delivery.breaches or []),
        run_scope=scope.name if run and (scope := scope_of(run)) else "",
        counts=run.counts if run else {},
    )


def _questions(line: FeedLine, known: bool) -> int | None:
    if not any(d.status != "unreadable" for d in line.deliveries):
        return 0
    try:
        return count_open(line.id, known=known)
    except NomotaxError:
        return 1
