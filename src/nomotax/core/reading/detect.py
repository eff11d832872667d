"""Looks at the head of a delivery and proposes how to read it, with reasons."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.encoding import detect_encoding, to_utf8
from nomotax.core.reading.model import DecimalMark, Detection, Reading

HEAD_BYTES = 256 * 1024
_DELIMITERS = {";": "semicolon", ",": "comma", "\t": "tab", "|": "bar", "^": "caret"}
_SIGNATURES = (
    (b"\x89PNG", "a PNG picture"),
    (b"\xff\xd8\xff", "a JPEG picture"),
    (b"GIF8", "a GIF picture"),
    (b"%PDF", "a PDF document"),
    (b"PK\x03\x04", "a ZIP archive or a workbook"),
    (b"\x1f\x8b", "a gzip archive"),
    (b"\xd0\xcf\x11\xe0", "an old workbook or document"),
    (b"\x7fELF", "a program"),
)
_COMMA_NUMBER = re.compile(r"^[^\d,.]{0,4}-?\d{1,3}(\.\d{3})*,\d{1,4}\D{0,4}$|^-?\d+,\d{1,4}$")
_POINT_NUMBER = re.compile(r"^[^\d,.]{0,4}-?\d{1,3}(,\d{3})*\.\d{1,4}\D{0,4}$|^-?\d+\.\d{1,4}$")


def refuse_what_is_no_table(head: bytes) -> None:
    """Raises ``UnreadableFile`` when the bytes are plainly something else."""
    if not head.strip(b"\r\n\t \xef\xbb\xbf"):
        raise UnreadableFile(
            "The file is empty.",
            where="0 bytes of content",
            remedy="Ask the supplier for it again, or choose another file.",
        )
    for signature, what in _SIGNATURES:
        if head.startswith(signature):
            raise UnreadableFile(
                f"This is {what}, not delimited text.",
                where="first bytes",
                remedy="Choose the text file the supplier meant.",
            )
    start = head[:2000].lstrip().lower()
    if start.startswith((b"<!doctype html", b"<html")):
        raise UnreadableFile(
            "This is a web page, not a feed; a download link may have expired.",
            where="first bytes",
            remedy="Fetch the file again.",
        )
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return
    zeros = head.count(b"\0")
    if zeros and not _looks_like_utf16(head):
        raise UnreadableFile(
            "This is a binary file: it holds zero bytes.",
            where=f"byte {head.index(0)}",
            remedy="Choose the text file the supplier meant.",
        )


def _looks_like_utf16(head: bytes) -> bool:
    even, odd = head[0:2000:2].count(0), head[1:2000:2].count(0)
    return abs(even - odd) > min(len(head), 2000) // 4


def detect(head: bytes) -> Detection:
    """Propose a reading from the first ``HEAD_BYTES`` of a delivery.

    Raises ``UnreadableFile`` when it is empty or not text.
    """
    refuse_what_is_no_table(head)
    encoding, why_encoding = detect_encoding(head)
    text = to_utf8(head, encoding)[0].decode("utf-8", errors="replace")
    delimiter, why_delimiter = _detect_delimiter(text)
    quote, why_quote = _detect_quote(text, delimiter)
    records = _records(text, delimiter, quote)
    header_row, why_header = _detect_header(records)
    decimal, why_decimal = _detect_decimal(records[header_row:], delimiter)
    reading = Reading(
        encoding=encoding, delimiter=delimiter, quote=quote, header_row=header_row, decimal=decimal
    )
    return Detection(
        reading,
        {
            "format": "text in lines with a repeating delimiter",
            "encoding": why_encoding,
            "delimiter": why_delimiter,
            "quote": why_quote,
            "header_row": why_header,
            "decimal": why_decimal,
        },
    )


def _records(text: str, delimiter: str, quote: str, limit: int = 400) -> list[list[str]]:
    reader = csv.reader(
        io.StringIO(text, newline=""),
        delimiter=delimiter,
        quotechar=quote or None,
        quoting=csv.QUOTE_MINIMAL if quote else csv.QUOTE_NONE,
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
        counts = Counter(len(r) for r in _records(text, delimiter, '"') if any(r))
        if not counts:
            continue
        cells, lines = max(counts.items(), key=lambda item: (item[1] * (item[0] > 1), item[0]))
        if cells < 2:
            continue
        score = lines / sum(counts.values()) * min(cells, 12)
        if score > best_score:
            best, best_score, best_cells, agree = delimiter, score, cells, lines
    if best_cells == 1:
        return best, "no delimiter repeats; read as one column"
    return best, f"a {_DELIMITERS[best]} gives {best_cells} cells on {agree} of the first lines"


def _detect_quote(text: str, delimiter: str) -> tuple[str, str]:
    edge = re.escape(delimiter)
    doubles = len(re.findall(rf'(?:^|{edge}|\n)"', text))
    singles = len(re.findall(rf"(?:^|{edge}|\n)'[^'\n]*'(?={edge}|\r?\n)", text))
    if singles > doubles:
        return "'", f"{singles} cells stand in single quotes"
    if doubles:
        return '"', f"{doubles} cells open with a double quote"
    return '"', "no cell is quoted; double quotes are understood"


def _is_name(cell: str) -> bool:
    return bool(cell.strip()) and not re.fullmatch(r"[\d.,\s%-]+", cell.strip())


def _detect_header(records: list[list[str]]) -> tuple[int, str]:
    """The first record that has the usual width and reads like names."""
    if not records:
        return 1, "the first line"
    width = Counter(len(r) for r in records).most_common(1)[0][0]
    for number, record in enumerate(records[:30], 1):
        cells = [c for c in record if c.strip()]
        if len(record) < width or len(cells) * 2 < width:
            continue
        if sum(map(_is_name, cells)) < len(cells) * 0.8:
            return 0, "the first full line holds values, not names"
        if number == 1:
            return 1, "the first line holds names, not values"
        return number, f"{number - 1} title lines stand above the names"
    return 1, "the first line"


def _detect_decimal(records: list[list[str]], delimiter: str) -> tuple[DecimalMark, str]:
    comma = point = 0
    for record in records:
        for cell in map(str.strip, record):
            comma += bool(_COMMA_NUMBER.match(cell))
            point += bool(_POINT_NUMBER.match(cell))
    if comma > point:
        return ",", f"{comma} of the first cells are numbers with a decimal comma"
    if point:
        return ".", f"{point} of the first cells are numbers with a decimal point"
    return ".", "no number with decimals seen"
