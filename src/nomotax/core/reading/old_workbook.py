"""XLS workbooks (the binary format of 1997 to 2003), cell by cell with their formats."""

from __future__ import annotations

import datetime
import re
from pathlib import Path

import polars as pl
import xlrd

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.sheet import Marks, SheetCells

_SIGNATURE = b"\xd0\xcf\x11\xe0"
_ENCRYPTED = "EncryptedPackage".encode("utf-16-le")
_ZEROS = re.compile(r"^0{2,}$")


def is_old_workbook(path: Path) -> bool:
    """Whether the file is an XLS workbook. Raises ``UnreadableFile`` for an encrypted XLSX, which
    wears the same coat."""
    with path.open("rb") as stream:
        if stream.read(4) != _SIGNATURE:
            return False
        stream.seek(0)
        if _ENCRYPTED in stream.read(4 << 20):
            raise encrypted()
    return True


def encrypted() -> UnreadableFile:
    """The refusal of a workbook with a password."""
    return UnreadableFile(
        "The workbook is encrypted with a password.",
        where="the file as a whole",
        remedy="Open it with the password, save it without one, and upload that.",
    )


def read_old_sheets(path: Path) -> dict[str, SheetCells]:
    """Every sheet with cells. Raises ``UnreadableFile``."""
    try:
        with path.open("rb") as stream, open("/dev/null", "w") as nowhere:  # noqa: PTH123
            book = xlrd.open_workbook(
                file_contents=stream.read(), formatting_info=True, logfile=nowhere
            )
            return {s.name: _sheet(book, s) for s in book.sheets() if s.nrows}
    except Exception as error:
        # The library lets any error of its parsing through; all of them mean the same here.
        if "encrypted" in str(error).lower():
            raise encrypted() from error
        raise UnreadableFile(
            f"The workbook is damaged and cannot be opened: {error or type(error).__name__}.",
            where="the file as a whole",
            remedy="Open it in a spreadsheet program and save it again.",
        ) from error


def _sheet(book: xlrd.Book, sheet: xlrd.sheet.Sheet) -> SheetCells:
    faults: dict[tuple[int, int], str] = {}
    rows = []
    for r in range(sheet.nrows):
        cells = []
        for c in range(sheet.row_len(r)):
            cell = sheet.cell(r, c)
            if cell.ctype == xlrd.XL_CELL_ERROR:
                said = xlrd.error_text_from_code.get(cell.value, "an error")
                faults[r, c] = f"it shows {said}"
            cells.append(_text(book, cell))
        rows.append(cells + [None] * (sheet.ncols - len(cells)))
    names = [f"c{n}" for n in range(sheet.ncols)]
    frame = pl.DataFrame(rows, schema=dict.fromkeys(names, pl.String), orient="row")
    hidden = frozenset(n + 1 for n, info in sheet.rowinfo_map.items() if info.hidden)
    return SheetCells(frame, Marks({}, faults, hidden))


def _text(book: xlrd.Book, cell: xlrd.sheet.Cell) -> str | None:
    if cell.ctype in (xlrd.XL_CELL_EMPTY, xlrd.XL_CELL_BLANK, xlrd.XL_CELL_ERROR):
        return None
    if cell.ctype == xlrd.XL_CELL_TEXT:
        return str(cell.value) or None
    if cell.ctype == xlrd.XL_CELL_BOOLEAN:
        return "true" if cell.value else "false"
    if cell.ctype == xlrd.XL_CELL_DATE:
        return _date(book, cell.value)
    text: str = f"{cell.value:.15g}"
    if "e" in text and float(cell.value).is_integer() and abs(cell.value) < 1e21:
        text = f"{cell.value:.0f}"
    code = book.format_map[book.xf_list[cell.xf_index].format_key].format_str.split(";")[0]
    if _ZEROS.match(code) and text.isdigit():
        return text.zfill(len(code))
    return text


def _date(book: xlrd.Book, value: float) -> str:
    if value < 1:
        return str(datetime.timedelta(seconds=round(value * 86400))).rjust(8, "0")
    try:
        moment = xlrd.xldate_as_datetime(value, book.datemode)
    except (ValueError, OverflowError):
        return f"{value:.15g}"
    return str(moment.isoformat(" ")).removesuffix(" 00:00:00")
