"""Delimited text to an all-text table (RFC 4180, and what people really send).

A file whose structure is proved regular by a vectorised scan goes through the fast reader; any
other goes record by record through the standard library's, which names every fault with its line.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import polars as pl

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.detect import refuse_what_is_no_table
from nomotax.core.reading.encoding import to_utf8
from nomotax.core.reading.model import ArrivingTable, Reading, ReadingProblem
from nomotax.core.table import FAULT, ROW

if TYPE_CHECKING:
    from _csv import Reader as CsvReader

_CHUNK = 8 << 20
_BATCH = 50_000
_TOLD = 200
_CELL_LIMIT = 64 << 20


def read_delimited(data: bytes, reading: Reading) -> ArrivingTable:
    """Read a whole delivery.

    Raises ``UnreadableFile`` when there is no table in it or the header row lies past its end.
    """
    refuse_what_is_no_table(data[: 64 * 1024])
    utf8, problems = to_utf8(data, reading.encoding)
    names, body_start, line = _header(utf8, reading, problems)
    frame = _read_plain(utf8, body_start, names, reading)
    if frame is None and _is_regular(utf8, body_start, len(names), reading):
        frame = _read_fast(utf8, body_start, names, reading)
    if frame is None:
        frame = _read_carefully(utf8[body_start:].decode("utf-8"), names, line, reading, problems)
    else:
        frame = _without_blank_rows(frame, problems)
    if frame.height == 0:
        problems.append(
            ReadingProblem(kind="no_rows", message="The file has a header and no rows under it.")
        )
    if len(names) == 1 and frame.height and reading.header_row:
        problems.append(
            ReadingProblem(
                kind="one_column",
                message="The whole line became one column; another delimiter may be meant.",
            )
        )
    return ArrivingTable(frame, problems)


def _reader(lines: Iterable[str], reading: Reading, strict: bool = False) -> CsvReader:
    csv.field_size_limit(_CELL_LIMIT)
    return csv.reader(
        lines,
        delimiter=reading.delimiter,
        quotechar=reading.quote or None,
        quoting=csv.QUOTE_MINIMAL if reading.quote else csv.QUOTE_NONE,
        strict=strict,
    )


def _header(
    utf8: bytes, reading: Reading, problems: list[ReadingProblem]
) -> tuple[list[str], int, int]:
    """Column names, the byte offset where the body starts and the line it starts on."""
    window = utf8[: 4 << 20].decode("utf-8", errors="ignore")
    lines = window.splitlines(keepends=True) if "\r" in window else window.split("\n")
    if "\r" not in window:
        lines = [line + "\n" for line in lines[:-1]] + ([lines[-1]] if lines[-1] else [])
    reader = _reader(iter(lines), reading)
    if reading.header_row == 0:
        width = len(next(reader, []))
        return [f"Column {n}" for n in range(1, width + 1)], 0, 1
    record: list[str] = []
    for _ in range(reading.header_row):
        try:
            record = next(reader)
        except (StopIteration, csv.Error) as error:
            raise UnreadableFile(
                f"The header is looked for on line {reading.header_row}, past the end.",
                where=f"{reader.line_num} lines in the file",
                remedy="Choose an earlier header row.",
            ) from error
    offset = len("".join(lines[: reader.line_num]).encode("utf-8"))
    return _distinct_names(record, problems), offset, reader.line_num + 1


def _distinct_names(record: list[str], problems: list[ReadingProblem]) -> list[str]:
    """Header cells as distinct column names; blanks and repeats are told."""
    names: list[str] = []
    for index, cell in enumerate(record, 1):
        name = " ".join(cell.split())
        if not name:
            name = f"Column {index}"
            problems.append(
                ReadingProblem(
                    kind="blank_header",
                    message=f"Column {index} has no name in the header; it is called {name!r}.",
                )
            )
        if name in names:
            again = 2
            while f"{name} ({again})" in names:
                again += 1
            problems.append(
                ReadingProblem(
                    kind="repeated_header",
                    message=f"{name!r} stands twice in the header; column {index} is called "
                    f"'{name} ({again})'.",
                )
            )
            name = f"{name} ({again})"
        names.append(name)
    return names


def _is_regular(utf8: bytes, start: int, width: int, reading: Reading) -> bool:
    """Whether every record has ``width`` cells and every quote stands where RFC 4180 puts it."""
    if not reading.delimiter.isascii() or not reading.quote.isascii():
        return False
    data = np.frombuffer(utf8, dtype=np.uint8)[start:]
    if data.size == 0:
        return False
    delimiter, quote = ord(reading.delimiter), ord(reading.quote) if reading.quote else -1
    if reading.quote and utf8.find(reading.quote.encode(), start) < 0:
        quote = -1
    if quote >= 0 and not _quotes_at_edges(data, delimiter, quote):
        return False
    cells = _cells_if_even(data, width, delimiter, quote)
    if cells is None or (width == 1 and _has_blank_line(utf8, start)):
        return False
    has_tail = data[-1] != 10
    returns = utf8.find(b"\r", start) >= 0
    lone_returns = returns and utf8.count(b"\r", start) != utf8.count(b"\r\n", start)
    return not lone_returns and cells == (width - 1 if has_tail else 0)


def _cells_if_even(data: np.ndarray, width: int, delimiter: int, quote: int) -> int | None:
    """Delimiters behind the last line end, or None when some record is not ``width`` wide."""
    inside, cells = 0, 0
    for at in range(0, data.size, _CHUNK):
        chunk = data[at : at + _CHUNK]
        marks = (chunk == delimiter) | (chunk == 10)
        if quote >= 0:
            # Counting in one byte wraps at 256, which keeps the parity that matters here.
            state = (np.cumsum(chunk == quote, dtype=np.uint8) + np.uint8(inside)) & 1
            inside = int(state[-1])
            marks &= state == 0
        ends = np.flatnonzero(chunk[marks] == 10)
        total = int(np.count_nonzero(marks))
        if ends.size == 0:
            cells += total
            continue
        if ends[0] + cells != width - 1 or not (np.diff(ends) == width).all():
            return None
        cells = total - int(ends[-1]) - 1
    return None if inside else cells


def _has_blank_line(utf8: bytes, start: int) -> bool:
    return b"\n\n" in utf8[max(start - 1, 0) :] or b"\n\r\n" in utf8[max(start - 1, 0) :]


def _quotes_at_edges(data: np.ndarray, delimiter: int, quote: int) -> bool:
    places = np.flatnonzero(data == quote)
    if places.size == 0:
        return True
    if places.size % 2:
        return False
    opening, closing = places[0::2], places[1::2]
    before = data[np.maximum(opening - 1, 0)]
    after = data[np.minimum(closing + 1, data.size - 1)]
    starts = (opening == 0) | np.isin(before, (delimiter, 10, quote))
    ends = (closing == data.size - 1) | np.isin(after, (delimiter, 10, 13, quote))
    return bool(starts.all() and ends.all())


def _read_plain(utf8: bytes, start: int, names: list[str], reading: Reading) -> pl.DataFrame | None:
    """The table of a file without quotes, or None when that needs a closer look.

    Without quotes every delimiter counts: the fast reader itself refuses rows with too many
    cells, and a row with too few leaves its last column empty.
    """
    quoted = bool(reading.quote) and utf8.find(reading.quote.encode(), start) >= 0
    if quoted or len(names) < 2 or utf8.find(b"\r", start) >= 0 or len(utf8) == start:
        return None
    if not reading.delimiter.isascii():
        return None
    try:
        frame = _read_fast(utf8, start, names, reading)
    except pl.exceptions.ComputeError:
        return None
    return None if frame[names[-1]].null_count() else frame


def _read_fast(utf8: bytes, start: int, names: list[str], reading: Reading) -> pl.DataFrame:
    placeholders = [f"c{n}" for n in range(len(names))]
    frame = pl.read_csv(
        utf8[start:],
        has_header=False,
        separator=reading.delimiter,
        quote_char=reading.quote or None,
        schema=dict.fromkeys(placeholders, pl.String),
        infer_schema=False,
    )
    frame.columns = names
    if reading.quote and utf8.find((reading.quote * 2).encode(), start) >= 0:
        # A quoted nothing is as empty as an unquoted one.
        frame = frame.with_columns(pl.when(pl.all() != "").then(pl.all()).name.keep())
    return frame


def _without_blank_rows(frame: pl.DataFrame, problems: list[ReadingProblem]) -> pl.DataFrame:
    """The frame with the hidden columns and without rows that have no value at all."""
    filled = frame.filter(~pl.all_horizontal(pl.all().is_null()))
    _tell_totals(frame.height - filled.height, 0, False, problems)
    return _with_hidden(filled, pl.lit(None, dtype=pl.String))


def _with_hidden(frame: pl.DataFrame, fault: pl.Expr | pl.Series) -> pl.DataFrame:
    return (
        frame.with_row_index(ROW, offset=1)
        .with_columns(fault.alias(FAULT))
        .select(ROW, FAULT, pl.exclude(ROW, FAULT))
    )


@dataclass(slots=True)
class _Record:
    cells: list[str]
    line: int
    fault: str | None = None


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


def _records(text: str, width: int, first_line: int, reading: Reading) -> Iterator[_Record]:
    """Every record with its line. A record that swallowed lines because a quote never closed is
    given back as its first line alone, at fault, and reading goes on with the next line."""
    lines = _Lines(text)
    while lines.next < len(lines.lines):
        at = lines.next
        try:
            cells = next(_reader(lines, reading, strict=True))
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


def _loose_record(line: str, number: int, width: int, fault: str, reading: Reading) -> _Record:
    """One line read on its own. Without ``fault`` a stray quote inside a cell is forgiven when
    the line still has the right number of cells."""
    text = line.rstrip("\r\n")
    cells = next(_reader([text], reading), [])
    if fault or len(cells) != width:
        cells = text.split(reading.delimiter)
        fault = fault or "a quote is never closed, or stands inside a cell"
        return _Record(cells, number, f"line {number}: {fault}")
    return _Record(cells, number)


def _read_carefully(
    text: str, names: list[str], first_line: int, reading: Reading, problems: list[ReadingProblem]
) -> pl.DataFrame:
    width, blank, told, row = len(names), 0, 0, 0
    frames: list[pl.DataFrame] = []
    batch: list[list[str | None]] = []
    faults: list[str | None] = []
    for record in _records(text.replace("\0", ""), width, first_line, reading):
        if not any(record.cells) or (len(record.cells) == 1 and not record.cells[0].strip()):
            blank += 1
            continue
        row += 1
        fault = record.fault or _width_fault(record, width)
        if fault:
            told += 1
            if told <= _TOLD:
                problems.append(
                    ReadingProblem(kind="broken_row", message=fault, line=record.line, row=row)
                )
        cells: list[str | None] = [cell or None for cell in record.cells[:width]]
        batch.append(cells + [None] * (width - len(cells)))
        faults.append(fault)
        if len(batch) >= _BATCH:
            frames.append(_frame(batch, names))
            batch = []
    if batch or not frames:
        frames.append(_frame(batch, names))
    _tell_totals(blank, told, "\0" in text, problems)
    return _with_hidden(pl.concat(frames), pl.Series(FAULT, faults, dtype=pl.String))


def _width_fault(record: _Record, width: int) -> str | None:
    cells = len(record.cells)
    if cells == width:
        return None
    fault = f"line {record.line}: {cells} cells where the header has {width}"
    if cells > width:
        left = " | ".join(record.cells[width:])[:200]
        return f"{fault}; left over: {left!r}"
    return fault


def _tell_totals(blank: int, told: int, nul: bool, problems: list[ReadingProblem]) -> None:
    if blank:
        problems.append(
            ReadingProblem(kind="blank_lines", message=f"{blank} blank lines were passed over.")
        )
    if told > _TOLD:
        problems.append(
            ReadingProblem(kind="broken_row", message=f"{told - _TOLD} more rows are broken.")
        )
    if nul:
        problems.append(
            ReadingProblem(kind="zero_bytes", message="Zero bytes inside cells were taken out.")
        )


def _frame(batch: list[list[str | None]], names: list[str]) -> pl.DataFrame:
    return pl.DataFrame(batch, schema=dict.fromkeys(names, pl.String), orient="row")
