"""Delimited text to an all-text table (RFC 4180, and what people really send).

A file whose structure is proved regular by a vectorised scan goes through the fast reader; any
other goes record by record through the standard library's, which names every fault with its line.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import polars as pl

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.careful import csv_reader, read_carefully, tell_totals, with_hidden
from nomotax.core.reading.encoding import to_utf8
from nomotax.core.reading.grid import distinct_names, header_names, tell_passed_over
from nomotax.core.reading.model import ArrivingTable, DelimitedReading
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.signature import refuse_what_is_no_table

_CHUNK = 8 << 20
#: More columns than any feed has.
WIDEST = 2_000
#: Control characters that can stand for a delimiter of several characters.
_STAND_INS = ("\x1f", "\x1e", "\x1c", "\x02", "\x03")


def read_delimited(data: bytes, reading: DelimitedReading, head: bool = False) -> ArrivingTable:
    """Read a whole delivery, or with ``head`` the whole lines of its first bytes.

    Raises ``UnreadableFile`` when there is no table in it or the header row lies past its end.
    """
    refuse_what_is_no_table(data[: 64 * 1024])
    utf8, problems = to_utf8(data, reading.encoding)
    if head:
        utf8 = utf8[: utf8.rfind(b"\n") + 1] or utf8
    utf8, plain = _with_plain_delimiter(utf8, reading)
    census = Census.of(utf8, plain)
    if census.zeros:
        utf8 = _without_zero_bytes(utf8, problems)
    names, body_start, line = _header(utf8, plain, problems)
    if len(names) > WIDEST:
        raise UnreadableFile(
            f"The header has {len(names):,} columns; at most {WIDEST:,} are read.",
            where=f"line {line - 1}",
            remedy="Choose another delimiter, or ask whether rows and columns are exchanged.",
        )
    body = _Body(utf8, body_start, line, names, plain, census)
    frame = _read_body(body, problems)
    if plain.delimiter != reading.delimiter:
        mark, meant = plain.delimiter, reading.delimiter
        frame = frame.with_columns(pl.col(names).str.replace_all(mark, meant, literal=True))
    frame = _without_footer(frame, names, reading, problems)
    if frame.height == 0:
        problems.append(
            ReadingProblem(kind="no_rows", message="The file has a header and no rows under it.")
        )
    if not head and frame.height and not utf8.endswith((b"\n", b"\r")):
        problems.append(
            ReadingProblem(
                kind="no_last_line_end",
                level="note",
                message="The last line has no line end. If this supplier's files have one, the "
                "file was cut off.",
            )
        )
    if len(names) == 1 and frame.height and reading.header_row:
        problems.append(
            ReadingProblem(
                kind="one_column",
                message="The whole line became one column; another delimiter may be meant.",
            )
        )
    return ArrivingTable(frame.lazy(), problems, exponents=bool(census.pluses) and b"E+1" in utf8)


#: So many bytes are compared at a time: they stay in the processor's cache.
_IN_CACHE = 1 << 19


@dataclass(frozen=True)
class Census:
    """How often the bytes that matter occur, found in one pass over the file."""

    zeros: int
    quotes: int
    returns: int
    delimiters: int
    pluses: int

    @classmethod
    def of(cls, data: bytes, reading: DelimitedReading) -> Census:
        wanted = (0, ord(reading.quote or '"'), 13, ord(reading.delimiter), ord("+"))
        view = np.frombuffer(data, dtype=np.uint8)
        counts = dict.fromkeys(wanted, 0)
        for at in range(0, view.size, _IN_CACHE):
            end = at + _IN_CACHE
            for byte in counts:
                # To see that a byte is nowhere is several times as quick as to count it.
                if byte < 256 and data.find(byte, at, end) >= 0:
                    counts[byte] += int(np.count_nonzero(view[at:end] == byte))
        return cls(*(counts[byte] for byte in wanted))


@dataclass
class _Body:
    """The bytes of a file, where its rows start (byte and line), and how to cut them."""

    utf8: bytes
    start: int
    line: int
    names: list[str]
    reading: DelimitedReading
    census: Census

    @cached_property
    def lone_returns(self) -> bool:
        returns = self.census.returns
        return bool(returns) and returns != self.utf8.count(b"\r\n")


def _read_body(body: _Body, problems: list[ReadingProblem]) -> pl.DataFrame:
    frame = None
    if not _needs_care(body.utf8, body.start, body.reading):
        frame = _read_plain(body)
        if frame is None and _is_regular(body):
            frame = _read_fast(body)
    if frame is None:
        text = body.utf8[body.start :].decode("utf-8")
        return read_carefully(text, body.names, body.line, body.reading, problems)
    return _without_blank_rows(frame, problems)


def _needs_care(utf8: bytes, start: int, reading: DelimitedReading) -> bool:
    """Escapes and comments are for the careful reader alone."""
    if reading.escape and utf8.find(reading.escape.encode(), start) >= 0:
        return True
    mark = reading.comment.encode()
    return bool(mark) and (utf8.startswith(mark, start) or utf8.find(b"\n" + mark, start) >= 0)


def _without_zero_bytes(utf8: bytes, problems: list[ReadingProblem]) -> bytes:
    count = utf8.count(b"\0")
    problems.append(
        ReadingProblem(
            kind="zero_bytes",
            line=utf8.count(b"\n", 0, utf8.index(b"\0")) + 1,
            count=count,
            message=f"{count:,} zero bytes inside cells were taken out.",
        )
    )
    return utf8.replace(b"\0", b"")


def with_plain_delimiter(text: str, delimiter: str) -> tuple[str, str]:
    """``text`` with a delimiter of one ASCII character that occurs nowhere else in it."""
    for mark in _STAND_INS:
        if mark not in text:
            return text.replace(delimiter, mark), mark
    raise UnreadableFile(
        f"The delimiter {delimiter!r} cannot be told from control characters in the file.",
        remedy="Ask the supplier for a plain delimiter.",
    )


def _with_plain_delimiter(utf8: bytes, reading: DelimitedReading) -> tuple[bytes, DelimitedReading]:
    if len(reading.delimiter) == 1 and reading.delimiter.isascii():
        return utf8, reading
    text, mark = with_plain_delimiter(utf8.decode("utf-8"), reading.delimiter)
    return text.encode("utf-8"), reading.model_copy(update={"delimiter": mark})


def _without_footer(
    frame: pl.DataFrame,
    names: list[str],
    reading: DelimitedReading,
    problems: list[ReadingProblem],
) -> pl.DataFrame:
    if not reading.footer_rows:
        return frame
    kept = max(frame.height - reading.footer_rows, 0)
    rows = frame.slice(kept).select(names).rows()
    tell_passed_over("footer_rows", "last rows were", rows, problems)
    problems[:] = [p for p in problems if p.row is None or p.row <= kept]
    return frame.head(kept)


def _header(
    utf8: bytes, reading: DelimitedReading, problems: list[ReadingProblem]
) -> tuple[list[str], int, int]:
    """Column names, the byte offset where the body starts and the line it starts on."""
    window = utf8[: 4 << 20].decode("utf-8", errors="ignore")
    lines = window.splitlines(keepends=True) if "\r" in window else window.split("\n")
    if "\r" not in window:
        lines = [line + "\n" for line in lines[:-1]] + ([lines[-1]] if lines[-1] else [])
    reader = csv_reader(iter(lines), reading)
    if reading.header_row == 0:
        width = len(next(reader, []))
        return [f"Column {n}" for n in range(1, width + 1)], 0, 1
    above, head = reading.header_row - 1, reading.header_row - 1 + reading.header_height
    records: list[list[str]] = []
    for _ in range(head + reading.notes_rows):
        try:
            records.append(next(reader))
        except (StopIteration, csv.Error) as error:
            raise UnreadableFile(
                f"The header is looked for on line {reading.header_row}, past the end.",
                where=f"{reader.line_num} lines in the file",
                remedy="Choose an earlier header row.",
            ) from error
    tell_passed_over("title_rows", "lines above the header were", records[:above], problems)
    tell_passed_over("notes_rows", "rows under the header were", records[head:], problems)
    names = header_names(records[above:head], max(len(r) for r in records[above:head]))
    offset = len("".join(lines[: reader.line_num]).encode("utf-8"))
    return distinct_names(names, problems), offset, reader.line_num + 1


def _is_regular(body: _Body) -> bool:
    """Whether every record has the header's cells and every quote stands where RFC 4180 puts it."""
    if not body.reading.quote.isascii():
        return False
    data = np.frombuffer(body.utf8, dtype=np.uint8)[body.start :]
    if data.size == 0:
        return False
    width, delimiter = len(body.names), ord(body.reading.delimiter)
    quote = ord(body.reading.quote) if body.reading.quote and body.census.quotes else -1
    if quote >= 0 and not _quotes_at_edges(data, delimiter, quote):
        return False
    cells = _cells_if_even(data, width, delimiter, quote)
    if cells is None or (width == 1 and _has_blank_line(body.utf8, body.start)):
        return False
    return not body.lone_returns and cells == (width - 1 if data[-1] != 10 else 0)


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


