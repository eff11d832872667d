"""A file arrives: kept as it is, then read into a table."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from time import monotonic, sleep
from typing import IO, Any

import polars as pl
from sqlmodel import Session

from nomotax.artifacts.store import artifacts
from nomotax.core.errors import Conflict, NomotaxError, NotFound, UnreadableFile
from nomotax.core.reading.companions import JOIN_KINDS
from nomotax.core.reading.differs import differs_from_detected
from nomotax.core.reading.model import ArrivingTable, Detection, Reading, parse_reading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.profile import doubts, profile_columns
from nomotax.core.reading.read import Source, detect
from nomotax.core.reading.read import read as read_source
from nomotax.core.table import ROW
from nomotax.core.writing.arriving import with_held_rows
from nomotax.core.writing.tables import write_table
from nomotax.flows.beside import beside, with_new_name
from nomotax.flows.companions import (
    catalog_revision,
    companion_tables,
    feeds_leaning_on,
    refuse_circle,
)
from nomotax.flows.contracts import broken
from nomotax.flows.pictures import keep_pictures
from nomotax.records.database import session
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Deliveries, Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.secrets import lock, unlock
from nomotax.records.tables import Delivery
from nomotax.settings import settings

#: Deliveries are read by a worker; for those up to this size whoever sent them waits, but no more
#: than so many seconds.
AT_ONCE, PATIENCE = 12 << 20, 15.0
#: Seconds between two looks whether a delivery has been read.
_PAUSE = 0.05


def upload_limit() -> int:
    """The largest delivery taken, in bytes."""
    return settings().upload_limit


def receive(feed_id: int, file_name: str, stream: IO[bytes]) -> Delivery:
    """Keep a delivery and have it read with the feed's saved reading, or as detected. It is given
    as it is when it has been read, but a large one, or one that no worker has come to, with status
    "reading".

    A file that cannot be read is kept all the same, with the reason. Raises ``TooLarge``.
    """
    with session() as db:
        store_id = Feeds.holding(db, feed_id).store_id
    # The bytes before their record: a crash between the two leaves a file that nobody names, and
    # never a delivery without its file.
    received = artifacts().receive(stream, upload_limit())
    with session() as db:
        delivery = Deliveries(db, store_id).add(
            feed_id=feed_id,
            file_name=file_name,
            sha256=received.sha256,
            size=received.size,
            status="reading",
        )
        _ask(db, delivery)
    return awaited(delivery)


def take_in(
    feed_id: int,
    file_name: str,
    stream: IO[bytes],
    leaning: bool = True,
    also: Callable[[Session, Delivery], None] = lambda db, delivery: None,
) -> Delivery | None:
    """Keep what was fetched and read it here and now; ``leaning`` as well those that join it, and
    in the transaction that keeps it do something ``also``. None when the newest delivery has the
    same bytes.

    A file that cannot be read is kept all the same, with the reason. Raises ``TooLarge``,
    ``Conflict`` for a feed that was removed.
    """
    delivery = keep_once(feed_id, file_name, stream, also)
    return read(known_id(delivery), fresh=leaning) if delivery else None


def keep_once(
    feed_id: int,
    file_name: str,
    stream: IO[bytes],
    also: Callable[[Session, Delivery], None] = lambda db, delivery: None,
) -> Delivery | None:
    """Keep bytes as a delivery that is left with status "reading"; in the same transaction do
    something ``also``. None when the newest delivery has the same bytes. Raises ``TooLarge``,
    ``Conflict`` for a feed that was removed."""
    received = artifacts().receive(stream, upload_limit())
    with session() as db:
        # Behind the lock nobody else takes the same file in.
        feed = Feeds.holding(db, feed_id).locked(feed_id)
        if feed.removed_at:
            raise Conflict("The feed was removed meanwhile; nothing was taken.")
        deliveries = Deliveries(db, feed.store_id)
        newest = next(iter(deliveries.last(feed_id)), None)
        if newest is not None and newest.sha256 == received.sha256:
            # One that its worker did not live to read is read now.
            return newest if newest.status == "reading" else None
        delivery = deliveries.add(
            feed_id=feed_id, file_name=file_name, sha256=received.sha256, size=received.size,
            status="reading",
        )  # fmt: skip
        also(db, delivery)
        return delivery


def change_reading(delivery_id: int, reading: Reading) -> Delivery:
    """Have a delivery read another way, and where it can be, that reading saved on its feed. It is
    given as ``receive`` gives one. Raises ``Conflict`` for companions in a circle."""
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        refuse_circle(db, delivery.feed_id, reading)
        delivery.wanted = reading.model_dump(mode="json")
        _ask(db, delivery)
    return awaited(delivery)


def read(delivery_id: int, reading: Reading | None = None, fresh: bool = False) -> Delivery:
    """Read a delivery: with ``reading``, else with the feed's saved one, else as detected.

    A ``reading`` given here is saved on the feed for the next delivery. A ``fresh`` delivery
    brings new data to the feeds that use this one as a companion: theirs are read again.
    """
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        feed = Feeds(db, delivery.store_id).get(delivery.feed_id)
        saved = parse_reading(feed.reading) if feed.reading else None
    known = _Asked(delivery_id, delivery.wanted)
    chosen = reading or saved
    with source_of(delivery, feed.password) as source:
        try:
            found = _detected(source, chosen)
            chosen = chosen or found.reading
            with session() as db:
                used = _Used.of(db, delivery, chosen)
            table = read_source(source, chosen, used.tables, tell=_Progress(delivery_id))
            changed = []
            if reading is None and saved is not None:
                changed = differs_from_detected(saved, found)
            pictures, damaged = keep_pictures(source, f"tables/{delivery_id}-pictures.parquet")
            _become(delivery, table, chosen, [*changed, *damaged], used)
        except NomotaxError as error:
            return _keep_failure(known, error, reading)
    delivery.why, delivery.pictures_artifact = _reasons(chosen, found, saved is not None), pictures
    delivery.offers = [o.model_dump() for o in found.offers]
    # It is told as read once all is known of it: a run of it asks what is unusual, and what it
    # breaks.
    delivery.drift, delivery.breaches = beside(delivery), broken(delivery)
    done = _keep_read(delivery, chosen if reading is not None or saved is None else None)
    if fresh:
        # After the reading is saved: those that join this table must find the new one.
        read_leaning(done)
    return done


def table_file(delivery_id: int, kind: str) -> tuple[str, bytes]:
    """The table that a delivery became, companions joined and shapes changed, under a name: all
    text, with each row's number, and why it is held where it is. Raises ``NotFound`` when it could
    not be read."""
    with session() as db:
        known = Deliveries.holding(db, delivery_id).get(delivery_id)
    if known.table_artifact is None:
        raise NotFound(f"{known.file_name} could not be read.", remedy="Change how it is read.")
    frame = artifacts().scan(known.table_artifact).collect()
    row = next(n for n in ("row", "row number", "Nomotax row") if n not in known.columns)
    out = io.BytesIO()
    write_table(with_held_rows(frame).insert_column(0, frame[ROW].alias(row)), out, kind, "Rows")
    return f"{Path(known.file_name).stem}-as-read.{kind}", out.getvalue()


def read_anew(delivery_id: int) -> Delivery:
    """Have it read once more, as when a password has been given; given as ``receive`` gives one."""
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        _ask(db, delivery)
    return awaited(delivery)


def _ask(db: Session, delivery: Delivery) -> None:
    """Have a worker read it."""
    delivery.status, delivery.stage = "reading", "waiting for a worker"
    Deliveries(db, delivery.store_id).keep(delivery)
    enqueue(db, "read", delivery_id=known_id(delivery))


def awaited(delivery: Delivery) -> Delivery:
    """A delivery that a worker reads, as soon as it has been read: a small one, and for a while."""
    until = monotonic() + PATIENCE
    while delivery.status == "reading" and delivery.size <= AT_ONCE and monotonic() < until:
        sleep(_PAUSE)
        with session() as db:
            delivery = Deliveries(db, delivery.store_id).get(known_id(delivery))
    return delivery


def read_queued(delivery_id: int) -> Delivery:
    """A delivery that is left with status "reading", read; another one is as it was."""
    with session() as db:
        known = Deliveries.holding(db, delivery_id).get(delivery_id)
    if known.status != "reading":
        return known
    wanted = parse_reading(known.wanted) if known.wanted else None
    return read(delivery_id, wanted, fresh=not known.columns)


def _detected(source: Source, chosen: Reading | None) -> Detection:
    """What detection finds; a file it cannot make out may still be readable as chosen."""
    try:
        return detect(source)
    except UnreadableFile:
        if chosen is None:
            raise
        return Detection(chosen)


@contextmanager
def source_of(delivery: Delivery, password: str) -> Iterator[Source]:
    """The bytes of a delivery as a file on this machine."""
    with artifacts().local(f"deliveries/{delivery.sha256}") as path:
        yield Source(path, delivery.file_name, unlock(password))


class _Progress:
    """Tells how far a reading is, and hears that a person has stopped it."""

    def __init__(self, delivery_id: int) -> None:
        self.delivery_id = delivery_id

    def __call__(self, records: int) -> None:
        """Raises ``Conflict`` when a person has stopped the reading."""
        with session() as db:
            delivery = Deliveries.holding(db, self.delivery_id).get(self.delivery_id)
            if delivery.status == "stopped":
                raise Conflict("Stopped by hand.", remedy="Read it again from its reading.")
            delivery.stage = f"{records:,} records read"
            db.add(delivery)


def take_new_name(delivery_id: int, column: str, to: str) -> Delivery:
    """Read a delivery, and those that follow, so that the column which arrives as ``to`` is called
    ``column``, as everything saved calls it. Raises ``NotFound``."""
    return change_reading(delivery_id, with_new_name(delivery_id, column, to))


def stop_reading(delivery_id: int) -> Delivery:
    """Ask a reading under way to stop. Raises ``Conflict`` when none is."""
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        if delivery.status != "reading":
            raise Conflict("This delivery is not being read.")
        delivery.status, delivery.error = "stopped", "Stopped by hand."
        return Deliveries(db, delivery.store_id).keep(delivery)


def _reasons(chosen: Reading, found: Detection, saved: bool) -> dict[str, str]:
    """Detection's reasons, and for a choice that differs from it, who chose."""
    source = "saved on this feed" if saved else "chosen by hand"
    reasons = dict(found.why)
    detected = found.reading.model_dump()
    for name, value in chosen.model_dump().items():
        if name in ("reshape", "companions"):
            continue
        if name not in detected or value != detected[name]:
            known = detected.get(name)
            reasons[name] = source + (f"; detected was {known!r}" if known is not None else "")
    return reasons


