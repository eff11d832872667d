"""Delimited text to an all-text table (RFC 4180, and what people really send).

A file is read piece by piece. As long as the pieces are proved regular they go through the fast
reader; from the first one on that is not, all goes record by record through the standard library's,
which names every fault with its line.
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import BinaryIO

import polars as pl

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.careful import Totals, csv_reader, read_carefully, with_hidden
from nomotax.core.reading.encoding import Decoder
from nomotax.core.reading.grid import distinct_names, header_names, tell_passed_over
from nomotax.core.reading.model import ArrivingTable, DelimitedReading
from nomotax.core.reading.pieces import Pieces
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.regular import Body, Census, read_regular
from nomotax.core.reading.signature import refuse_what_is_no_table
from nomotax.core.reading.spool import Parts, Tell, silent

#: More columns than any feed has.
WIDEST = 2_000
#: The header is looked for in so many bytes.
_HEADER_BYTES = 4 << 20
#: Control characters that can stand for a delimiter of several characters.
_STAND_INS = ("\x1f", "\x1e", "\x1c", "\x02", "\x03")


def read_delimited(
    source: bytes | BinaryIO, reading: DelimitedReading, head: bool = False, tell: Tell = silent
) -> ArrivingTable:
    """Read a whole delivery, or with ``head`` the whole lines of its first bytes. Most of a large
    table lies in files rather than in memory. ``tell`` hears how many rows there are so far.

    Raises ``UnreadableFile`` when there is no table in it or the header row lies past its end.
    """
    stream = io.BytesIO(source) if isinstance(source, bytes) else source
    refuse_what_is_no_table(stream.read(64 * 1024))
    stream.seek(0)
    decoder = Decoder(reading.encoding)
    pieces = Pieces(stream, decoder, reading.quote)
    text = pieces.next()
    if head:
        text = text[: text.rfind(b"\n") + 1] or text
    rows = _Rows(reading, _header(text, reading))
    while text:
        if not rows.take(text):
            rows.take_carefully(text + pieces.rest())
        tell(rows.count)
        text = pieces.next()
    return rows.table(decoder.problems(), whole=not head)


@dataclass(frozen=True)
class _Header:
    """Column names, the byte where the rows start, the lines above them, and what is told."""

    names: list[str]
    end: int
    lines: int
    problems: list[ReadingProblem]


class _Rows:
    """The rows of a file, piece by piece, each of whole records; the first has the header."""

    def __init__(self, reading: DelimitedReading, header: _Header) -> None:
        self._reading, self._header = reading, header
        self._parts, self._totals = Parts(), Totals()
        self._problems: list[ReadingProblem] = []
        self._exponents, self._line_ended = False, True
        #: Rows so far, and lines before the next piece.
        self.count, self._lines = 0, 0

    def take(self, text: bytes) -> bool:
        """Take rows, if they are proved regular."""
        return self._take(text, careful=False)

    def take_carefully(self, text: bytes) -> None:
        """Take all rows that are left, one by one."""
        self._take(text, careful=True)

    def _take(self, given: bytes, careful: bool) -> bool:
        text, reading = _with_plain_delimiter(given, self._reading)
        census = Census.of(text, reading)
        if census.zeros:
            text = text.replace(b"\0", b"")
        above = self._header if self._lines == 0 else _Header(self._header.names, 0, 0, [])
        body = Body(text, above.end, above.lines, above.names, reading, census)
        frame = self._one_by_one(body) if careful else self._all_at_once(body)
        if frame is None:
            return False
        if reading.delimiter != self._reading.delimiter:
            mark, meant = reading.delimiter, self._reading.delimiter
            frame = frame.with_columns(
                pl.col(above.names).str.replace_all(mark, meant, literal=True)
            )
        self._note(given, text, census)
        self.count += frame.height
        self._parts.add(frame)
        return True

    def _one_by_one(self, body: Body) -> pl.DataFrame:
        return read_carefully(
            body.utf8[body.start :].decode("utf-8"),
            body.names,
            self._lines + body.skip + 1,
            self.count + 1,
            body.reading,
            self._problems,
            self._totals,
        )

    def _all_at_once(self, body: Body) -> pl.DataFrame | None:
        frame = read_regular(body)
        if frame is None:
            return None
        blank = frame.select(pl.all_horizontal(pl.all().is_null())).to_series()
        self._totals.blank += int(blank.sum())
        frame = frame.filter(~blank) if blank.any() else frame
        return with_hidden(frame, pl.lit(None, dtype=pl.String), self.count + 1)

    def _note(self, given: bytes, text: bytes, census: Census) -> None:
        if census.zeros and not self._totals.zeros:
            self._totals.zero_line = self._lines + given.count(b"\n", 0, given.index(b"\0")) + 1
        self._totals.zeros += census.zeros
        self._exponents |= bool(census.pluses) and b"E+1" in text
        self._line_ended = text.endswith((b"\n", b"\r"))
        self._lines += given.count(b"\n")

    def table(self, undecoded: list[ReadingProblem], whole: bool) -> ArrivingTable:
        """All rows; ``undecoded`` is what the decoder has told."""
        problems = [*undecoded]
        self._totals.tell_zeros(problems)
        problems += self._header.problems + self._problems
        self._totals.tell(problems)
        lazy = self._parts.table() if len(self._parts) else self._none()
        lazy = self._without_footer(lazy, problems)
        self._tell_shape(problems, whole)
        return ArrivingTable(lazy, problems, exponents=self._exponents, keep=(self._parts,))

    def _none(self) -> pl.LazyFrame:
        nothing = pl.DataFrame(schema=dict.fromkeys(self._header.names, pl.String))
        return with_hidden(nothing, pl.lit(None, dtype=pl.String), 1).lazy()

    def _without_footer(self, table: pl.LazyFrame, problems: list[ReadingProblem]) -> pl.LazyFrame:
        if not self._reading.footer_rows:
            return table
        kept = max(self.count - self._reading.footer_rows, 0)
        rows = table.slice(kept).select(self._header.names).collect().rows()
        tell_passed_over("footer_rows", "last rows were", rows, problems)
        problems[:] = [p for p in problems if p.row is None or p.row <= kept]
        self.count = kept
        return table.head(kept)

    def _tell_shape(self, problems: list[ReadingProblem], whole: bool) -> None:
        if not self.count:
            told = "The file has a header and no rows under it."
            problems.append(ReadingProblem(kind="no_rows", message=told))
            return
        if whole and not self._line_ended:
            problems.append(
                ReadingProblem(
                    kind="no_last_line_end",
                    level="note",
                    message="The last line has no line end. If this supplier's files have one, the "
                    "file was cut off.",
                )
            )
        if len(self._header.names) == 1 and self._reading.header_row:
            problems.append(
                ReadingProblem(
                    kind="one_column",
                    message="The whole line became one column; another delimiter may be meant.",
                )
            )


def _refuse_too_wide(width: int, line: int) -> None:
    if width > WIDEST:
        raise UnreadableFile(
            f"The header has {width:,} columns; at most {WIDEST:,} are read.",
            where=f"line {line}",
            remedy="Choose another delimiter, or ask whether rows and columns are exchanged.",
        )


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


def _header(text: bytes, chosen: DelimitedReading) -> _Header:
    """The header of the text that a file begins with; ``end`` is a place in the text without zero
    bytes and with a plain delimiter."""
    utf8, reading = _with_plain_delimiter(text[:_HEADER_BYTES].replace(b"\0", b""), chosen)
    problems: list[ReadingProblem] = []
    window = utf8.decode("utf-8", errors="ignore")
    lines = window.splitlines(keepends=True) if "\r" in window else window.split("\n")
    if "\r" not in window:
        lines = [line + "\n" for line in lines[:-1]] + ([lines[-1]] if lines[-1] else [])
    reader = csv_reader(iter(lines), reading)
    if reading.header_row == 0:
        width = len(next(reader, []))
        _refuse_too_wide(width, 1)
        return _Header([f"Column {n}" for n in range(1, width + 1)], 0, 0, problems)
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
    _refuse_too_wide(len(names), reader.line_num)
    return _Header(distinct_names(names, problems), offset, reader.line_num, problems)
