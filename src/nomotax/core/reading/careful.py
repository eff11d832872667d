"""Delimited text record by record: slow, and every fault named with its line."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import polars as pl

from nomotax.core.reading.model import DelimitedReading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.table import FAULT, ROW

if TYPE_CHECKING:
    from _csv import Reader as CsvReader

_BATCH = 50_000
_TOLD = 200
_CELL_LIMIT = 64 << 20
_OTHERS = (";", ",", "\t", "|")


def csv_reader(lines: Iterable[str], reading: DelimitedReading, strict: bool = False) -> CsvReader:
    """The standard library's reader, set to a reading's dialect."""
    csv.field_size_limit(_CELL_LIMIT)
    return csv.reader(
        lines,
        delimiter=reading.delimiter,
        quotechar=reading.quote or None,
        quoting=csv.QUOTE_MINIMAL if reading.quote else csv.QUOTE_NONE,
        escapechar=reading.escape or None,
        doublequote=not reading.escape,
        strict=strict,
    )


def with_hidden(frame: pl.DataFrame, fault: pl.Expr | pl.Series, first_row: int) -> pl.DataFrame:
    """The rows with the hidden columns in front, numbered from ``first_row``."""
    return (
        frame.with_row_index(ROW, offset=first_row)
        .with_columns(fault.alias(FAULT))
        .select(ROW, FAULT, pl.exclude(ROW, FAULT))
    )


@dataclass
class Totals:
    """What is told of a file in one sentence, however often it occurs."""

    zeros: int = 0
    zero_line: int = 0
    blank: int = 0
    broken: int = 0
    comments: int = 0

    def tell(self, problems: list[ReadingProblem]) -> None:
        """Say how many lines were passed over, and how many faults are not told one by one."""
        told: list[tuple[int, str, Literal["note", "broken"], str]] = [
            (self.blank, "blank_lines", "note", "blank lines were passed over."),
            (self.broken - _TOLD, "broken_row", "broken", "more rows are broken."),
            (self.comments, "comments", "note", "comment lines were passed over."),
        ]
        for count, kind, level, said in told:
            if count > 0:
                problems.append(
                    ReadingProblem(kind=kind, level=level, count=count, message=f"{count} {said}")
                )

    def tell_zeros(self, problems: list[ReadingProblem]) -> None:
        """Say that zero bytes were taken out."""
        if self.zeros:
            problems.append(
                ReadingProblem(
                    kind="zero_bytes",
                    line=self.zero_line,
                    count=self.zeros,
                    message=f"{self.zeros:,} zero bytes inside cells were taken out.",
                )
            )


@dataclass(slots=True)
class _Record:
    cells: list[str]
    line: int
    fault: str | None = None
    comment: bool = False


class _Lines:
    """Physical lines with a cursor that can be set back."""

    def __init__(self, text: str) -> None:
        self.lines = list(io.StringIO(text, newline=""))
        self.next = 0

    def __iter__(self) -> _Lines:
        return self

    def __next__(self) -> str:
        if self.next >= len(self.lines):
            raise StopIteration
        self.next += 1
        return self.lines[self.next - 1]


def _records(
    text: str, width: int, first_line: int, reading: DelimitedReading
) -> Iterator[_Record]:
    """Every record with its line. A record that swallowed lines because a quote never closed is
    given back as its first line alone, at fault, and reading goes on with the next line."""
    lines = _Lines(text)
    while lines.next < len(lines.lines):
        at = lines.next
        if reading.comment and lines.lines[at].startswith(reading.comment):
            lines.next = at + 1
            yield _Record([], first_line + at, comment=True)
            continue
        try:
            cells = next(csv_reader(lines, reading, strict=True))
            spans = lines.next - at
            if spans == 1 or len(cells) == width:
                yield _Record(cells, first_line + at)
                continue
            fault = "an opening quote is never closed"
        except StopIteration:
            return
        except csv.Error as error:
            unclosed = "unexpected end" in str(error)
            fault = "an opening quote is never closed" if unclosed else ""
        lines.next = at + 1
        yield _loose_record(lines.lines[at], first_line + at, width, fault, reading)


def _loose_record(
    line: str, number: int, width: int, fault: str, reading: DelimitedReading
) -> _Record:
    """One line read on its own. Without ``fault`` a stray quote inside a cell is forgiven when
    the line still has the right number of cells."""
    text = line.rstrip("\r\n")
    cells = next(csv_reader([text], reading), [])
    if fault or len(cells) != width:
        cells = text.split(reading.delimiter)
        fault = fault or "a quote is never closed, or stands inside a cell"
        return _Record(cells, number, f"line {number}: {fault}")
    return _Record(cells, number)


def read_carefully(
    text: str,
    names: list[str],
    first_line: int,
    first_row: int,
    reading: DelimitedReading,
    problems: list[ReadingProblem],
    totals: Totals,
) -> pl.DataFrame:
    """Every record of ``text`` as a row; those at fault say why, with their line. ``first_line``
    and ``first_row`` are the numbers that its first line and its first record have."""
    width, row = len(names), first_row - 1
    changed = _DelimiterWatch(width, reading.delimiter)
    frames: list[pl.DataFrame] = []
    batch: list[list[str | None]] = []
    faults: list[str | None] = []
    for record in _records(text, width, first_line, reading):
        if record.comment:
            totals.comments += 1
            continue
        if not any(record.cells) or (len(record.cells) == 1 and not record.cells[0].strip()):
            totals.blank += 1
            continue
        row += 1
        fault = record.fault or _width_fault(record, width)
        if fault:
            totals.broken += 1
            changed.look_at(record)
            if totals.broken <= _TOLD:
                problems.append(
                    ReadingProblem(
                        kind="broken_row", level="broken", message=fault, line=record.line, row=row
                    )
                )
        cells: list[str | None] = [cell or None for cell in record.cells[:width]]
        batch.append(cells + [None] * (width - len(cells)))
        faults.append(fault)
        if len(batch) >= _BATCH:
            frames.append(_frame(batch, names))
            batch = []
    if batch or not frames:
        frames.append(_frame(batch, names))
    changed.tell(problems)
    return with_hidden(pl.concat(frames), pl.Series(FAULT, faults, dtype=pl.String), first_row)


def _width_fault(record: _Record, width: int) -> str | None:
    cells = len(record.cells)
    # A line that ends in delimiters has nothing behind them.
    if cells == width or (cells > width and not any(record.cells[width:])):
        return None
    fault = f"line {record.line}: {cells} cells where the header has {width}"
    if cells > width:
        left = " | ".join(record.cells[width:])[:200]
        return f"{fault}; left over: {left!r}"
    return fault


class _DelimiterWatch:
    """Notices when broken rows would be whole with another delimiter."""

    def __init__(self, width: int, delimiter: str) -> None:
        self.width, self.count, self.line, self.mark = width, 0, 0, ""
        self.others = [d for d in _OTHERS if d != delimiter]

    def look_at(self, record: _Record) -> None:
        if len(record.cells) > 2 and len(record.cells) > self.width // 2:
            return
        for mark in self.others:
            if record.cells and sum(c.count(mark) for c in record.cells) == self.width - 1:
                self.count += 1
                self.line, self.mark = self.line or record.line, self.mark or mark
                return

    def tell(self, problems: list[ReadingProblem]) -> None:
        if self.count and self.width > 1:
            problems.append(
                ReadingProblem(
                    kind="delimiter_changes",
                    level="broken",
                    line=self.line,
                    count=self.count,
                    message=f"From line {self.line} on, {self.count:,} rows are cut by "
                    f"{self.mark!r} instead; they are held. Ask the supplier for one delimiter.",
                )
            )


def _frame(batch: list[list[str | None]], names: list[str]) -> pl.DataFrame:
    return pl.DataFrame(batch, schema=dict.fromkeys(names, pl.String), orient="row")