@dataclass(frozen=True)
class _Asked:
    """A delivery that is read, and the reading that was wanted of it when that began."""

    delivery_id: int
    wanted: dict[str, Any] | None


def _keep_failure(known: _Asked, error: NomotaxError, reading: Reading | None) -> Delivery:
    with session() as db:
        delivery = Deliveries.holding(db, known.delivery_id).alone(known.delivery_id)
        if delivery.wanted != known.wanted:
            return delivery  # somebody wants it read otherwise by now
        if delivery.status != "stopped":
            delivery.status = "unreadable"
        delivery.error, delivery.stage, delivery.wanted = str(error), "", None
        delivery.table_artifact, delivery.rows, delivery.columns = None, 0, []
        delivery.drift, delivery.breaches = None, None
        if reading is not None:
            delivery.reading = reading.model_dump(mode="json")
        return Deliveries(db, delivery.store_id).keep(delivery)


@dataclass(frozen=True)
class _Used:
    """The tables that a reading joins, which deliveries of other feeds they are, and which
    revision of the catalog."""

    tables: dict[str, ArrivingTable]
    uses: dict[str, int]
    catalog: int | None

    @classmethod
    def of(cls, db: Session, delivery: Delivery, reading: Reading) -> _Used:
        # The revision comes first: a change between the two is seen the next time.
        catalog = catalog_revision(db, delivery.store_id, reading)
        return cls(*companion_tables(db, delivery.feed_id, reading), catalog)


