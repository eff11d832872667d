"""Files of one feed beside each other: no server, no database."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.drift.broken import broke_off
from nomotax.core.drift.find import behold, first
from nomotax.core.drift.imprint import Imprint, Table
from nomotax.core.drift.model import DriftFinding
from nomotax.core.drift.used import in_use
from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.model import Reading
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
    read by the ``reading`` (the bundle's, without one), or as detected; a ``bundle`` and its
    store's ``schema`` say which columns matter. Raises ``UnreadableFile`` for an earlier one."""
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
    found_here = behold(table, last, before, cut).findings
    if bundle is None or schema is None:
        return found_here
    return in_use(found_here, bundle.crosswalk, schema, table.rows)


def _table(path: Path, reading: Reading | None) -> tuple[Table, bool]:
    _, chosen, arriving = read_file(path, reading, "", {})
    cut = broke_off(arriving.complete, arriving.rows, arriving.problems)
    return Table(arriving.lazy, chosen.decimal), cut


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
