"""What XLSX and ODS say about cells beside their values: formats that show leading zeros and
times, formulas without a result, hidden rows, columns and sheets. Found by scanning, since it
concerns few cells.

Sources: ECMA-376 part 1, 18.3.1 (worksheets) and 18.8 (styles); OpenDocument 1.3 part 3,
sections 9.1 (tables) and 16.29 (number styles).
"""

from __future__ import annotations

import posixpath
import re
import zipfile
import zlib
from collections.abc import Callable, Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

from lxml import etree

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.sheet import Marks, column_index, column_letters

_REL = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_REF = re.compile(rb'\br="([A-Z]+)(\d+)"')
_ROW_NUMBER = re.compile(rb'\br="(\d+)"')
#: Formats such as 000000 or 00-000; the first part, for positive numbers, counts.
_ZEROS = re.compile(r"^0{2,}$")
_NO_VALUE = "its formula has no result stored"


def marks_of(path: Path, sheet: str) -> Marks:
    """The marks of one sheet. A workbook of neither kind has none."""
    try:
        with zipfile.ZipFile(path) as book:
            names = set(book.namelist())
            if "xl/workbook.xml" in names:
                return _xlsx(book, sheet)
            if "content.xml" in names:
                return _ods(book, sheet)
    except (zipfile.BadZipFile, etree.XMLSyntaxError, KeyError, EOFError, OSError) as error:
        raise UnreadableFile(
            f"The workbook is damaged: {error}.",
            where=f"sheet {sheet!r}",
            remedy="Open it in a spreadsheet program and save it again.",
        ) from error
    return Marks()


def _xml(data: bytes) -> Any:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
    return etree.fromstring(data, parser)


def hidden_sheets(path: Path) -> set[str]:
    """The sheets that a person who opens the workbook does not see."""
    try:
        with zipfile.ZipFile(path) as book:
            names = set(book.namelist())
            if "xl/workbook.xml" in names:
                sheets = _xml(book.read("xl/workbook.xml")).iter("{*}sheet")
                return {s.get("name") for s in sheets if s.get("state", "visible") != "visible"}
            if "content.xml" in names:
                return _ods_hidden_sheets(_xml(book.read("content.xml")))
    except (zipfile.BadZipFile, zlib.error, etree.XMLSyntaxError, KeyError, EOFError, OSError):
        pass  # whoever reads the cells says what is wrong
    return set()


def _xlsx(book: zipfile.ZipFile, sheet: str) -> Marks:
    scan = _Scan(_addressed(book.read(_sheet_part(book, sheet))))
    zeros: dict[tuple[int, int], int] = {}
    styles = _styles(book)
    shown: dict[tuple[int, int], str] = {}
    for style, write in _time_styles(styles).items():
        for place, at in scan.cells(re.escape(b' s="%d"' % style)):
            text = write(scan.value(at))
            if text:
                shown[place] = text
    for style, width in _zero_styles(styles).items():
        zeros |= {p: width for p, _ in scan.cells(re.escape(b' s="%d"' % style))}
    faults = {p: f"it shows {scan.value(at)}" for p, at in scan.cells(rb' t="e"')}
    c, f, v = (scan.prefix + x for x in (b"c", b"f", b"v"))
    empty = rb"\s*(?:<%b>\s*</%b>|<%b\s*/>)?\s*</%b>" % (v, v, v, c)
    for pattern in (rb"</%b>" % f + empty, rb"<%b\b[^>]*/>" % f + empty):
        faults |= {p: _NO_VALUE for p, _ in scan.cells(pattern)}
    return Marks(
        zeros, faults, frozenset(scan.hidden_rows()), frozenset(scan.hidden_columns()), shown,
        scan.first_column(),
    )  # fmt: skip