@dataclass(frozen=True)
class _Kept:
    """A table that is kept, and what its columns are like."""

    name: str
    columns: list[str]
    profile: list[dict[str, Any]]
    doubts: list[ReadingProblem]

    def put(self, delivery: Delivery, used: _Used) -> None:
        """The delivery has this table."""
        delivery.table_artifact, delivery.columns = self.name, self.columns
        delivery.rows = self.profile[0]["rows"] if self.profile else 0
        delivery.profile, delivery.uses, delivery.catalog = self.profile, used.uses, used.catalog


def _kept_table(
    delivery_id: int, table: ArrivingTable, document: dict[str, Any], used: _Used
) -> _Kept:
    told = repr((document, sorted(used.uses.items()), used.catalog))
    digest = hashlib.sha256(told.encode()).hexdigest()[:12]
    name = f"tables/{delivery_id}-{digest}.parquet"
    artifacts().write_lazy(name, table.lazy)
    profiles = profile_columns(artifacts().scan(name))
    return _Kept(name, table.columns, [p.model_dump() for p in profiles], doubts(profiles))


def _as_kept(problems: list[ReadingProblem]) -> list[dict[str, Any]]:
    return [p.model_dump(exclude_none=True) for p in problems]


def joined_now(delivery_id: int) -> Delivery:
    """A delivery that joins the catalog, joined with it as it is by now; what a person has said of
    it stays. One that joins none, or no other one, is as it was."""
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        reading = parse_reading(delivery.reading) if delivery.reading else None
        if delivery.catalog is None or reading is None:
            return delivery
        if delivery.catalog == Stores(db).get(delivery.store_id).revision:
            return delivery
        used = _Used.of(db, delivery, reading)
        password = Feeds(db, delivery.store_id).get(delivery.feed_id).password
    with source_of(delivery, password) as source:
        table = read_source(source, reading, used.tables)
        kept = _kept_table(delivery_id, table, delivery.reading or {}, used)
    with session() as db:
        fresh = Deliveries(db, delivery.store_id).get(delivery_id)
        if fresh.reading == delivery.reading and fresh.table_artifact == delivery.table_artifact:
            told = [p for p in fresh.problems if p["kind"] not in JOIN_KINDS]
            joins = [p for p in table.problems if p.kind in JOIN_KINDS]
            fresh.problems = [*told, *_as_kept(joins)]
            kept.put(fresh, used)
        return Deliveries(db, delivery.store_id).keep(fresh)


