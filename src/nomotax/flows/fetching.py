"""Fetching a feed's next delivery from where it comes from, with those of its companions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from time import monotonic
from typing import IO, cast

import structlog
from pydantic import BaseModel
from sqlmodel import Session

from nomotax.core.errors import Conflict, NomotaxError, Overtaken, UnreadableFile
from nomotax.flows.messages import say, works
from nomotax.flows.receive import keep_once, read_leaning, read_queued, take_in
from nomotax.flows.scopes import scope_named
from nomotax.flows.sources import companions_of, open_secrets, saved_source
from nomotax.flows.turns import Policy, begin, parse_policy
from nomotax.intake.bringing import Known, bring, choose, looked, now_known, same_as_known
from nomotax.intake.failures import FetchStopped
from nomotax.intake.model import Source
from nomotax.intake.spool import Limits
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.fetches import ENDS, LEFT, Fetches
from nomotax.records.messages import Messages
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Deliveries, Feeds
from nomotax.records.repository import known_id
from nomotax.records.tables import Delivery, Feed, Fetch

log = structlog.get_logger()

#: So often, in seconds, a fetch says how far it is, and hears of a stop.
_OFTEN = 0.5
_SHOWN = 30
_STOPPED = "Stopped by hand; nothing more was taken."


class FetchLine(BaseModel):
    """One look at where deliveries come from, and what came of it."""

    id: int
    because: str
    scope: str
    by: str
    status: str
    stage: str
    said: str
    remedy: str
    done: int
    total: int | None
    files: list[str]
    deliveries: list[int]
    at: datetime
    started_at: datetime | None
    finished_at: datetime | None


def fetches_of(feed_id: int) -> list[FetchLine]:
    """The last looks at where a feed's deliveries come from, the newest first. Raises
    ``NotFound``."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        return [_line(one) for one in Fetches(db, feed.store_id).of_feed(feed_id, _SHOWN)]


def _line(one: Fetch) -> FetchLine:
    return FetchLine(
        id=known_id(one), because=one.because, scope=one.scope, by=one.author,
        status=one.status, stage=one.stage, said=one.said, remedy=one.remedy, done=one.done,
        total=one.total,
        files=[str(f["name"]) for f in one.files], deliveries=one.deliveries, at=one.at,
        started_at=one.started_at, finished_at=one.finished_at,
    )  # fmt: skip


def fetch_log(fetch_id: int) -> str:
    """How a fetch went, a line each. Raises ``NotFound``."""
    with session() as db:
        one = Fetches.holding(db, fetch_id).get(fetch_id)
    return "".join(f"{line['at']}  {line['text']}\n" for line in one.log)


def ask_for_fetch(
    feed_id: int, because: str = "asked by hand", may: Policy | None = None, scope: str = ""
) -> FetchLine:
    """Have a worker look for the next delivery of a feed; where one does so already it is that.
    With ``may`` that becomes of it, whatever the feed says; with a ``scope`` only that is taken.
    Raises ``Conflict`` for a feed that comes from nowhere, ``NotFound`` for a scope that it does
    not have."""
    with session() as db:
        return _line(ask(db, feed_id, because, may, scope))


def ask(
    db: Session, feed_id: int, because: str, may: Policy | None = None, scope: str = ""
) -> Fetch:
    """The same, in a transaction."""
    feeds = Feeds.holding(db, feed_id)
    feed = feeds.get(feed_id)
    if feed.removed_at:
        raise Conflict("This feed is removed.", remedy="Bring it back first.")
    if not any(one.source for one in [feed, *companions_of(db, feed)]):
        raise Conflict(
            "Nobody has said where the deliveries of this feed come from.",
            remedy="Say so on its profile, or bring a file by hand.",
        )
    scope_named(feed, scope)
    fetches = Fetches(db, feed.store_id)
    known = fetches.under_way(feed_id, scope)
    if known is None:
        known = fetches.add(feed_id, because, may=may or "", scope=scope)
        enqueue(db, "fetch", lock=f"fetch {feed_id}", fetch_id=known_id(known))
    return known


def stop_fetch(fetch_id: int) -> FetchLine:
    """Stop a fetch. Raises ``Conflict`` for one that has ended."""
    with session() as db:
        fetches = Fetches.holding(db, fetch_id)
        one = fetches.get(fetch_id)
        if one.status in ENDS:
            raise Conflict("This fetch has ended.")
        fetches.end(one, "stopped", _STOPPED)
        return _line(one)


