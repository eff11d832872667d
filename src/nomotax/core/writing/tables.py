"""Writes tables of text in open formats: CSV, XLSX, JSON Lines, Parquet."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from decimal import Decimal
from pathlib import Path
from typing import BinaryIO

import polars as pl
import xlsxwriter

from nomotax.core.errors import NomotaxError

FORMATS = ("csv", "xlsx", "jsonl", "parquet")
#: Those that may be written in pieces, one behind the other.
HEADED = ("csv", "jsonl")
_XLSX_ROWS = 1_048_575
#: Numbers no longer than this are kept to their last digit by a spreadsheet.
_DIGITS = 15


def format_of(path: Path) -> str:
    """The format a file name asks for. Raises ``NomotaxError`` for one we do not write."""
    suffix = path.suffix.lower().lstrip(".")
    if suffix not in FORMATS:
        raise NomotaxError(
            f"Cannot write {path.name!r}.",
            remedy=f"Use a name that ends in {', '.join('.' + f for f in FORMATS)}.",
        )
    return suffix


def write_table(
    frame: pl.DataFrame, out: BinaryIO, kind: str, sheet: str = "Products", headed: bool = True
) -> None:
    """Write ``frame`` to ``out``. CSV is RFC 4180 in UTF-8; without its heading line where this is
    not the first piece of a table.

    XLSX cells are all text, so that no spreadsheet re-types a code or a price. Raises
    ``NomotaxError`` when a table is longer than a worksheet.
    """
    if kind == "csv":
        frame.write_csv(out, line_terminator="\r\n", include_header=headed)
    elif kind == "jsonl":
        frame.write_ndjson(out)
    elif kind == "parquet":
        frame.write_parquet(out)
    else:
        write_book({sheet: frame}, out)


def write_lazily(table: pl.LazyFrame, out: BinaryIO, kind: str) -> None:
    """The same for a table that need not fit into memory; a workbook is limited as it is."""
    if kind == "csv":
        table.sink_csv(out, line_terminator="\r\n")
    elif kind == "jsonl":
        table.sink_ndjson(out)
    elif kind == "parquet":
        table.sink_parquet(out)
    else:
        write_table(table.collect(), out, kind)


def write_book(
    sheets: Mapping[str, pl.DataFrame], out: BinaryIO, numbers: Collection[str] = ()
) -> None:
    """Write a workbook with these sheets. Cells are text but for the columns named in ``numbers``,
    which a person may add up. Raises ``NomotaxError`` when a table is longer than a worksheet."""
    longest = max(frame.height for frame in sheets.values())
    if longest > _XLSX_ROWS:
        raise NomotaxError(
            f"A worksheet holds {_XLSX_ROWS:,} rows and this table has {longest:,}.",
            remedy="Write CSV, JSON Lines or Parquet instead.",
        )
    book = xlsxwriter.Workbook(
        out, {"strings_to_urls": False, "strings_to_formulas": False, "constant_memory": True}
    )
    for name, frame in sheets.items():
        page = book.add_worksheet(name)
        page.write_row(0, 0, frame.columns, book.add_format({"bold": True}))
        page.freeze_panes(1, 0)
        counted = [name in numbers for name in frame.columns]
        for number, row in enumerate(frame.cast(pl.String).iter_rows(), 1):
            for column, value in enumerate(row):
                if value is None:
                    continue
                if counted[column] and len(value) <= _DIGITS:
                    page.write_number(number, column, Decimal(value))
                else:
                    page.write_string(number, column, value)
    book.close()
