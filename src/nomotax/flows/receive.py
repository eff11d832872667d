"""A file arrives: kept as it is, then read into a table."""

from __future__ import annotations

import hashlib
import os
from dataclasses import dataclass
from typing import IO

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.errors import NomotaxError, NotFound
from nomotax.core.reading.delimited import read_delimited
from nomotax.core.reading.detect import HEAD_BYTES, detect
from nomotax.core.reading.model import ArrivingTable, Reading
from nomotax.core.reading.profile import profile_table
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds, known_id
from nomotax.records.tables import Delivery

_RAW_LINES = 60
_RAW_WIDTH = 2000


def upload_limit() -> int:
    """The largest delivery taken, in bytes."""
    return int(os.environ.get("NOMOTAX_UPLOAD_LIMIT_MB", "1024")) << 20


def receive(feed_id: int, file_name: str, stream: IO[bytes]) -> Delivery:
    """Keep a delivery and read it with the feed's saved reading, or as detected.

    A file that cannot be read is kept all the same, with the reason. Raises ``TooLarge``.
    """
    with session() as db:
        Feeds(db).get(feed_id)
    received = artifacts().receive(stream, upload_limit())
    with session() as db:
        delivery = Deliveries(db).add(
            Delivery(
                feed_id=feed_id, file_name=file_name, sha256=received.sha256, size=received.size
            )
        )
        delivery_id = known_id(delivery)
    return read(delivery_id)


def read(delivery_id: int, reading: Reading | None = None) -> Delivery:
    """Read a delivery anew: with ``reading``, else with the feed's saved one, else as detected.
    A ``reading`` given here is saved on the feed for the next delivery."""
    with session() as db:
        delivery = Deliveries(db).get(delivery_id)
        feed = Feeds(db).get(delivery.feed_id)
        saved = Reading.model_validate(feed.reading) if feed.reading else None
    why: dict[str, str] = {}
    try:
        data = artifacts().read(_bytes_name(delivery))
        detection = detect(data[:HEAD_BYTES])
        chosen = reading or saved or detection.reading
        why = _reasons(chosen, detection.reading, detection.why, saved is not None)
        table = read_delimited(data, chosen)
    except NomotaxError as error:
        return _keep_failure(delivery_id, str(error), reading)
    return _keep_table(delivery_id, table, chosen, why, save=reading is not None or saved is None)


def _reasons(
    chosen: Reading, detected: Reading, why: dict[str, str], saved: bool
) -> dict[str, str]:
    """Detection's reasons, and for a choice that differs from it, who chose."""
    source = "saved on this feed" if saved else "chosen by hand"
    reasons = dict(why)
    for name, value in chosen.model_dump().items():
        found = getattr(detected, name)
        if value != found:
            reasons[name] = f"{source}; detected was {found!r}"
    return reasons


def _bytes_name(delivery: Delivery) -> str:
    return f"deliveries/{delivery.sha256}"


def _keep_failure(delivery_id: int, message: str, reading: Reading | None) -> Delivery:
    with session() as db:
        delivery = Deliveries(db).get(delivery_id)
        delivery.status, delivery.error = "unreadable", message
        delivery.table_artifact, delivery.rows, delivery.columns = None, 0, []
        if reading is not None:
            delivery.reading = reading.model_dump()
        return Deliveries(db).add(delivery)


def _keep_table(
    delivery_id: int, table: ArrivingTable, reading: Reading, why: dict[str, str], *, save: bool
) -> Delivery:
    digest = hashlib.sha256(reading.model_dump_json().encode()).hexdigest()[:12]
    name = f"tables/{delivery_id}-{digest}.parquet"
    artifacts().write_frame(name, table.frame)
    profile = [p.model_dump() for p in profile_table(table)]
    with session() as db:
        delivery = Deliveries(db).get(delivery_id)
        delivery.status, delivery.error = "waiting", ""
        delivery.reading, delivery.why = reading.model_dump(), why
        delivery.columns, delivery.rows = table.columns, table.rows
        delivery.problems = [p.model_dump(exclude_none=True) for p in table.problems]
        delivery.profile, delivery.table_artifact = profile, name
        if save:
            feed = Feeds(db).get(delivery.feed_id)
            feed.reading = reading.model_dump()
            db.add(feed)
        return Deliveries(db).add(delivery)


def delivery(delivery_id: int) -> Delivery:
    """Raises ``NotFound``."""
    with session() as db:
        return Deliveries(db).get(delivery_id)


def table_rows(delivery_id: int, offset: int, limit: int) -> pl.DataFrame:
    """Rows of the table a delivery became. Raises ``NotFound`` when it could not be read."""
    artifact = delivery(delivery_id).table_artifact
    if artifact is None:
        raise NotFound("This delivery did not become a table.")
    return artifacts().scan(artifact).slice(offset, limit).collect()


@dataclass(frozen=True)
class RawLines:
    """The head of a delivery as bytes: one text a line, each character standing for one byte."""

    lines: list[str]
    size: int


def raw_lines(delivery_id: int) -> RawLines:
    """The first lines of a delivery as they are, byte for byte (decoded as Latin-1)."""
    with session() as db:
        delivery = Deliveries(db).get(delivery_id)
    head = artifacts().head(_bytes_name(delivery), HEAD_BYTES)
    lines = head.split(b"\n")[:_RAW_LINES]
    return RawLines([line[:_RAW_WIDTH].decode("latin-1") for line in lines], delivery.size)