@dataclass
class _Telling:
    """Keeps how far a fetch is, now and then, and hears that a person has stopped it."""

    fetch: Fetch
    _last: float = 0.0
    _stage: str = ""

    def __call__(self, stage: str, done: int = 0, total: int | None = None) -> None:
        """Raises ``FetchStopped``, ``Overtaken``."""
        if stage == self._stage and monotonic() - self._last < _OFTEN:
            return
        fresh, self._stage, self._last = stage != self._stage, stage, monotonic()
        with session() as db:
            fetches = Fetches(db, self.fetch.store_id)
            one = fetches.alone(self.fetch)
            if one.status in ENDS:
                raise FetchStopped(_STOPPED)
            one.stage, one.done, one.total = stage, done, total
            if fresh:
                fetches.note(one, stage)
            db.add(one)

    def taken(self, db: Session, delivery: Delivery) -> None:
        """Keep what is taken with the fetch from its first moment on: whoever goes on with it,
        where this worker dies, finds it there. Raises ``Overtaken``; then nothing is taken."""
        one = Fetches(db, self.fetch.store_id).alone(self.fetch)
        one.deliveries = [*one.deliveries, known_id(delivery)]
        db.add(one)


@dataclass
class _Outcome:
    """What came of a look: how it ended, in a word and in plain ones, and what was taken, also
    where it failed in the middle. ``again`` is what had come before, and was gone on with now."""

    status: str = "unchanged"
    said: str = "It is brought by hand; what completes it was looked for."
    remedy: str = ""
    taken: list[Delivery] = field(default_factory=list)
    again: list[Delivery] = field(default_factory=list)


def fetch_queued(fetch_id: int) -> None:
    """What a worker does with a fetch that waits: that of a feed's companions first, so that what
    comes together is one delivery. What goes wrong is kept with it. A worker that was slow, and
    counted as gone, leaves it to the one that has taken it up since."""
    try:
        _fetch_queued(fetch_id)
    except Overtaken as error:
        log.warning("fetch overtaken", fetch=fetch_id, said=error.message)


def _fetch_queued(fetch_id: int) -> None:
    with session() as db:
        fetches = Fetches.holding(db, fetch_id)
        one = fetches.get(fetch_id)
        if one.status in ENDS:
            return
        fetches.take_up(one)
        feed = Feeds(db, one.store_id).get(one.feed_id)
        others = [c for c in companions_of(db, feed) if c.source and not c.removed_at]
    fresh = [d for other in others for d in _of_companion(other, one)]
    found = _fetch(feed, one) if feed.source else _Outcome()
    for delivery in [*found.taken, *_complete(fresh, feed, read_already=bool(found.taken))]:
        own = delivery.feed_id == feed.id
        if own and delivery not in found.taken:
            found.taken.append(delivery)
            found.said += f" It was read again: {delivery.because}."
            found.status = "new" if found.status == "unchanged" else found.status
        _begin(delivery, one, found, own)
    if found.status in ("unchanged", "nothing") and not found.taken:
        _begin_known(one, found)
    _end(one, found)


def _begin_known(fetch: Fetch, found: _Outcome) -> None:
    """What came by itself before is gone on with as far as nobody has: another scope of it may be
    asked for now, or its feed may be mapped since."""
    with session() as db:
        newest = next(iter(Deliveries(db, fetch.store_id).last(fetch.feed_id)), None)
        known = newest and Fetches(db, fetch.store_id).brought(fetch.feed_id, known_id(newest))
    if newest and known and _begin(newest, fetch, found, own=True):
        what = f" Its {fetch.scope} is taken from it." if fetch.scope else " It is prepared now."
        found.said += what
        found.again = [newest]


def _begin(delivery: Delivery, fetch: Fetch, found: _Outcome, own: bool) -> bool:
    """Go on with what has come, and say whether that is so; why it cannot be is said with the
    fetch."""
    with session() as db:
        Fetches(db, fetch.store_id).alone(fetch)
    try:
        return begin(
            delivery, parse_policy(fetch.may) if own else None, fetch.scope if own else ""
        ) is not None  # fmt: skip
    except NomotaxError as error:
        found.said += f" {delivery.file_name} could not be prepared: {error.message}"
        found.remedy = found.remedy or error.remedy or "Its bench says more."
        return False


def _of_companion(other: Feed, asked: Fetch) -> list[Delivery]:
    with session() as db:
        fetches, key = Fetches(db, other.store_id), known_id(other)
        # A worker that died may have begun it.
        own = fetches.part_of(known_id(asked), key)
        own = own or fetches.add(key, f"for fetch {asked.id}", parent_id=asked.id)
        fetches.take_up(own)
    found = _fetch(other, own, leaning=False)
    _end(own, found)
    return found.taken