def _read_plain(body: _Body) -> pl.DataFrame | None:
    """The table of a file without quotes, or None when that needs a closer look.

    Without quotes every delimiter counts: the fast reader itself refuses rows with too many
    cells, so that the right number of delimiters in all means that no row has too few.
    """
    quoted = bool(body.reading.quote) and body.census.quotes
    width = len(body.names)
    if quoted or width < 2 or len(body.utf8) == body.start or body.lone_returns:
        return None
    try:
        frame = _read_fast(body)
    except (pl.exceptions.ComputeError, pl.exceptions.SchemaError):
        return None
    above = body.utf8.count(body.reading.delimiter.encode(), 0, body.start)
    return frame if body.census.delimiters - above == (width - 1) * frame.height else None


def _read_fast(body: _Body) -> pl.DataFrame:
    placeholders = [f"c{n}" for n in range(len(body.names))]
    quote = body.reading.quote
    frame = pl.read_csv(
        body.utf8,
        skip_lines=body.line - 1,
        has_header=False,
        separator=body.reading.delimiter,
        quote_char=quote or None,
        schema=dict.fromkeys(placeholders, pl.String),
        infer_schema=False,
    )
    frame.columns = body.names
    if quote and body.census.quotes and body.utf8.find((quote * 2).encode(), body.start) >= 0:
        # A quoted nothing is as empty as an unquoted one.
        frame = frame.with_columns(pl.when(pl.all() != "").then(pl.all()).name.keep())
    return frame


def _without_blank_rows(frame: pl.DataFrame, problems: list[ReadingProblem]) -> pl.DataFrame:
    """The frame with the hidden columns and without rows that have no value at all."""
    blank = frame.select(pl.all_horizontal(pl.all().is_null())).to_series()
    count = int(blank.sum())
    tell_totals(count, 0, 0, problems)
    return with_hidden(frame.filter(~blank) if count else frame, pl.lit(None, dtype=pl.String))
