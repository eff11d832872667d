"""When feeds are fetched by themselves."""

from __future__ import annotations

from datetime import datetime

import structlog
from pydantic import BaseModel, Field

from nomotax.core.cron import Cron
from nomotax.core.errors import Conflict, NomotaxError
from nomotax.flows.fetching import ask
from nomotax.flows.messages import say
from nomotax.flows.scopes import scope_named
from nomotax.flows.sources import companions_of
from nomotax.flows.turns import SAID, Policy, parse_policy
from nomotax.records.actors import acting, at_work
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.repositories import Feeds
from nomotax.records.repository import known_id
from nomotax.records.schedules import Schedules, due
from nomotax.records.tables import Schedule

log = structlog.get_logger()

#: So many of the next times are shown.
_SHOWN = 5


class Times(BaseModel):
    """When a schedule comes, in plain words, and its next times."""

    said: str
    next: list[datetime]


class ScheduleLine(Times):
    """A schedule; ``scope`` is what it is of, "" for all fields."""

    id: int
    scope: str
    expression: str
    zone: str
    paused: bool
    last_at: datetime | None


class FeedSchedules(BaseModel):
    """When a feed is fetched by itself, and what then becomes of what comes (``may``); it may bring
    nothing new for ``quiet_days``, null for any number."""

    schedules: list[ScheduleLine]
    may: Policy
    quiet_days: int | None


class ScheduleEdit(Cron):
    paused: bool = False
    scope: str = Field(default="", max_length=40)


def times_of(cron: Cron) -> Times:
    """When it comes."""
    return Times(said=cron.said, next=cron.after(now(), _SHOWN))


def schedules_of(feed_id: int) -> FeedSchedules:
    """Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        found = Schedules(db, feed.store_id).of_feed(feed_id)
        may, quiet = parse_policy(feed.may) or "wait", feed.quiet_days
    return FeedSchedules(schedules=[_line(one) for one in found], may=may, quiet_days=quiet)


def _line(one: Schedule) -> ScheduleLine:
    cron = Cron(expression=one.expression, zone=one.zone)
    times = times_of(cron)
    return ScheduleLine(
        id=known_id(one), scope=one.scope, expression=one.expression, zone=one.zone,
        paused=one.paused, last_at=one.last_at, said=times.said,
        next=[] if one.paused else times.next,
    )  # fmt: skip


def add_schedule(feed_id: int, wanted: ScheduleEdit) -> FeedSchedules:
    """Fetch a feed by itself from now on. Raises ``Conflict`` for one that comes from nowhere."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        if not any(one.source for one in [feed, *companions_of(db, feed)]):
            raise Conflict(
                "Nobody has said where the deliveries of this feed come from.",
                remedy="Say so first; then they can be fetched by themselves.",
            )
    keep_schedule(feed_id, wanted)
    return schedules_of(feed_id)


def keep_schedule(feed_id: int, wanted: ScheduleEdit) -> None:
    """Keep a schedule of a feed, wherever its deliveries come from."""
    with session() as db:
        feeds = Feeds.holding(db, feed_id)
        store_id = feeds.store_id
        scope_named(feeds.get(feed_id), wanted.scope)
        made = Schedule(
            store_id=store_id, feed_id=feed_id, expression="", zone="", actor=at_work(db)
        )
        note_change(db, feeds.get(feed_id), f"is fetched by itself: {_told(wanted)}")
        Schedules(db, store_id).keep(_set(made, wanted))


def set_schedule(schedule_id: int, wanted: ScheduleEdit) -> FeedSchedules:
    """Change or pause a schedule. Raises ``NotFound``."""
    with session() as db:
        schedules = Schedules.holding(db, schedule_id)
        known = schedules.get(schedule_id)
        feed = Feeds(db, schedules.store_id).get(known.feed_id)
        scope_named(feed, wanted.scope)
        note_change(db, feed, f"is fetched by itself: {_told(wanted)}")
        one = schedules.keep(_set(known, wanted))
    return schedules_of(one.feed_id)


def _told(one: ScheduleEdit) -> str:
    scope = f"{one.scope}, " if one.scope else ""
    return f"{scope}{one.said}, {one.zone}" + (", paused" if one.paused else "")


def _set(one: Schedule, wanted: ScheduleEdit) -> Schedule:
    one.expression, one.zone, one.paused = wanted.expression, wanted.zone, wanted.paused
    one.scope = wanted.scope
    one.next_at = None if wanted.paused else next(iter(wanted.after(now())), None)
    return one


def drop_schedule(schedule_id: int) -> FeedSchedules:
    """Raises ``NotFound``."""
    with session() as db:
        schedules = Schedules.holding(db, schedule_id)
        one = schedules.get(schedule_id)
        feed = Feeds(db, schedules.store_id).get(one.feed_id)
        gone = ScheduleEdit(expression=one.expression, zone=one.zone, scope=one.scope)
        note_change(db, feed, f"is not fetched by itself any more: {_told(gone)}")
        schedules.remove(one)
    return schedules_of(one.feed_id)


def set_policy(feed_id: int, may: Policy) -> FeedSchedules:
    """Say what becomes of a delivery that comes by itself. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        if may != feed.may:
            note_change(db, feed, f"what comes by itself {SAID[may]}")
        feed.may = may
        db.add(feed)
    return schedules_of(feed_id)


def fire_due(at: datetime | None = None) -> int:
    """Ask for the fetches whose time has come by ``at``, once each however many workers look, and
    once for all the times that nobody was there to see; gives how many. A time is over in the
    transaction that asks: a worker that dies meanwhile leaves it to the next."""
    moment = at or now()
    with session() as db, acting("schedule", "by schedule"):
        ready = due(db, moment)
        for one in ready:
            try:
                cron = Cron(expression=one.expression, zone=one.zone)
                comes = next(iter(cron.after(moment)), None)
            except Exception as error:
                # Kept by another version, or of a zone that is not known here: nothing else waits.
                log.exception("a schedule cannot be worked out", schedule=one.id)
                one.next_at, one.paused = None, True
                said = f"Its schedule '{one.expression}' ({one.zone}) cannot be worked out, and is "
                said += f"paused: {error}"
                say(db, one.feed_id, "failed", said, f"feeds/{one.feed_id}/profile")
                continue
            one.last_at, one.next_at = moment, comes
            db.add(one)
            try:
                with db.begin_nested():
                    ask(db, one.feed_id, f"by schedule: {cron.said}", scope=one.scope)
            except NomotaxError as error:
                log.warning("a schedule could not begin", feed=one.feed_id, error=str(error))
        return len(ready)