def _complete(fresh: Sequence[Delivery], feed: Feed, read_already: bool) -> list[Delivery]:
    """Whoever joins what has come is read again with it, but for one that has just been."""
    done: set[int] = {known_id(feed)} if read_already else set()
    made: list[Delivery] = []
    for delivery in fresh:
        again = read_leaning(delivery, done)
        done |= {one.feed_id for one in again}
        made += again
    return made


def _fetch(feed: Feed, fetch: Fetch, leaning: bool = True) -> _Outcome:
    """One source looked at, and what is new there taken."""
    tell, taken = _Telling(fetch), _taken_before(fetch)
    try:
        with session() as db:
            one = Fetches(db, fetch.store_id).alone(fetch)
            one.status, one.started_at = "fetching", one.started_at or now()
            db.add(one)
        source = saved_source(feed)
        assert source is not None, "only feeds with a source are fetched"
        status, said = _take_all(feed, source, tell, leaning, taken)
        if taken:
            status, said = "new", _came(taken)
        return _Outcome(status, said, taken=taken)
    except FetchStopped as stopped:
        return _Outcome("stopped", stopped.message, taken=taken)
    except Overtaken:
        raise
    except NomotaxError as error:
        where = f" ({error.where})" if error.where else ""
        return _Outcome("failed", f"{error.message}{where}", error.remedy, taken)
    except Exception as error:
        said = f"A fault of the program: {type(error).__name__}."
        _end(fetch, _Outcome("failed", said, "The workers' log says more.", taken))
        raise


def _taken_before(fetch: Fetch) -> list[Delivery]:
    """What a worker had taken that did not live to go on with it; read where it is not yet."""
    with session() as db:
        deliveries = Deliveries(db, fetch.store_id)
        known = [deliveries.get(one) for one in fetch.deliveries]
    return [read_queued(known_id(d)) if d.status == "reading" else d for d in known]


def _take_all(
    feed: Feed, source: Source, tell: _Telling, leaning: bool, taken: list[Delivery]
) -> tuple[str, str]:
    """Add the deliveries that are new to ``taken``; how it ended where there are none, in a word
    and in plain ones."""
    known = Known.model_validate(feed.known or {})
    limits = Limits.usual()
    tell("looking")
    looked_at = now()
    with looked(source, open_secrets(feed), limits, tell) as (place, found):
        groups = choose(source, found, known)
        if not groups:
            if found:
                return "unchanged", f"Nothing new: {len(found):,} files are known already."
            return "nothing", "No file of that name is there."
        if len(groups) == 1 and same_as_known(groups[0], known):
            return "unchanged", f"{_names(groups[0])}: the same as before."
        for n, group in enumerate(groups):
            with bring(source, place, group, known, limits, tell) as brought:
                if brought is None:
                    continue
                tell(f"reading {brought.name}")
                _keep_files(tell.fetch, brought.files)
                with brought.path.open("rb") as stream:
                    delivery = take_in(known_id(feed), brought.name, stream, leaning, tell.taken)
                if delivery is not None:
                    taken.append(delivery)
                done = groups[: n + 1]
                now_is = now_known(source, found, known, done, brought.files, looked_at)
                _keep_known(tell.fetch, feed, source, now_is)
    names = ", ".join(_names(group) for group in groups)
    return "unchanged", f"{names}: the same bytes as before."


def _names(found: Sequence[object]) -> str:
    names = [getattr(one, "name", "") for one in found]
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _came(taken: Sequence[Delivery]) -> str:
    told = []
    for one in taken:
        if one.table_artifact:
            told.append(f"{one.file_name} came: {one.rows:,} rows.")
        else:
            told.append(f"{one.file_name} came, and cannot be read: {one.error}")
    return " ".join(told)


def _keep_files(fetch: Fetch, files: Sequence[BaseModel]) -> None:
    with session() as db:
        one = Fetches(db, fetch.store_id).alone(fetch)
        one.files = [*one.files, *(f.model_dump(mode="json") for f in files)]
        db.add(one)


def _keep_known(fetch: Fetch, feed: Feed, source: Source, known: Known) -> None:
    """What the source holds by now, unless somebody has set another one meanwhile."""
    with session() as db:
        Fetches(db, fetch.store_id).alone(fetch)
        fresh = Feeds(db, feed.store_id).get(known_id(feed))
        if saved_source(fresh) == source:
            fresh.known = known.model_dump(mode="json")
            db.add(fresh)


