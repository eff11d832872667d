"""How long it takes until a workbook that would fill the memory is refused, beside the time an
honest one of 20,000 rows takes to be read: ``python -m bench.bombs``."""

from __future__ import annotations

import tempfile
import time
import zipfile
from pathlib import Path

import polars as pl
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table, TableCell, TableRow
from odf.text import P

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.read import Source, detect, read
from nomotax.core.writing.tables import write_table

AIM = 3.0


def honest(path: Path) -> None:
    """Twenty thousand rows of ten cells."""
    frame = pl.DataFrame({f"c{n}": [f"{n} {i}" for i in range(20_000)] for n in range(10)})
    with path.open("wb") as out:
        write_table(frame, out, "xlsx")


def far(path: Path) -> None:
    """The honest one, with a forgotten cell in the last corner of its sheet."""
    source = path.with_name("honest.xlsx")
    with zipfile.ZipFile(source) as book, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
        for name in book.namelist():
            data = book.read(name)
            if name.startswith("xl/worksheets/sheet"):
                cell = b'<row r="1048576"><c r="XFD1048576"><v>1</v></c></row></sheetData>'
                data = data.replace(b"</sheetData>", cell)
            out.writestr(name, data)


def repeated(path: Path) -> None:
    """An OpenDocument sheet whose one cell stands everywhere."""
    document, sheet = OpenDocumentSpreadsheet(), Table(name="S")
    row = TableRow(numberrowsrepeated=1_048_576)
    cell = TableCell(numbercolumnsrepeated=16_384, valuetype="string")
    cell.addElement(P(text="x"))
    row.addElement(cell)
    sheet.addElement(row)
    document.spreadsheet.addElement(sheet)
    document.save(str(path))


def taken(path: Path) -> tuple[float, str]:
    """Seconds until it is read or refused, and which."""
    begin = time.perf_counter()
    try:
        source = Source(path)
        rows = read(source, detect(source).reading).frame.height
        said = f"read, {rows:,} rows"
    except UnreadableFile as error:
        said = error.message
    return time.perf_counter() - begin, said


def main() -> None:
    """Compare them, the honest one first."""
    with tempfile.TemporaryDirectory() as folder:
        files = {"honest.xlsx": honest, "far.xlsx": far, "repeated.ods": repeated}
        base = 0.0
        for name, make in files.items():
            path = Path(folder) / name
            make(path)
            seconds, said = taken(path)
            base = base or seconds
            print(f"{name:<14}{seconds:>6.2f} s  {seconds / base:>5.2f} of the honest one  {said}")
    print(f"aim: refused in under {AIM:.0f} s")


if __name__ == "__main__":
    main()
