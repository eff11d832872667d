"""Cells that were damaged before they arrived: barcodes a spreadsheet turned into numbers like
9.52E+12, and cells too large to be meant."""

from __future__ import annotations

from typing import Literal

import polars as pl

from nomotax.core.gtin import has_right_check_digit
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.table import HIDDEN, ROW

#: Eleven digits and more are no price and no measure: this was a barcode.
EXPONENT = r"^\d([.,]\d{1,11})?E\+1[0-4]$"
#: The same, written out again: the lost digits have become zeros.
_ZEROS = r"^\d{3,8}0{5,}$"
_HUGE = 1 << 20
_EXAMPLES = 10
_TOLD = 50


def hold_damaged(
    table: pl.LazyFrame,
    damaged: Literal["hold", "empty"],
    told: list[ReadingProblem],
    exponents: bool = True,
) -> pl.LazyFrame:
    """Name every damaged barcode. It stays in the table as it arrived, and is refused by the
    field that it is sent to, unless a person wants it empty. Without ``exponents`` no cell has
    one, by an earlier look at the bytes."""
    names = [n for n in table.collect_schema().names() if n not in HIDDEN]
    if not names:
        return table
    suspects = [n for n, hit in _hits(table, names, exponents).items() if hit]
    columns = [n for n in suspects if _has_damaged(table, n, exponents)]
    if not columns:
        return table
    _tell(table, columns, damaged, told)
    if damaged == "hold":
        return table
    return table.with_columns(pl.when(~_is_damaged(n)).then(pl.col(n)).alias(n) for n in columns)


def _hits(table: pl.LazyFrame, names: list[str], exponents: bool) -> dict[str, bool]:
    looks = table.select(_may_be_damaged(n, exponents).any().alias(n) for n in names)
    return looks.collect(engine="streaming").row(0, named=True)


def _has_damaged(table: pl.LazyFrame, name: str, exponents: bool) -> bool:
    rows = table.filter(_may_be_damaged(name, exponents)).select(_is_damaged(name).any())
    return bool(rows.collect(engine="streaming").item())


def _may_be_damaged(name: str, exponents: bool) -> pl.Expr:
    """A quick look that misses none: patterns are slow on a million rows."""
    text = pl.col(name)
    zeros = text.str.ends_with("00000") & text.str.len_bytes().is_between(12, 14)
    return (text.str.contains("E+1", literal=True) | zeros) if exponents else zeros


def _is_damaged(name: str) -> pl.Expr:
    return is_damaged(pl.col(name))


def is_damaged(text: pl.Expr, number: pl.Expr | None = None) -> pl.Expr:
    """True for a number such as 9.52E+12, and for one whose lost digits have become zeros."""
    zeros = text.str.len_bytes().is_in([12, 13, 14]) & text.str.contains(_ZEROS)
    # Worked out only where the shape fits: a barcode may end in zeros by right.
    wrong = zeros & ~has_right_check_digit(pl.when(zeros).then(text), number)
    return (text.str.contains(EXPONENT) | wrong).fill_null(False)


def damaged_codes(texts: pl.Series) -> pl.Series:
    """The same for many texts of which hardly any is suspect: only those are looked at closely."""
    suspect = texts.str.contains("E+1", literal=True) | texts.str.ends_with("00000")
    return _closely(texts, suspect)


def damaged_texts(texts: pl.Series) -> pl.Series:
    """True for a number such as 9.52E+12 alone: zeros at the end of a text mean nothing."""
    suspect = texts.str.contains("E+1", literal=True)
    if not suspect.any():
        return _closely(texts, suspect)
    return texts.str.contains(EXPONENT).fill_null(False)


def _closely(texts: pl.Series, suspect: pl.Series) -> pl.Series:
    if not suspect.any():
        return pl.repeat(False, texts.len(), dtype=pl.Boolean, eager=True)
    found = texts.filter(suspect.fill_null(False)).unique()
    frame = pl.DataFrame({"t": found, "n": found.cast(pl.UInt64, strict=False)})
    wrong = found.filter(frame.select(is_damaged(pl.col("t"), pl.col("n"))).to_series())
    return texts.is_in(wrong.implode()).fill_null(False)


def _tell(
    table: pl.LazyFrame, columns: list[str], damaged: str, told: list[ReadingProblem]
) -> None:
    for name in columns:
        cells = table.filter(_is_damaged(name)).select(ROW, name).collect(engine="streaming")
        kept = "they stay as they arrived, and the fields they are sent to refuse them"
        what = kept if damaged == "hold" else "they arrive empty"
        told.append(
            ReadingProblem(
                kind="damaged_barcode",
                row=int(cells[ROW][0]),
                count=cells.height,
                examples=tuple(cells[name].head(_EXAMPLES).to_list()),
                message=f"{name!r}: {cells.height:,} barcodes were damaged by a spreadsheet (as "
                f"in {cells[name][0]}, row {cells[ROW][0]}); {what}. Ask for the file with this "
                "column as text.",
            )
        )


def tell_huge(table: pl.LazyFrame, told: list[ReadingProblem]) -> None:
    """Name columns with a cell of more than a megabyte."""
    names = [n for n in table.collect_schema().names() if n not in HIDDEN]
    if not names:
        return
    sizes = table.select(pl.col(n).str.len_bytes().max() for n in names)
    for name, size in sizes.collect(engine="streaming").row(0, named=True).items():
        if size and size > _HUGE:
            row = table.filter(pl.col(name).str.len_bytes() == size).select(ROW).head(1).collect()
            told.append(
                ReadingProblem(
                    kind="huge_cell",
                    row=int(row.item()),
                    message=f"{name!r}, row {row.item()}: a cell of {size / (1 << 20):.1f} MB. A "
                    "quote may be missing somewhere before its end.",
                )
            )
