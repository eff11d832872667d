"""Looking at a delivery while its reading is being chosen: detection, preview, the bytes."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from nomotax.core.errors import NomotaxError, UnreadableFile
from nomotax.core.reading import archive
from nomotax.core.reading.mending import mended
from nomotax.core.reading.model import ArrivingTable, Detection, Reading
from nomotax.core.reading.read import Source, detect, in_archive
from nomotax.core.reading.read import read as read_source
from nomotax.core.reading.signature import kind_of
from nomotax.core.reading.workbook import sheet_cells, sheet_names
from nomotax.flows.companions import companion_tables
from nomotax.flows.receive import source_of
from nomotax.records.database import session
from nomotax.records.repositories import Deliveries, Feeds
from nomotax.records.tables import Delivery, Feed

PREVIEW_ROWS = 200
_RAW_LINES = 60
_RAW_WIDTH = 2000
_RAW_BYTES = 256 * 1024
_RAW_ROWS = 40


def detection(delivery_id: int, part: str = "") -> Detection:
    """How the delivery, or one file or sheet of it, would be read without any saved choice.
    Raises ``UnreadableFile``."""
    delivery, feed = _known(delivery_id)
    with source_of(delivery, feed.password) as source:
        return detect(source, part)


def preview(delivery_id: int, reading: Reading) -> ArrivingTable:
    """The table that the head of the file becomes: quick for any size. Raises
    ``UnreadableFile``."""
    delivery, feed = _known(delivery_id)
    with source_of(delivery, feed.password) as source:
        with session() as db:
            tables, _ = companion_tables(db, delivery.feed_id, reading)
        table = read_source(source, reading, tables, limit=PREVIEW_ROWS)
        return ArrivingTable(table.lazy.collect().lazy(), table.problems, table.complete)


@dataclass(frozen=True)
class Raw:
    """The head of a delivery as it is. Text: one string a line, each character standing for one
    byte. A workbook: the first ``cells`` of a sheet, as they are shown."""

    file: str
    lines: list[str] = field(default_factory=list)
    cells: list[list[str | None]] = field(default_factory=list)
    files: list[archive.Entry] = field(default_factory=list)


def raw(delivery_id: int, part: str = "") -> Raw:
    """The first lines or cells of a delivery; ``part`` names a file of an archive or a sheet."""
    delivery, feed = _known(delivery_id)
    reading = delivery.reading or {}
    with source_of(delivery, feed.password) as source, _mended_or_as_is(source.path) as path:
        kind = kind_of_or_none(path)
        if kind == "zip":
            given = Source(path, source.label, source.password)
            return _raw_archive(given, part or (reading.get("files") or [""])[0], reading)
        if kind == "workbook":
            return _raw_sheet(path, delivery.file_name, part, reading)
        return Raw(delivery.file_name, _lines(path))


@contextmanager
def _mended_or_as_is(path: Path) -> Iterator[Path]:
    """The bytes can be looked at even where nothing can be mended."""
    with ExitStack() as stack:
        try:
            whole, _ = stack.enter_context(mended(path))
        except UnreadableFile:
            whole = path
        yield whole


def kind_of_or_none(path: Path) -> str | None:
    """The kind of a file, or None where it is none that can be read."""
    try:
        return kind_of(path)
    except NomotaxError:
        return None


def _raw_archive(source: Source, part: str, reading: dict[str, object]) -> Raw:
    files = archive.entries(source.path)
    names = archive.chosen([f.name for f in files], (part,)) if part else []
    if not names:
        return Raw(source.label, files=files)
    with in_archive(source, names[0]) as path:
        if kind_of_or_none(path) == "workbook":
            shown = _raw_sheet(path, names[0], "", reading)
            return Raw(names[0], cells=shown.cells, files=files)
        return Raw(names[0], _lines(path), files=files)


def _raw_sheet(path: Path, name: str, part: str, reading: dict[str, object]) -> Raw:
    chosen = reading.get("sheets")
    wanted = part or (str(chosen[0]) if isinstance(chosen, list) and chosen else "")
    names = sheet_names(path)
    sheet = wanted if wanted in names else names[0]
    cells = sheet_cells(path, sheet).frame.head(_RAW_ROWS).rows()
    return Raw(f"{name}, sheet {sheet!r}", cells=[list(r) for r in cells])


def _lines(path: Path) -> list[str]:
    with path.open("rb") as stream:
        head = stream.read(_RAW_BYTES)
    return [line[:_RAW_WIDTH].decode("latin-1") for line in head.split(b"\n")[:_RAW_LINES]]


def _known(delivery_id: int) -> tuple[Delivery, Feed]:
    with session() as db:
        delivery = Deliveries.holding(db, delivery_id).get(delivery_id)
        return delivery, Feeds(db, delivery.store_id).get(delivery.feed_id)