class _Whole:
    """A stream that is known to be of so many bytes. Raises ``UnreadableFile`` at its end when it
    was not."""

    def __init__(self, stream: IO[bytes], length: int | None) -> None:
        self._stream, self._length, self._came = stream, length, 0

    def read(self, size: int = -1) -> bytes:
        piece = self._stream.read(size)
        self._came += len(piece)
        if not piece and self._length is not None and self._came != self._length:
            raise UnreadableFile(
                f"{self._came:,} bytes came of {self._length:,}; nothing was taken.",
                remedy="Send it once more.",
            )
        if not piece and not self._came:
            raise UnreadableFile("The file is empty; nothing was taken.")
        return piece


def take_sent(
    feed_id: int, name: str, stream: IO[bytes], length: int | None
) -> tuple[FetchLine, int | None]:
    """Take a file that was sent, of ``length`` bytes where that is known, and keep that it was.
    Gives that with the delivery's id; None for the same bytes as before. Raises ``TooLarge``,
    ``UnreadableFile`` for a part of a file."""
    kept: list[FetchLine] = []

    def note(db: Session, delivery: Delivery) -> None:
        kept.append(_note_sent(db, feed_id, name, delivery))

    delivery = keep_once(feed_id, name, cast("IO[bytes]", _Whole(stream, length)), note)
    if not kept:
        with session() as db:
            kept.append(_note_sent(db, feed_id, name, None))
    return kept[0], known_id(delivery) if delivery else None


def _note_sent(db: Session, feed_id: int, name: str, delivery: Delivery | None) -> FetchLine:
    """A file was sent; a worker reads it where it is a new one."""
    fetches = Fetches(db, Feeds.holding(db, feed_id).get(feed_id).store_id)
    one = fetches.add(feed_id, "sent to us", files=[{"name": name}])
    if delivery is None:
        fetches.end(one, "unchanged", f"{name}: the same bytes as before.")
    else:
        one.deliveries = [known_id(delivery)]
        fetches.end(one, "new", f"{name} came.")
        # What is sent, and what is fetched, goes on in the order in which it came.
        enqueue(db, "read_sent", lock=f"fetch {feed_id}", fetch_id=known_id(one))
    return _line(one)


def read_sent(fetch_id: int) -> None:
    """What a worker does with a file that was sent: it is read, and gone on with as its feed
    may."""
    with session() as db:
        fetch = Fetches.holding(db, fetch_id).get(fetch_id)
    for delivery_id in fetch.deliveries:
        delivery = read_queued(delivery_id)
        found = _Outcome("new", _came([delivery]))
        _begin(delivery, fetch, found, own=True)
        with session() as db:
            fetches = Fetches(db, fetch.store_id)
            one = fetches.get(fetch_id)
            one.said, one.remedy = found.said, found.remedy
            fetches.note(one, found.said)
            found.taken = [delivery]
            _tell(db, one, found)


def _end(fetch: Fetch, found: _Outcome) -> None:
    with session() as db:
        fetches = Fetches(db, fetch.store_id)
        one = fetches.alone(fetch)
        one.deliveries = [known_id(d) for d in (*found.taken, *found.again)]
        fetches.end(one, found.status, found.said, found.remedy)
        _tell(db, one, found)


def _tell(db: Session, fetch: Fetch, found: _Outcome) -> None:
    """Who is told of feeds hears of what cannot be fetched, read or prepared, and that it can
    be again."""
    feed_id, profile = fetch.feed_id, f"feeds/{fetch.feed_id}/profile"
    # That nothing new is there does not mend what came last and cannot be read.
    last = found.taken or Deliveries(db, fetch.store_id).last(feed_id)
    unread = [d for d in last if not d.table_artifact and d.status != "reading"]
    if fetch.status == "failed":
        say(db, feed_id, "failed", f"It could not be fetched: {found.said}", profile, found.remedy)
    elif unread and fetch.status != "stopped":
        place = f"feeds/{feed_id}/reading?delivery={known_id(unread[-1])}"
        said = found.said if found.taken else _came(unread[-1:])
        say(db, feed_id, "failed", said, place, found.remedy)
    elif found.remedy and fetch.status != "stopped":
        say(db, feed_id, "failed", found.said, f"feeds/{feed_id}/bench", found.remedy)
    elif fetch.status != "stopped":
        works(db, feed_id, f"It is fetched again: {found.said}")
    if found.taken:
        Messages(db, fetch.store_id).end(feed_id, "silent")


def give_up() -> None:
    """Fetches that no job is left for say so: their job failed its worker several times."""
    with session() as db:
        left = list(db.connection().execute(LEFT).scalars())
        for fetch_id in left:
            fetches = Fetches.holding(db, fetch_id)
            fetches.end(
                fetches.get(fetch_id), "failed", "Interrupted again and again.",
                "Ask for it once more; if it fails again, look into the workers' log.",
            )  # fmt: skip
