"""The front door: any file to an arriving table, by a reading or as detected."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

import polars as pl

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading import archive
from nomotax.core.reading.companions import join_all
from nomotax.core.reading.damage import hold_damaged, tell_huge
from nomotax.core.reading.delimited import read_delimited
from nomotax.core.reading.detect_delimited import HEAD_BYTES, detect_decimal, detect_delimited
from nomotax.core.reading.json_records import detect_json, read_json
from nomotax.core.reading.lists import list_items
from nomotax.core.reading.mending import mended
from nomotax.core.reading.model import (
    ArrivingTable,
    Companion,
    Detection,
    JsonReading,
    Offer,
    Reading,
    WorkbookReading,
    XmlReading,
)
from nomotax.core.reading.pictures import tell_pictures
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.proposals import main_file, propose_companions, propose_unfold
from nomotax.core.reading.reshape import reshape
from nomotax.core.reading.signature import FileKind, kind_of
from nomotax.core.reading.spool import Tell, silent
from nomotax.core.reading.workbook import detect_workbook, read_workbook
from nomotax.core.reading.xml_detect import detect_xml
from nomotax.core.reading.xml_records import read_xml
from nomotax.core.table import FAULT, HIDDEN, ROW

#: The column that says which file a row came from, when several are read.
FILE = "File"
_PREVIEW_BYTES = 2 << 20
_SAMPLE_ROWS = 400
#: A preview joins so many rows of a companion: enough that keys find their partners.
_COMPANION_ROWS = 20_000
_WORDS: dict[str, str] = {
    "delimited": "delimited text",
    "workbook": "a workbook",
    "xml": "XML",
    "json": "JSON",
    "zip": "a ZIP archive",
    "gzip": "a gzip file",
}


@dataclass(frozen=True)
class Source:
    """A delivery as a file on this machine. ``name`` is the one it arrived under."""

    path: Path
    name: str = ""
    password: str = ""

    @property
    def label(self) -> str:
        return self.name or self.path.name


def detect(source: Source, part: str = "") -> Detection:
    """Propose how to read a delivery, with reasons and what else is in it; ``part`` is one file
    of an archive or one sheet of a workbook, to be read alone.

    Raises ``UnreadableFile`` when it is nothing that can be read.
    """
    with mended(source.path) as (path, _):
        return _detect(replace(source, path=path, name=source.label), part)


def _detect(source: Source, part: str) -> Detection:
    kind = kind_of(source.path)
    if part and kind == "zip":
        with in_archive(source, part) as path:
            found = _detect_plain(path)
        return replace(found, reading=found.reading.model_copy(update={"files": (part,)}))
    if part and kind == "workbook":
        return detect_workbook(source.path, part)
    if kind == "zip":
        return _detect_archive(source)
    with _unpacked(source, ()) as (files, _):
        return _detect_plain(files[0].path)


def _detect_plain(path: Path) -> Detection:
    kind = kind_of(path)
    if kind == "workbook":
        found = detect_workbook(path)
    elif kind == "xml":
        found = detect_xml(path)
    elif kind == "json":
        found = detect_json(path)
    elif kind == "delimited":
        with path.open("rb") as stream:
            head = stream.read(HEAD_BYTES)
            stream.seek(max(path.stat().st_size - 16_384, 0))
            tail = stream.read() if path.stat().st_size > HEAD_BYTES else b""
        return detect_delimited(head, tail)
    else:
        raise UnreadableFile(
            f"This is {_WORDS[kind]} inside an archive; archives in archives are not opened.",
            where=path.name,
            remedy="Ask the supplier for the file itself.",
        )
    return _with_decimal(path, found)


def _with_decimal(path: Path, found: Detection) -> Detection:
    if found.reading.format == "workbook":
        return found  # numbers in cells are always written with a point
    try:
        frame = _read_plain(path, found.reading, _SAMPLE_ROWS).frame
    except UnreadableFile:
        return found
    unfold = propose_unfold(frame) if found.reading.format in ("xml", "json") else ()
    decimal, why = detect_decimal(_single_cells(frame))
    reading = found.reading.model_copy(update={"decimal": decimal, "reshape": unfold})
    reasons = found.why | {"decimal": why}
    if unfold:
        reasons["reshape"] = f"{unfold[0].columns[0]!r} repeats, with a code of its own each time"
    return replace(found, reading=reading, why=reasons)


def _single_cells(frame: pl.DataFrame) -> list[list[str | None]]:
    """Cells one by one, lists taken apart."""
    return [list_items(cell) for row in frame.drop(HIDDEN).rows() for cell in row]


def _detect_archive(source: Source) -> Detection:
    inside = archive.entries(source.path)
    tables = [e for e in inside if e.kind == "table"]
    if not tables:
        raise UnreadableFile(
            "The archive holds no file that could be a table.",
            where=", ".join(e.name for e in inside[:8]) or "it is empty",
            remedy="Ask the supplier for the right archive.",
        )
    found: dict[str, Detection] = {}
    samples: dict[str, pl.DataFrame] = {}
    with tempfile.TemporaryDirectory(prefix="nomotax-") as folder:
        for entry in tables[:40]:
            path = archive.take_out(source.path, entry.name, Path(folder), source.password)
            try:
                found[entry.name] = _detect_plain(path)
                samples[entry.name] = _read_plain(path, found[entry.name].reading, 20_000).frame
            except UnreadableFile as error:
                if len(tables) == 1:
                    raise
                found.pop(entry.name, None)
                error.add_note(entry.name)
    if not samples:
        raise UnreadableFile(
            "None of the files in the archive can be read as a table.",
            where=", ".join(e.name for e in tables[:8]),
            remedy="Look at them one by one.",
        )
    return _archive_reading(inside, found, samples)


def _archive_reading(
    inside: list[archive.Entry], found: dict[str, Detection], samples: dict[str, pl.DataFrame]
) -> Detection:
    main = main_file(samples)
    companions, why_companions = propose_companions(main, samples, found)
    reading = found[main].reading.model_copy(update={"files": (main,), "companions": companions})
    why = found[main].why | {"files": f"the one of {len(samples)} tables that the others lean on"}
    if companions:
        why["companions"] = why_companions
    pictures = sum(e.kind == "picture" for e in inside)
    offers = [
        Offer(kind="file", name=e.name, count=e.size, detail=e.kind)
        for e in inside
        if e.kind != "picture"
    ]
    if pictures:
        offers.append(Offer(kind="file", name="pictures", count=pictures, detail="pictures"))
    return Detection(reading, why, tuple(offers))


@dataclass(frozen=True)
class _File:
    name: str
    path: Path


@contextmanager
def _unpacked(
    source: Source, patterns: tuple[str, ...]
) -> Iterator[tuple[list[_File], list[ReadingProblem]]]:
    """The files a reading means, unpacked where they stand in an archive."""
    with tempfile.TemporaryDirectory(prefix="nomotax-") as name:
        folder = Path(name)
        kind = kind_of(source.path)
        if kind == "gzip":
            path, told = archive.gunzip(source.path, folder, source.label)
            yield [_File(source.label.removesuffix(".gz"), path)], told
        elif kind == "zip":
            yield _from_archive(source, patterns, folder), []
        else:
            yield [_File(source.label, source.path)], []


@contextmanager
def in_archive(source: Source, name: str) -> Iterator[Path]:
    """One file of an archive, unpacked for as long as it is needed."""
    with tempfile.TemporaryDirectory(prefix="nomotax-") as folder:
        yield archive.take_out(source.path, name, Path(folder), source.password)


def _from_archive(source: Source, patterns: tuple[str, ...], folder: Path) -> list[_File]:
    inside = archive.entries(source.path)
    tables = [e.name for e in inside if e.kind == "table"]
    names = archive.chosen([e.name for e in inside], patterns) if patterns else tables[:1]
    if not names:
        raise UnreadableFile(
            f"No file in the archive is called {' or '.join(repr(p) for p in patterns)}.",
            where="it holds: " + ", ".join(tables[:12]),
            remedy="Choose one of these files.",
        )
    return [_File(n, archive.take_out(source.path, n, folder, source.password)) for n in names]


def read(
    source: Source,
    reading: Reading,
    companions: Mapping[str, ArrivingTable] | None = None,
    limit: int | None = None,
    tell: Tell = silent,
) -> ArrivingTable:
    """The arriving table: every file the reading means, reshaped, with its companions.

    ``companions`` are tables of other feeds by name; those of the same delivery are read here.
    ``limit`` reads only so many records of the head of each file; ``tell`` hears how far it is,
    and may raise to stop. Raises ``UnreadableFile``.
    """
    with mended(source.path) as (path, told):
        given = replace(source, path=path, name=source.label)
        return _read(given, reading, dict(companions or {}), limit, tell, told)


def _read(
    source: Source,
    reading: Reading,
    tables_at_hand: dict[str, ArrivingTable],
    limit: int | None,
    tell: Tell,
    mended: list[ReadingProblem],
) -> ArrivingTable:
    with _unpacked(source, reading.files) as (files, told):
        tables = [_read_plain(f.path, reading, limit, tell) for f in files]
        table = _stacked(files, tables)
    problems = [*mended, *told, *table.problems]
    lazy = reshape(table.lazy, reading.reshape, problems)
    if any(r.do in ("unfold", "gather", "keep", "take") for r in reading.reshape):
        problems = [p.model_copy(update={"row": None}) for p in problems]
    joined: list[Companion] = []
    for one in reading.companions:
        if one.reading is not None:
            if mended and _lacks(source, one.reading):
                problems.append(_missing(one))
                continue
            most = None if limit is None else max(limit, _COMPANION_ROWS)
            tables_at_hand[one.name] = _read(source, one.reading, {}, most, tell, [])
        joined.append(one)
    lazy = join_all(lazy, tuple(joined), tables_at_hand, problems)
    exponents = table.exponents or bool(reading.companions)
    lazy = hold_damaged(lazy, reading.damaged, problems, exponents)
    tell_huge(lazy, problems)
    if limit is None and kind_of(source.path) == "zip":
        pictures = [e.name for e in archive.entries(source.path) if e.kind == "picture"]
        if pictures:
            tell_pictures(pictures, lazy, problems)
    complete = table.complete and not any(p.kind == "broken_off" for p in problems)
    return ArrivingTable(lazy, problems, complete, keep=(table, *tables_at_hand.values()))


def _lacks(source: Source, reading: Reading) -> bool:
    """Whether a reading means files that an archive has not."""
    names = [e.name for e in archive.entries(source.path)]
    return bool(reading.files) and not archive.chosen(names, reading.files)


def _missing(companion: Companion) -> ReadingProblem:
    return ReadingProblem(
        kind="missing_companion",
        level="broken",
        message=f"The companion {companion.name!r} is not in what arrived; its columns are "
        "missing.",
    )


def _read_plain(
    path: Path, reading: Reading, limit: int | None = None, tell: Tell = silent
) -> ArrivingTable:
    kind = kind_of(path)
    if kind != reading.format:
        raise _differs(kind, reading)
    if isinstance(reading, XmlReading):
        return read_xml(path, reading, limit, tell)
    if isinstance(reading, JsonReading):
        return read_json(path, reading, limit, tell)
    if isinstance(reading, WorkbookReading):
        return _limited(read_workbook(path, reading), limit)
    if limit is None:
        with path.open("rb") as stream:
            return read_delimited(stream, reading, tell=tell)
    with path.open("rb") as stream:
        head = stream.read(_PREVIEW_BYTES)
    whole = len(head) == path.stat().st_size
    if not whole:
        reading = reading.model_copy(update={"footer_rows": 0})
    return _limited(read_delimited(head, reading, head=not whole), limit)


def _limited(table: ArrivingTable, limit: int | None) -> ArrivingTable:
    if limit is None:
        return table
    return replace(table, lazy=table.lazy.head(limit))


def _differs(kind: FileKind, reading: Reading) -> UnreadableFile:
    return UnreadableFile(
        f"The reading of this feed is for {_WORDS[reading.format]}; this file is {_WORDS[kind]}.",
        where="first bytes",
        remedy="Read it as detected, or ask the supplier for the usual format.",
    )


def _stacked(files: list[_File], tables: list[ArrivingTable]) -> ArrivingTable:
    """Tables of several files one under the other, each row with the name of its file."""
    if len(tables) == 1:
        return tables[0]
    problems = [
        p.model_copy(update={"message": f"{f.name}: {p.message}", "row": None})
        for f, t in zip(files, tables, strict=True)
        for p in t.problems
    ]
    first = set(tables[0].columns)
    for file, table in zip(files[1:], tables[1:], strict=True):
        lacks, more = first - set(table.columns), set(table.columns) - first
        if lacks or more:
            said = [f"lacks {', '.join(sorted(lacks))}"] * bool(lacks)
            said += [f"has {', '.join(sorted(more))} besides"] * bool(more)
            problems.append(
                ReadingProblem(
                    kind="differing_columns",
                    message=f"{file.name} {' and '.join(said)}, compared with {files[0].name}.",
                )
            )
    named = [
        t.lazy.with_columns(pl.lit(f.name).alias(FILE)) for f, t in zip(files, tables, strict=True)
    ]
    lazy = pl.concat(named, how="diagonal").with_columns(
        pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW)
    )
    columns = [c for c in lazy.collect_schema().names() if c not in (*HIDDEN, FILE)]
    complete = all(t.complete for t in tables)
    stacked = lazy.select(ROW, FAULT, *columns, FILE)
    return ArrivingTable(stacked, problems, complete, keep=tuple(tables))