def _become(
    delivery: Delivery,
    table: ArrivingTable,
    reading: Reading,
    changed: list[ReadingProblem],
    used: _Used,
) -> None:
    """The delivery as this table, which is kept; the delivery itself is not, yet."""
    delivery.reading = reading.model_dump(mode="json")
    kept = _kept_table(known_id(delivery), table, delivery.reading, used)
    delivery.problems = _as_kept([*changed, *table.problems, *kept.doubts])
    kept.put(delivery, used)
    delivery.complete, delivery.accepted = table.complete, False


def _keep_read(delivery: Delivery, saved: Reading | None) -> Delivery:
    """A delivery that has been read, kept; ``saved`` as the reading of its feed as well."""
    with session() as db:
        deliveries = Deliveries(db, delivery.store_id)
        now = deliveries.alone(known_id(delivery))
        if now.wanted != delivery.wanted:
            # Somebody wants it read otherwise by now: a worker is asked for that already, and
            # nothing of this reading is kept, neither here nor for the next delivery.
            return now
        db.expunge(now)
        delivery = deliveries.keep(delivery)
        # Whatever it was meanwhile, as told of its progress, it is read now.
        db.refresh(delivery, ["status", "error", "stage"])
        delivery.status, delivery.error, delivery.stage = "waiting", "", ""
        delivery.wanted = None
        if saved is not None:
            _save_reading(db, delivery.feed_id, saved)
        return Deliveries(db, delivery.store_id).keep(delivery)


def save_reading(feed_id: int, reading: Reading) -> None:
    """Keep a reading on a feed, for its next delivery."""
    with session() as db:
        _save_reading(db, feed_id, reading)


def _save_reading(db: Session, feed_id: int, reading: Reading) -> None:
    feed = Feeds.holding(db, feed_id).get(feed_id)
    feed.reading = reading.model_dump(mode="json")
    db.add(feed)


def read_leaning(fresh: Delivery, but: Collection[int] = ()) -> list[Delivery]:
    """Read the newest delivery of each feed that has this one as a companion again, as a
    delivery of its own: what was received before stays as it was. Those in ``but`` are left as
    they are; gives the deliveries that came of it."""
    with session() as db:
        source, deliveries = (
            Feeds(db, fresh.store_id).get(fresh.feed_id),
            Deliveries(db, fresh.store_id),
        )
        leaning = [f for f in feeds_leaning_on(db, fresh.feed_id) if f not in but]
        again = []
        for feed_id in leaning:
            again += [
                deliveries.add(
                    feed_id=feed_id,
                    file_name=d.file_name,
                    sha256=d.sha256,
                    size=d.size,
                    because=f"{source.name!r} brought {fresh.file_name}",
                    status="reading",
                )
                for d in deliveries.last(feed_id)
            ]
        ids = [known_id(d) for d in again]
    return [read(delivery_id, fresh=True) for delivery_id in ids]


def accept_incomplete(delivery_id: int) -> Delivery:
    """A person takes a file that broke off as it is: it may be prepared all the same."""
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        if delivery.complete or not delivery.table_artifact:
            raise Conflict("This delivery needs no such decision.")
        delivery.accepted = True
        return Deliveries(db, delivery.store_id).keep(delivery)


def set_password(feed_id: int, password: str) -> None:
    """The password of this feed's archives; "" for none."""
    with session() as db:
        feed = Feeds.holding(db, feed_id).get(feed_id)
        feed.password = lock(password)
        db.add(feed)


def has_password(feed_id: int) -> bool:
    with session() as db:
        return bool(Feeds.holding(db, feed_id).get(feed_id).password)


def delivery(delivery_id: int) -> Delivery:
    """Raises ``NotFound``."""
    with session() as db:
        return Deliveries.holding(db, delivery_id).get(delivery_id)


def table_rows(delivery_id: int, offset: int, limit: int) -> pl.DataFrame:
    """Rows of the table a delivery became. Raises ``NotFound`` when it could not be read."""
    artifact = delivery(delivery_id).table_artifact
    if artifact is None:
        raise NotFound("This delivery did not become a table.")
    return artifacts().scan(artifact).slice(offset, limit).collect()
