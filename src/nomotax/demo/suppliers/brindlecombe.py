"""Brindlecombe Brushes: a workbook with titles, joined header cells, formulas, codes with leading
zeros, two sheets of one shape, totals, prices in pounds sterling."""

from __future__ import annotations

import datetime
import io
import random
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Any

import xlsxwriter

from nomotax.demo.suppliers.goods import Moved, gtin

NAME = "Brindlecombe Brushes"
HOST = "http://files.brindlecombe.example"
# ruff: noqa: E501 - tables of goods are read best one line a pair
_HAIRS = (
    ("Otter", "sable", "round", "short", "5.20"), ("Otter", "sable", "flat", "short", "5.60"),
    ("Otter", "sable", "rigger", "short", "4.90"), ("Fowey", "synthetic", "mop", "short", "3.30"),
    ("Fowey", "synthetic", "filbert", "long", "1.95"), ("Fowey", "synthetic", "fan", "long", "2.20"),
    ("Camel", "pony", "round", "short", "0.95"), ("Camel", "pony", "flat", "short", "1.05"),
    ("Yealm", "hog bristle", "angle", "long", "2.25"), ("Yealm", "hog bristle", "egbert", "long", "2.9"),
    ("Yealm", "hog bristle", "bright", "long", "2.10"), ("Taw", "ox hair", "one stroke", "short", "3.8"),
    ("Taw", "ox hair", "sign", "long", "4.4"), ("Taw", "ox hair", "fitch", "long", "3.5"),
    ("Marlow", "sable", "round", "short", "4.10"), ("Marlow", "sable", "filbert", "long", "4.60"),
    ("Tamar", "synthetic", "round", "short", "1.55"), ("Tamar", "synthetic", "flat", "short", "1.70"),
    ("Tamar", "synthetic", "rigger", "short", "1.45"), ("Exe", "hog bristle", "round", "long", "1.95"),
    ("Exe", "hog bristle", "flat", "long", "2.05"), ("Exe", "hog bristle", "filbert", "long", "2.15"),
    ("Exe", "hog bristle", "fan", "long", "2.60"), ("Teign", "squirrel", "mop", "short", "5.80"),
    ("Teign", "squirrel", "quill", "short", "6.40"), ("Dart", "badger", "softener", "long", "9.20"),
    ("Lyn", "mixed hair", "round", "short", "2.35"), ("Lyn", "mixed hair", "flat", "short", "2.50"),
)  # fmt: skip
_WASHES = (
    ("Severn", "goat", "hake", "flat", "3.10"), ("Severn", "goat", "wash", "short", "3.60"),
    ("Avon", "synthetic", "wash", "short", "2.90"), ("Avon", "synthetic", "mottler", "short", "4.40"),
)  # fmt: skip
_SIZES = ("000", "00", "0", "1", "2", "3", "4", "6", "8", "10", "12", "14", "16", "18", "20", "24")
_HEAD = ["Code", "Barcode", "Range", "Size", "Hair", "Shape", "Handle", "Length", None, "Price",
         None, "Stock", "Case", "Since", "Picture", "Remark"]  # fmt: skip
_BELOW = [None, None, None, None, None, None, None, "hair", "overall", "trade", "retail", None,
          None, None, None, None]  # fmt: skip
_UNITS = [None, None, None, None, None, None, None, "mm", "mm", "GBP", "GBP", "pcs", "pcs", None,
          None, None]  # fmt: skip


@dataclass(frozen=True)
class Brush:
    code: int
    range: str
    size: str
    hair: str
    shape: str
    handle: str
    millimetres: tuple[int, int]
    trade: Decimal
    stock: int
    case: int
    since: datetime.date

    @property
    def gtin(self) -> str:
        return gtin(6_200_000 + self.code)


