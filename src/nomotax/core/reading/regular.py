"""Delimited text whose structure a vectorised scan has proved regular, through the fast reader."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import polars as pl

from nomotax.core.reading.model import DelimitedReading

_CHUNK = 8 << 20
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
class Body:
    """Whole records as bytes, where the rows among them start (byte and line, from 0), and how to
    cut them."""

    utf8: bytes
    start: int
    skip: int
    names: list[str]
    reading: DelimitedReading
    census: Census

    @cached_property
    def lone_returns(self) -> bool:
        returns = self.census.returns
        return bool(returns) and returns != self.utf8.count(b"\r\n")


def read_regular(body: Body) -> pl.DataFrame | None:
    """The rows, all text, empty cells null, blank rows among them; None when they are not proved to
    be as wide as the header, with every quote where RFC 4180 puts it."""
    if _needs_care(body.utf8, body.start, body.reading):
        return None
    frame = _read_plain(body)
    return _read_fast(body) if frame is None and _is_regular(body) else frame


def _needs_care(utf8: bytes, start: int, reading: DelimitedReading) -> bool:
    """Escapes and comments are for the careful reader alone."""
    if reading.escape and utf8.find(reading.escape.encode(), start) >= 0:
        return True
    mark = reading.comment.encode()
    return bool(mark) and (utf8.startswith(mark, start) or utf8.find(b"\n" + mark, start) >= 0)


def _is_regular(body: Body) -> bool:
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


def _read_plain(body: Body) -> pl.DataFrame | None:
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


def _read_fast(body: Body) -> pl.DataFrame:
    placeholders = [f"c{n}" for n in range(len(body.names))]
    quote = body.reading.quote
    frame = pl.read_csv(
        body.utf8,
        skip_lines=body.skip,
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
