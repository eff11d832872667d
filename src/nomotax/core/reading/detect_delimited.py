"""Looks at the head of delimited text and proposes how to read it, with reasons."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Sequence
from typing import Literal

from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.delimited import with_plain_delimiter
from nomotax.core.reading.encoding import detect_encoding, to_utf8
from nomotax.core.reading.grid import Cells, Frame, find_footer, find_frame
from nomotax.core.reading.model import DelimitedReading, Detection
from nomotax.core.reading.signature import refuse_what_is_no_table

HEAD_BYTES = 256 * 1024
_DELIMITERS = {
    ";": "semicolon", ",": "comma", "\t": "tab", "|": "bar", "^": "caret", "~": "tilde",
    "¦": "broken bar", "\x01": "control character 1", "\x1f": "unit separator", "||": "double bar",
    ";;": "double semicolon", "::": "double colon", "~~": "double tilde", "^^": "double caret",
    "|~|": "bar, tilde, bar", "^|^": "caret, bar, caret", "~|~": "tilde, bar, tilde",
    "<>": "pair of angles", "@@": "double at", "##": "double hash", "$$": "double dollar",
}  # fmt: skip
_COMMA_NUMBER = re.compile(r"^[^\d,.]{0,4}-?\d{1,3}(\.\d{3})*,\d{1,4}\D{0,4}$|^-?\d+,\d{1,4}$")
_POINT_NUMBER = re.compile(r"^[^\d,.]{0,4}-?\d{1,3}(,\d{3})*\.\d{1,4}\D{0,4}$|^-?\d+\.\d{1,4}$")


def detect_delimited(head: bytes, tail: bytes = b"") -> Detection:
    """Propose a reading from the first ``HEAD_BYTES`` of a delivery; the last ones, ``tail``,
    show whether totals stand at its end.

    Raises ``UnreadableFile`` when it is empty or not text.
    """
    refuse_what_is_no_table(head)
    encoding, why_encoding = detect_encoding(head)
    text = to_utf8(head, encoding)[0].decode("utf-8", errors="replace").replace("\0", "")
    delimiter, why_delimiter = _detect_delimiter(text)
    quote, why_quote = _detect_quote(text, delimiter)
    escape, why_escape = _detect_escape(text, quote)
    records = _records(text, delimiter, quote, escape)
    top = find_frame(records)
    comment, why_comment = _detect_comment(text, delimiter, records, top)
    body = records[top.header_row - 1 + top.header_height if top.header_row else 0 :]
    decimal, why_decimal = detect_decimal(body)
    last = to_utf8(tail[tail.find(b"\n") + 1 :], encoding)[0].decode("utf-8", errors="replace")
    footer = find_footer(_records(last or text, delimiter, quote, escape, 10**6)[-80:])
    reading = DelimitedReading(
        encoding=encoding,
        delimiter=delimiter,
        quote=quote,
        escape=escape,
        comment=comment,
        header_row=top.header_row,
        header_height=top.header_height,
        notes_rows=top.notes_rows,
        footer_rows=footer,
        decimal=decimal,
    )
    why = {
        "format": "text in lines with a repeating delimiter",
        "encoding": why_encoding,
        "delimiter": why_delimiter,
        "quote": why_quote,
        "decimal": why_decimal,
        **top.why,
    }
    if escape:
        why["escape"] = why_escape
    if comment:
        why["comment"] = why_comment
    if footer:
        why["footer_rows"] = "totals or remarks stand at the end"
    return Detection(reading, why)


def _detect_escape(text: str, quote: str) -> tuple[Literal["", "\\"], str]:
    if not quote:
        return "", ""
    escaped, doubled = (
        text.count("\\" + quote),
        len(re.findall(f"[^,;\t|]{quote}{quote}[^,;\t|]", text)),
    )
    if escaped and escaped > doubled:
        return "\\", f"{escaped} quotes inside cells are escaped with a backslash"
    return "", ""


def _detect_comment(
    text: str, delimiter: str, records: list[list[str]], top: Frame
) -> tuple[str, str]:
    """Lines under the header that start with a comment mark and have another width."""
    if top.header_row == 0 or top.header_row > len(records):
        return "", ""
    width = len(records[top.header_row - 1])
    for mark in ("#", "//"):
        found = [r for r in records[top.header_row :] if r and r[0].startswith(mark)]
        if found and all(len(r) != width for r in found):
            return mark, f"{len(found)} lines start with {mark} and are no rows"
    return "", ""


def _records(
    text: str, delimiter: str, quote: str, escape: str = "", limit: int = 400
) -> list[list[str]]:
    if len(delimiter) > 1 or not delimiter.isascii():
        text, delimiter = with_plain_delimiter(text, delimiter)
    csv.field_size_limit(1 << 26)
    reader = csv.reader(
        io.StringIO(text, newline=""),
        delimiter=delimiter,
        quotechar=quote or None,
        quoting=csv.QUOTE_MINIMAL if quote else csv.QUOTE_NONE,
        escapechar=escape or None,
        doublequote=not escape,
    )
    records = []
    try:
        for record in reader:
            records.append(record)
            if len(records) >= limit:
                break
    except csv.Error:
        pass  # an over-long cell ends the sample; the read itself reports it with its place
    return records


def _detect_delimiter(text: str) -> tuple[str, str]:
    """The delimiter that cuts the most lines into the same number (over one) of cells."""
    best, best_score, best_cells, agree = ",", 0.0, 1, 0
    for delimiter in _DELIMITERS:
        if delimiter not in text or not _stands_alone(text, delimiter):
            continue
        counts = Counter(len(r) for r in _records(text, delimiter, '"') if any(r))
        if not counts:
            continue
        cells, lines = max(counts.items(), key=lambda item: (item[1] * (item[0] > 1), item[0]))
        if cells < 2:
            continue
        score = lines / sum(counts.values()) * min(cells, 12)
        # A longer delimiter that fits as well is the true one: its parts fit by accident.
        if score > best_score or (len(delimiter) > len(best) and score >= best_score * 0.5):
            best, best_score, best_cells, agree = delimiter, score, cells, lines
    if best_cells == 1:
        return best, "no delimiter repeats; read as one column"
    return best, f"a {_DELIMITERS[best]} gives {best_cells} cells on {agree} of the first lines"


def _stands_alone(text: str, delimiter: str) -> bool:
    """A doubled character is a delimiter only where it never stands single."""
    if len(set(delimiter)) > 1 or len(delimiter) == 1:
        return True
    return text.count(delimiter) * len(delimiter) == text.count(delimiter[0])


def _detect_quote(text: str, delimiter: str) -> tuple[str, str]:
    edge = re.escape(delimiter)
    doubles = len(re.findall(rf'(?:^|{edge}|\n)"', text))
    singles = len(re.findall(rf"(?:^|{edge}|\n)'[^'\n]*'(?={edge}|\r?\n)", text))
    if singles > doubles:
        return "'", f"{singles} cells stand in single quotes"
    if doubles:
        return '"', f"{doubles} cells open with a double quote"
    return '"', "no cell is quoted; double quotes are understood"


def detect_decimal(records: Sequence[Cells]) -> tuple[DecimalMark, str]:
    """The decimal mark most of the cells are written with, and why."""
    comma = point = 0
    for record in records:
        for cell in (c.strip() for c in record if c):
            comma += bool(_COMMA_NUMBER.match(cell))
            point += bool(_POINT_NUMBER.match(cell))
    if comma > point:
        return ",", f"{comma} of the first cells are numbers with a decimal comma"
    if point:
        return ".", f"{point} of the first cells are numbers with a decimal point"
    return ".", "no number with decimals seen"