def _brushes(rng: random.Random, kinds: Any, first: int, week: int) -> list[Brush]:
    made = []
    for k, (name, hair, shape, handle, base) in enumerate(kinds):
        for s, size in enumerate(_SIZES):
            factor = Decimal(100 + s * s * 9) / 100
            trade = (Decimal(base) * factor).quantize(Decimal("0.01"), ROUND_HALF_UP)
            if week == 2 and name == "Exe":
                trade = (trade * Decimal("1.06")).quantize(Decimal("0.01"), ROUND_HALF_UP)
            stock, case = rng.choice([0, 3, 12, 24, 60]), rng.choice([1, 3, 6, 12])
            since = datetime.date(
                2012 + rng.randrange(14), rng.randrange(1, 13), rng.randrange(1, 28)
            )
            if week == 2 and (k * 16 + s) % 61 == 60:
                continue
            made.append(
                Brush(
                    first + k * 20 + s, f"{name} {shape}", size, hair, shape, handle,
                    (6 + s * 2, 170 + s * 4 + (60 if handle == "long" else 0)), trade, stock, case,
                    since,
                )
            )  # fmt: skip
    return made


def workbook(week: int, moved: Moved[Brush] = list) -> bytes:
    """The workbook of a week, faults planted, with its brushes as they have ``moved``."""
    out = io.BytesIO()
    book = xlsxwriter.Workbook(out, {"strings_to_urls": False})
    book.set_properties({"created": datetime.datetime(2026, 11, 9 + 7 * week)})
    rng = random.Random(77)
    washes = _brushes(rng, _WASHES, 900, week)
    _sheet(book, "Artists' brushes", moved(_brushes(rng, _HAIRS, 120, week)), week)
    _sheet(book, "Wash and hake", moved(washes), week)
    notes = book.add_worksheet("Terms")
    notes.write_column(0, 0, ["Terms of trade", "Minimum order 150 GBP.", "Carriage paid."])
    book.close()
    return out.getvalue()


def _sheet(book: xlsxwriter.Workbook, name: str, brushes: list[Brush], week: int) -> None:
    sheet = book.add_worksheet(name)
    bold = book.add_format({"bold": True})
    formats = {
        "code": book.add_format({"num_format": "000000"}),
        "day": book.add_format({"num_format": "dd/mm/yyyy"}),
        "money": book.add_format({"num_format": "#,##0.00"}),
    }
    sheet.write(0, 0, "BRINDLECOMBE BRUSHES", book.add_format({"bold": True, "font_size": 18}))
    sheet.write(1, 0, f"Trade list, valid from {9 + 7 * week} November 2026")
    for column, title in enumerate(_HEAD):
        if title in ("Length", "Price"):
            sheet.merge_range(3, column, 3, column + 1, title, bold)
        elif title:
            sheet.merge_range(3, column, 4, column, title, bold)
    for column, title in enumerate(_BELOW):
        if title:
            sheet.write(4, column, title, bold)
    for column, unit in enumerate(_UNITS):
        if unit:
            sheet.write(5, column, unit)
    for row, brush in enumerate(brushes, 6):
        _row(sheet, row, brush, formats)
    sheet.write(6 + len(brushes) + 1, 0, f"Total {len(brushes)} articles")


def _row(sheet: Any, row: int, brush: Brush, formats: dict[str, Any]) -> None:
    place = row - 6
    sheet.write_number(row, 0, brush.code, formats["code"])
    if place % 53 == 11:
        # What a spreadsheet leaves of a barcode that was saved as a number once too often.
        sheet.write_string(row, 1, f"{brush.gtin[0]}.{brush.gtin[1:6]}E+12")
    else:
        sheet.write_string(row, 1, brush.gtin)
    sheet.write_row(row, 2, [brush.range, brush.size, brush.hair, brush.shape, brush.handle])
    sheet.write_row(row, 7, list(brush.millimetres))
    sheet.write_number(row, 9, float(brush.trade), formats["money"])
    retail = (brush.trade * Decimal("2.1")).quantize(Decimal("0.01"), ROUND_HALF_UP)
    result: Any = float(retail)
    if place in (41, 97):
        result = ""  # saved by a program that does not work formulas out
    if place == 70:
        result = "#N/A"
    sheet.write_formula(row, 10, f"=ROUND(J{row + 1}*2.1,2)", formats["money"], result)
    sheet.write_row(row, 11, [brush.stock, brush.case])
    moment = datetime.datetime.combine(brush.since, datetime.time())
    sheet.write_datetime(row, 13, moment, formats["day"])
    sheet.write_string(row, 14, f"{HOST}/pictures/{brush.code:06d}.svg")
    if place % 40 == 39:
        sheet.write_string(row, 15, "discontinued, while stocks last")
        sheet.set_row(row, None, None, {"hidden": True})
