"""What XLSX and ODS say about cells beside their values: formats that show leading zeros,
formulas without a result, hidden rows. Found by scanning, since it concerns few cells.

Sources: ECMA-376 part 1, 18.3.1 (worksheets) and 18.8 (styles); OpenDocument 1.3 part 3,
sections 9.1 (tables) and 16.29 (number styles).
"""

from __future__ import annotations

import posixpath
import re
import zipfile
from collections.abc import Iterator
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


def _xlsx(book: zipfile.ZipFile, sheet: str) -> Marks:
    scan = _Scan(book.read(_sheet_part(book, sheet)))
    zeros: dict[tuple[int, int], int] = {}
    for style, width in _zero_styles(book).items():
        zeros |= {p: width for p, _ in scan.cells(re.escape(b' s="%d"' % style))}
    faults = {p: f"it shows {scan.value(at)}" for p, at in scan.cells(rb' t="e"')}
    c, f, v = (scan.prefix + x for x in (b"c", b"f", b"v"))
    empty = rb"\s*(?:<%b>\s*</%b>|<%b\s*/>)?\s*</%b>" % (v, v, v, c)
    for pattern in (rb"</%b>" % f + empty, rb"<%b\b[^>]*/>" % f + empty):
        faults |= {p: _NO_VALUE for p, _ in scan.cells(pattern)}
    return Marks(zeros, faults, frozenset(scan.hidden_rows()), scan.first_column())


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


def _zero_styles(book: zipfile.ZipFile) -> dict[int, int]:
    """Cell styles whose number format pads with zeros, each with its width."""
    if "xl/styles.xml" not in book.namelist():
        return {}
    tree = _xml(book.read("xl/styles.xml"))
    formats = {f.get("numFmtId"): f.get("formatCode", "") for f in tree.iter("{*}numFmt")}
    styles = {}
    for cell_formats in tree.iter("{*}cellXfs"):
        for index, style in enumerate(cell_formats):
            code = formats.get(style.get("numFmtId"), "").split(";")[0].strip().strip('"')
            if _ZEROS.match(code):
                styles[index] = len(code)
    return styles


_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_STYLE = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"
_NUMBER = "{urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0}"
_MOST_REPEATS = 1 << 20


def _ods(book: zipfile.ZipFile, sheet: str) -> Marks:
    tree = _xml(book.read("content.xml"))
    widths = _ods_zero_styles(tree)
    if "styles.xml" in book.namelist():
        widths |= _ods_zero_styles(_xml(book.read("styles.xml")))
    table = next((t for t in tree.iter(f"{_TABLE}table") if t.get(f"{_TABLE}name") == sheet), None)
    if table is None:
        return Marks()
    zeros: dict[tuple[int, int], int] = {}
    faults: dict[tuple[int, int], str] = {}
    hidden: set[int] = set()
    first, row = _MOST_REPEATS, 0
    defaults = _column_styles(table)
    for line in table.iter(f"{_TABLE}table-row"):
        repeats = int(line.get(f"{_TABLE}number-rows-repeated", "1"))
        if line.get(f"{_TABLE}visibility", "visible") != "visible":
            hidden.update(range(row + 1, row + 1 + min(repeats, 10_000)))
        first = min(first, _ods_row(line, row, defaults, widths, zeros, faults))
        row += repeats
    return Marks(zeros, faults, frozenset(hidden), 0 if first == _MOST_REPEATS else first)


def _ods_row(
    line: Any,
    row: int,
    defaults: list[str],
    widths: dict[str, int],
    zeros: dict[tuple[int, int], int],
    faults: dict[tuple[int, int], str],
) -> int:
    """Marks of one row; gives its first column with a value."""
    first, column = _MOST_REPEATS, 0
    for cell in line:
        if not isinstance(cell.tag, str) or not cell.tag.endswith("table-cell"):
            continue
        repeats = int(cell.get(f"{_TABLE}number-columns-repeated", "1"))
        kind = cell.get(f"{_OFFICE}value-type")
        if kind:
            first = min(first, column)
            default = defaults[column] if column < len(defaults) else ""
            width = widths.get(cell.get(f"{_TABLE}style-name", default), 0)
            if width and kind == "float":
                zeros |= {(row, column + n): width for n in range(min(repeats, 1000))}
        elif cell.get(f"{_TABLE}formula"):
            faults[row, column] = _NO_VALUE
        column += repeats
    return first


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
    return {
        s.get(f"{_STYLE}name"): numbers[s.get(f"{_STYLE}data-style-name")]
        for s in tree.iter(f"{_STYLE}style")
        if s.get(f"{_STYLE}data-style-name") in numbers
    }
