"""Files of one feed beside each other: no server, no database."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.drift.find import behold, first
from nomotax.core.drift.imprint import Imprint, Table
from nomotax.core.drift.model import DriftFinding
from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.model import ArrivingTable, Reading
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.map_file import read_bytes, read_file


def drift_of_files(
    new: Path,
    earlier: Sequence[Path],
    reading: Reading | None = None,
    bundle: Bundle | None = None,
    schema: StoreSchema | None = None,
) -> list[DriftFinding]:
    """What is strange in ``new`` beside ``earlier`` files (the oldest first), worst first. All are
    read by the ``reading``, or as detected. Raises ``UnreadableFile`` for an earlier one."""
    reading = reading or (bundle.reading if bundle else None)
    before: list[Imprint] = []
    last: Table | None = None
    for path in earlier:
        table, _ = _table(path, reading)
        beheld = behold(table, last, before).imprint if last is not None else first(table)
        before.append(beheld)
        last = table
    if last is None:
        return []
    found = _strange(new)
    if found is not None:
        return [found]
    try:
        table, cut = _table(new, reading)
    except UnreadableFile as error:
        return [_unreadable(error)]
    return behold(table, last, before, cut).findings


def _table(path: Path, reading: Reading | None) -> tuple[Table, bool]:
    _, chosen, arriving = read_file(path, reading, "", {})
    return Table(arriving.lazy, chosen.decimal), broke_off(arriving)


def broke_off(arriving: ArrivingTable) -> bool:
    """Whether a file ends in the middle of something: its reader says so, or its last row is no
    whole one."""
    last = arriving.rows
    broken = any(p.kind == "broken_row" and p.row == last for p in arriving.problems)
    return broken or not arriving.complete


_PAGE = (b"<!doctype html", b"<html", b"<head", b"<body")


def _strange(path: Path) -> DriftFinding | None:
    """A web page where a file should be."""
    head = read_bytes(path)[:2048].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    if not head.startswith(_PAGE):
        return None
    return DriftFinding(
        kind="html_instead",
        severity="hold",
        said="This is a web page and no feed: a link that has expired, a sign-in, or a message of "
        "the supplier's server. Open the link and look; fetch the file again.",
    )


def _unreadable(error: UnreadableFile) -> DriftFinding:
    return DriftFinding(
        kind="wrong_file",
        severity="hold",
        said=f"It cannot be read as this feed's file: {error}",
    )