def _addressed(data: bytes) -> bytes:
    """A worksheet in which every row and cell says where it stands; some programs leave that out
    where one follows the other."""
    if not re.search(rb"<(?:\w+:)?(?:row|c)(?:\s+(?!r=)[\w:]+=\"[^\"]*\")*\s*/?>", data):
        return data
    tree = _xml(data)
    row_number = 0
    for row in tree.iter("{*}row"):
        row_number = int(row.get("r", row_number + 1))
        row.set("r", str(row_number))
        column = -1
        for cell in row.iter("{*}c"):
            own = re.match(r"[A-Z]+", cell.get("r", ""))
            column = column_index(own[0]) if own else column + 1
            others = dict(cell.attrib)
            cell.attrib.clear()
            cell.set("r", f"{column_letters(column)}{row_number}")
            cell.attrib.update({k: v for k, v in others.items() if k != "r"})
    return etree.tostring(tree)


class _Scan:
    """The XML of a worksheet as bytes, searched for the few cells that matter."""

    def __init__(self, data: bytes) -> None:
        self.data = data
        root = re.search(rb"<(\w+:)?worksheet\b", data[:4000])
        self.prefix = (root.group(1) or b"") if root else b""
        self._open = b"<" + self.prefix + b"c "

    def cells(self, pattern: bytes) -> Iterator[tuple[tuple[int, int], int]]:
        """Places of the cells in which ``pattern`` is found, and where it was."""
        for match in re.finditer(pattern, self.data):
            start = self.data.rfind(self._open, 0, match.start() + len(self._open))
            ref = _REF.search(self.data, start, self.data.find(b">", start)) if start >= 0 else None
            if ref:
                column = column_index(ref.group(1).decode())
                yield (int(ref.group(2)) - 1, column), match.start()

    def value(self, at: int) -> str:
        """The stored value of the cell around ``at``."""
        tag = b"<" + self.prefix + b"v>"
        start = self.data.find(tag, at) + len(tag)
        return self.data[start : self.data.find(b"<", start)].decode("utf-8", "replace")

    def hidden_rows(self) -> Iterator[int]:
        row = b"<" + self.prefix + b"row "
        for match in re.finditer(rb' hidden="(?:1|true)"', self.data):
            start = self.data.rfind(b"<", 0, match.start())
            number = _ROW_NUMBER.search(self.data, start, match.end() + 200)
            if self.data.startswith(row, start) and number:
                yield int(number.group(1))

    def hidden_columns(self) -> Iterator[int]:
        for match in re.finditer(rb"<%bcol\b[^>]*>" % self.prefix, self.data[: 1 << 20]):
            tag = match.group()
            if re.search(rb'\bhidden="(?:1|true)"', tag):
                ends = [re.search(rb'\b%b="(\d+)"' % end, tag) for end in (b"min", b"max")]
                first, last = (int(e.group(1)) if e else 0 for e in ends)
                yield from range(first - 1, min(last, 16_384))

    def first_column(self) -> int:
        """The first column with a value: where the reader's cells begin."""
        value = rb'\d+"[^>]*>(?:<%bf\b[^<]*(?:</%bf>)?)?<%b(?:v>[^<]|is>)' % ((self.prefix,) * 3)
        for index in range(60):
            if re.search(self._open + b'r="' + column_letters(index).encode() + value, self.data):
                return index
        return 0


def _sheet_part(book: zipfile.ZipFile, sheet: str) -> str:
    """The archive entry that holds a sheet, by way of the workbook's relationships."""
    tree = _xml(book.read("xl/workbook.xml"))
    ids = [s.get(_REL) for s in tree.iter("{*}sheet") if s.get("name") == sheet]
    relations = _xml(book.read("xl/_rels/workbook.xml.rels"))
    for relation in relations:
        if ids and relation.get("Id") == ids[0]:
            target: str = relation.get("Target")
            if target.startswith("/"):
                return target[1:]
            return posixpath.normpath(posixpath.join("xl", target))
    raise KeyError(f"sheet {sheet!r} has no part in the workbook")


#: Formats of times that have a number and no code of their own (ECMA-376 part 1, 18.8.30).
_BUILT_IN = {"18": "h:mm", "19": "h:mm:ss", "20": "h:mm", "21": "h:mm:ss", "45": "mm:ss",
             "46": "[h]:mm:ss", "47": "mm:ss"}  # fmt: skip


