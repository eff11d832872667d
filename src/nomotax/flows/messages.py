"""What people are told: in the application, and by what is told outward (``flows.telling``)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from pydantic import BaseModel
from sqlalchemy import text
from sqlmodel import Session

from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.feed_changes import note_change
from nomotax.records.fetches import Fetches
from nomotax.records.messages import Message, MessageKind, Messages
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Feed

_SHOWN = 200
_LONGEST = 1000


class MessageLine(BaseModel):
    """A message; ``over`` when it is not so any more."""

    id: int
    feed_id: int
    feed: str
    kind: MessageKind
    said: str
    remedy: str
    place: str
    times: int
    at: datetime
    last_at: datetime
    seen: bool
    over: bool


class MessageList(BaseModel):
    """The newest messages, and how many nobody has seen."""

    messages: list[MessageLine]
    unseen: int


def say(
    db: Session, feed_id: int, kind: MessageKind, said: str, place: str, remedy: str = ""
) -> None:
    """Have people know something of a feed; what they know already is said once. Where it can be
    told outward, a worker does so."""
    feed = Feeds.holding(db, feed_id).get(feed_id)
    messages = Messages(db, feed.store_id)
    made = Message(
        store_id=feed.store_id, feed_id=feed_id, kind=kind, said=said[:_LONGEST],
        remedy=remedy[:_LONGEST], place=place,
        # That something works again is so at one moment only.
        ended_at=now() if kind == "recovered" else None,
    )  # fmt: skip
    if not messages.begin(made):
        messages.again(made)
        return
    told = Stores(db).get(feed.store_id).told
    # Each way is a job of its own: where one fails, the other is not gone again.
    if told.get("hook"):
        enqueue(db, "call", message_id=known_id(made))
    if told.get("mail") and not told.get("digest"):
        enqueue(db, "mail", message_id=known_id(made))


def works(db: Session, feed_id: int, said: str) -> None:
    """Something of a feed went well. Where something of it had failed, and nothing has any more,
    that is told."""
    feed = Feeds.holding(db, feed_id).get(feed_id)
    messages = Messages(db, feed.store_id)
    if messages.standing(feed_id, "failed") is None or _is_broken(db, feed):
        return
    messages.end(feed_id, "failed")
    say(db, feed_id, "recovered", said, f"feeds/{feed_id}/profile")


def _is_broken(db: Session, feed: Feed) -> bool:
    """Whether the last look at a feed's source failed, or what came last could not be read, or not
    be prepared or applied, or is not as far yet."""
    feed_id = known_id(feed)
    looks = Fetches(db, feed.store_id).of_feed(feed_id, _LOOKS)
    last = next(
        (one for one in looks if one.status in ("new", "unchanged", "nothing", "failed")), None
    )
    if last is not None and last.status == "failed":
        return True
    newest = next(iter(Deliveries(db, feed.store_id).last(feed_id)), None)
    if newest is None:
        return False
    if not newest.table_artifact or newest.status == "reading":
        return True
    run = Runs(db, feed.store_id).newest_of([known_id(newest)]).get(known_id(newest))
    if run is None:
        return last is not None and bool(last.remedy)
    return bool(run.error) or run.status in ("queued", "preparing", "applying")


def messages_of(store_id: int) -> MessageList:
    """Raises ``NotFound``."""
    with session() as db:
        Stores(db).get(store_id)
        messages = Messages(db, store_id)
        names = {known_id(f): f"{s.name}, {f.name}" for f, s in Feeds(db, store_id).all()}
        return MessageList(
            messages=[_line(one, names) for one in messages.newest(_SHOWN)],
            unseen=messages.unseen(),
        )


def _line(one: Message, names: dict[int, str]) -> MessageLine:
    return MessageLine(
        feed=names.get(one.feed_id, "a removed feed"), seen=one.seen_at is not None,
        over=one.ended_at is not None,
        **one.model_dump(exclude={"store_id", "mailed_at", "called_at"}),
    )  # fmt: skip


def mark_seen(store_id: int, ids: Sequence[int] | None = None) -> MessageList:
    """A person has seen some messages, or all of them. Raises ``NotFound``."""
    with session() as db:
        Messages(db, store_id).see(ids)
    return messages_of(store_id)


_SILENT = text(
    "select f.id, f.quiet_days, max(d.received_at) from feeds f join deliveries d "
    "on d.feed_id = f.id and d.removed_at is null where f.quiet_days is not null "
    "and f.removed_at is null group by f.id, f.quiet_days"
)
#: A look that has ended, and was not stopped, is among so many.
_LOOKS = 20


def look_for_silence(at: datetime | None = None) -> int:
    """Tell of feeds that have brought nothing new for longer than is expected of them; gives how
    many are silent. A new delivery ends it."""
    moment, silent = at or now(), 0
    with session() as db:
        for feed_id, days, last in db.connection().execute(_SILENT).all():
            known = Messages(db, Feeds.holding(db, feed_id).store_id)
            if moment - last <= timedelta(days=days):
                # Also one that was brought by hand.
                known.end(feed_id, "silent")
                continue
            silent += 1
            if known.standing(feed_id, "silent") is None:
                said = f"Nothing new for {(moment - last).days} days; {days} are expected at most."
                say(db, feed_id, "silent", said, f"feeds/{feed_id}/profile")
    return silent


def expect_within(feed_id: int, days: int | None) -> None:
    """Say how many days a feed may bring nothing new; None for any number. Raises ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        if days != feed.quiet_days:
            told = f"after {days} days" if days else "never"
            note_change(db, feed, f"that nothing new comes is told {told}")
        feed.quiet_days = days
        Messages(db, feed.store_id).end(feed_id, "silent")
        db.add(feed)
