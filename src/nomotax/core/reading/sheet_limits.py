"""Limits of a sheet, looked at before its cells are taken into memory."""

from __future__ import annotations

import re
import zipfile
import zlib
from pathlib import Path

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.sheet import column_index

#: Cells of the rectangle that holds all values; a spreadsheet program has as much trouble beyond.
MOST_CELLS = 100_000_000
#: Bytes of XML that a workbook's parts may unpack to.
MOST_BYTES = 3 << 30
#: Bytes of the texts that cells share, which a reader holds as a whole: ten million words.
MOST_SHARED = 300 << 20
_FAR = re.compile(rb'\br="([A-Z]{3})\d+"')
_ROW = re.compile(rb'<(?:\w+:)?row\b[^>]*?\br="(\d+)"')


def refuse_bombs(path: Path) -> None:
    """Raises ``UnreadableFile`` for a workbook that would unpack to more than ``MOST_BYTES``, or
    whose values are spread over more than ``MOST_CELLS``: one forgotten cell at the far end of a
    sheet is enough. Files that are no archive are left to their reader, and so are OpenDocument
    sheets, whose reader has the same limit."""
    try:
        with zipfile.ZipFile(path) as book:
            size = sum(entry.file_size for entry in book.infolist())
            if size > MOST_BYTES:
                raise UnreadableFile(
                    f"The workbook unpacks to {size / (1 << 30):.0f} GB; the limit is "
                    f"{MOST_BYTES >> 30} GB.",
                    where="the file as a whole",
                    remedy="Ask the supplier for a smaller file, or for CSV.",
                )
            shared = sum(
                e.file_size for e in book.infolist() if "sharedstrings" in e.filename.lower()
            )
            if shared > MOST_SHARED:
                raise UnreadableFile(
                    f"The texts of the workbook unpack to {shared >> 20:,} MB; the limit is "
                    f"{MOST_SHARED >> 20} MB.",
                    where="its shared strings",
                    remedy="Ask the supplier for CSV.",
                )
            parts = [n for n in book.namelist() if re.fullmatch(r"xl/worksheets/[^/]+\.xml", n)]
            cells, where = max(
                ((_spread(book.read(part)), part) for part in parts), default=(0, "")
            )
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError):
        return
    if cells > MOST_CELLS:
        raise spread_out(cells, where)


def spread_out(cells: int, where: str) -> UnreadableFile:
    """The refusal of a sheet whose values are spread over so many cells."""
    return UnreadableFile(
        f"The values of a sheet are spread over {cells:,} cells; the limit is {MOST_CELLS:,}.",
        where=where,
        remedy="A cell far below or beside the table holds something: delete it, save again.",
    )


def _spread(data: bytes) -> int:
    """Cells of the rectangle from the corner to the last row and the last column used."""
    last = data.rfind(b"<row")
    found = _ROW.search(data, last) if last >= 0 else None
    rows = int(found.group(1)) if found else 0
    far = {m.group(1) for m in _FAR.finditer(data)}
    columns = max((column_index(letters.decode()) + 1 for letters in far), default=702)
    return rows * columns if far or rows > MOST_CELLS // 702 else 0