def _styles(book: zipfile.ZipFile) -> dict[int, str]:
    """The format code of each cell style, its part for positive numbers."""
    if "xl/styles.xml" not in book.namelist():
        return {}
    tree = _xml(book.read("xl/styles.xml"))
    formats = {f.get("numFmtId"): f.get("formatCode", "") for f in tree.iter("{*}numFmt")}
    codes = {**_BUILT_IN, **formats}
    return {
        index: codes.get(style.get("numFmtId"), "").split(";")[0].strip()
        for cell_formats in tree.iter("{*}cellXfs")
        for index, style in enumerate(cell_formats)
    }


def _zero_styles(styles: dict[int, str]) -> dict[int, int]:
    """Cell styles whose number format pads with zeros, each with its width."""
    bare = {index: code.strip('"') for index, code in styles.items()}
    return {index: len(code) for index, code in bare.items() if _ZEROS.match(code)}


def _time_styles(styles: dict[int, str]) -> dict[int, Callable[[str], str]]:
    """Cell styles that show a time of day or a duration, with what writes a cell's number so."""
    found: dict[int, Callable[[str], str]] = {}
    for index, code in styles.items():
        plain = re.sub(r'"[^"]*"|\\.', "", code.lower())
        if re.search(r"\[(h+|m+|s+)\]", plain):
            found[index] = _duration
        elif re.search(r"[hs]", re.sub(r"\[[^\]]*\]", "", plain)) and not re.search("[dy]", plain):
            found[index] = _time_of_day
    return found


def _time_of_day(days: str) -> str:
    """``0.375`` as ``09:00``: what lies before midnight is of no day."""
    seconds = _seconds(days)
    return "" if seconds is None else _clock(seconds % 86_400)


def _duration(days: str) -> str:
    """``1.104166`` as ``26:30``."""
    seconds = _seconds(days)
    return "" if seconds is None else _clock(seconds)


def _seconds(days: str) -> int | None:
    try:
        return round(Decimal(days) * 86_400)
    except (ArithmeticError, ValueError):
        return None


def _clock(seconds: int) -> str:
    sign, size = "-" if seconds < 0 else "", abs(seconds)
    hours, minutes, rest = size // 3600, size // 60 % 60, size % 60
    return f"{sign}{hours:02}:{minutes:02}" + (f":{rest:02}" if rest else "")


_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_STYLE = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"
_NUMBER = "{urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0}"
_MOST_REPEATS = 1 << 20
#: Rows that one element may stand for and still be read one by one.
_MOST_ROWS = 100_000


def _ods(book: zipfile.ZipFile, sheet: str) -> Marks:
    tree = _xml(book.read("content.xml"))
    widths = _ods_zero_styles(tree)
    if "styles.xml" in book.namelist():
        widths |= _ods_zero_styles(_xml(book.read("styles.xml")))
    table = next((t for t in tree.iter(f"{_TABLE}table") if t.get(f"{_TABLE}name") == sheet), None)
    if table is None:
        return Marks()
    marks = _OdsMarks(widths, _column_styles(table))
    hidden: set[int] = set()
    first, row = _MOST_REPEATS, 0
    for line in table.iter(f"{_TABLE}table-row"):
        repeats = int(line.get(f"{_TABLE}number-rows-repeated", "1"))
        if line.get(f"{_TABLE}visibility", "visible") != "visible":
            hidden.update(range(row + 1, row + 1 + min(repeats, _MOST_ROWS)))
        for again in range(min(repeats, _MOST_ROWS)):
            began = marks.take(line, row + again)
            first = min(first, began)
            if began == _MOST_REPEATS:
                break  # the empty rows below the table are repeated by the million
        row += repeats
    return Marks(
        marks.zeros, marks.faults, frozenset(hidden), _ods_hidden_columns(table), marks.shown,
        0 if first == _MOST_REPEATS else first,
    )  # fmt: skip


def _ods_hidden_columns(table: Any) -> frozenset[int]:
    hidden, at = set[int](), 0
    for column in table.iter(f"{_TABLE}table-column"):
        repeats = min(int(column.get(f"{_TABLE}number-columns-repeated", "1")), 1024)
        if column.get(f"{_TABLE}visibility", "visible") != "visible":
            hidden |= set(range(at, at + repeats))
        at += repeats
    return frozenset(hidden)


def _ods_hidden_sheets(tree: Any) -> set[str]:
    unseen = {
        s.get(f"{_STYLE}name")
        for s in tree.iter(f"{_STYLE}style")
        if any(p.get(f"{_TABLE}display") == "false" for p in s.iter(f"{_STYLE}table-properties"))
    }
    tables = tree.iter(f"{_TABLE}table")
    return {t.get(f"{_TABLE}name") for t in tables if t.get(f"{_TABLE}style-name") in unseen}


def _iso_duration(text: str) -> str:
    """``PT26H30M00S`` as ``26:30`` (ISO 8601)."""
    found = re.fullmatch(r"(-?)P(?:(\d+)D)?T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:[.,]\d+)?S)?", text)
    if found is None:
        return ""
    days, hours, minutes, seconds = (int(n or 0) for n in found.groups()[1:])
    total = ((days * 24 + hours) * 60 + minutes) * 60 + seconds
    return _clock(-total if found[1] else total)


class _OdsMarks:
    """Marks of a table's rows, gathered one after the other."""

    def __init__(self, widths: dict[str, int], defaults: list[str]) -> None:
        self.widths, self.defaults = widths, defaults
        self.zeros: dict[tuple[int, int], int] = {}
        self.faults: dict[tuple[int, int], str] = {}
        self.shown: dict[tuple[int, int], str] = {}

    def take(self, line: Any, row: int) -> int:
        """Gives the row's first column with a value."""
        first, column = _MOST_REPEATS, 0
        for cell in line:
            if not isinstance(cell.tag, str) or not cell.tag.endswith("table-cell"):
                continue
            repeats = int(cell.get(f"{_TABLE}number-columns-repeated", "1"))
            if cell.get(f"{_OFFICE}value-type"):
                first = min(first, column)
                for n in range(min(repeats, 1000)):
                    self._value(cell, line, row, column + n)
            elif cell.get(f"{_TABLE}formula"):
                self.faults[row, column] = _NO_VALUE
            column += repeats
        return first

    def _value(self, cell: Any, line: Any, row: int, column: int) -> None:
        kind = cell.get(f"{_OFFICE}value-type")
        if kind == "time":
            self.shown[row, column] = _iso_duration(cell.get(f"{_OFFICE}time-value", ""))
        elif kind == "float":
            below = self.defaults[column] if column < len(self.defaults) else ""
            style = line.get(f"{_TABLE}default-cell-style-name") or below
            width = self.widths.get(cell.get(f"{_TABLE}style-name", style), 0)
            if width:
                self.zeros[row, column] = width


def _column_styles(table: Any) -> list[str]:
    styles: list[str] = []
    for column in table.iter(f"{_TABLE}table-column"):
        repeats = min(int(column.get(f"{_TABLE}number-columns-repeated", "1")), 1024)
        styles += [column.get(f"{_TABLE}default-cell-style-name", "")] * repeats
    return styles


def _ods_zero_styles(tree: Any) -> dict[str, int]:
    numbers = {}
    for style in tree.iter(f"{_NUMBER}number-style"):
        for number in style.iter(f"{_NUMBER}number"):
            width = int(number.get(f"{_NUMBER}min-integer-digits", "1"))
            places = int(number.get(f"{_NUMBER}decimal-places", "0"))
            if width > 1 and places == 0:
                numbers[style.get(f"{_STYLE}name")] = width
    styles = {s.get(f"{_STYLE}name"): s for s in tree.iter(f"{_STYLE}style")}
    widths = {name: _inherited(style, styles, numbers) for name, style in styles.items()}
    return {name: width for name, width in widths.items() if width}


def _inherited(style: Any, styles: dict[str, Any], numbers: dict[str, int]) -> int:
    """The width of a style's number format, or of that of a style it is made from."""
    for _ in range(10):
        own = style.get(f"{_STYLE}data-style-name")
        if own is not None:
            return numbers.get(own, 0)
        style = styles.get(style.get(f"{_STYLE}parent-style-name", ""))
        if style is None:
            return 0
    return 0
