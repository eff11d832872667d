"""What each arriving column holds, measured."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel

from nomotax.core.reading.model import ArrivingTable
from nomotax.core.schema.gtin import has_right_check_digit

SAMPLE_ROWS = 20_000
_ENOUGH = 0.9


class ValueCount(BaseModel):
    value: str
    count: int


class ColumnProfile(BaseModel):
    """``looks_like`` names the shape at least nine in ten filled cells have; ``share`` says how
    many do. ``odd`` lists what a person should look at. Lengths are in characters."""

    name: str
    filled: int
    rows: int
    distinct: int
    shortest: int
    longest: int
    least: str | None = None
    greatest: str | None = None
    frequent: list[ValueCount]
    looks_like: str
    share: float
    odd: list[str] = []


_WHOLE = r"(0|[1-9]\d*)"

#: Shapes in the order they are tried; the first that fits enough cells wins.
_SHAPES: tuple[tuple[str, str], ...] = (
    ("picture link", r"(?i)^https?://\S+\.(png|jpe?g|gif|webp|svg)(\?\S*)?$"),
    ("link", r"(?i)^https?://\S+$"),
    ("html", r"(?s)<[a-zA-Z][^>]*>.*"),
    ("date (day.month.year)", r"^\d{1,2}\.\d{1,2}\.\d{4}$"),
    ("date (year-month-day)", r"^\d{4}-\d{2}-\d{2}$"),
    ("date (with slashes)", r"^\d{1,2}/\d{1,2}/\d{4}$"),
    ("yes/no", r"(?i)^(y|n|yes|no|true|false|j|ja|nein|oui|non|o|0|1)$"),
    ("whole number", r"^-?(0|[1-9]\d{0,8})$"),
    ("decimal with comma", rf"^-?\d{{1,3}}(\.\d{{3}})*,\d+$|^-?{_WHOLE}(,\d+)?$"),
    ("decimal with point", rf"^-?\d{{1,3}}(,\d{{3}})*\.\d+$|^-?{_WHOLE}(\.\d+)?$"),
    ("money", r"^(€|\$|£|[A-Z]{3}) ?-?[\d.,]+$|^-?[\d.,]+ ?(€|\$|£|[A-Z]{3})$"),
    ("digits with leading zeros", r"^\d+$"),
    ("measure with unit", r"^-?[\d.,]+ ?(mm|cm|m|in|ft|g|kg|lb|oz|ml|l|\")$"),
    ("category path", r"^[^/>|]+( ?[/>|] ?[^/>|]+)+$"),
)


def profile_table(table: ArrivingTable) -> list[ColumnProfile]:
    """One profile a column. Counts cover every row; shapes a sample of ``SAMPLE_ROWS``."""
    frame = table.frame
    sample = (
        frame
        if frame.height <= SAMPLE_ROWS
        else frame.gather_every(frame.height // SAMPLE_ROWS + 1)
    )
    return [_profile(frame[name], sample[name]) for name in table.columns]


def _profile(column: pl.Series, sample: pl.Series) -> ColumnProfile:
    cells = column.drop_nulls()
    lengths = cells.str.len_chars()
    counts = cells.value_counts(sort=True, name="count") if cells.len() else None
    looks_like, share = _looks_like(sample.drop_nulls())
    least, greatest = _range(cells, looks_like)
    return ColumnProfile(
        name=column.name,
        filled=cells.len(),
        rows=column.len(),
        distinct=counts.height if counts is not None else 0,
        shortest=_int(lengths.min()),
        longest=_int(lengths.max()),
        least=least,
        greatest=greatest,
        frequent=_frequent(counts, column.name),
        looks_like=looks_like,
        share=share,
        odd=_odd(sample.drop_nulls(), looks_like, share),
    )


def _int(value: object) -> int:
    return int(str(value)) if value is not None else 0


def _frequent(counts: pl.DataFrame | None, name: str) -> list[ValueCount]:
    if counts is None:
        return []
    top = counts.sort("count", name, descending=[True, False]).head(6)
    return [ValueCount(value=v, count=c) for v, c in top.rows()]


def _looks_like(cells: pl.Series) -> tuple[str, float]:
    if cells.len() == 0:
        return "empty", 1.0
    text = cells.str.strip_chars()
    frame = pl.DataFrame({"t": text})
    digits = float(frame.select(pl.col("t").str.contains(r"^(\d{8}|\d{12,14})$").mean()).item())
    if digits >= _ENOUGH:
        right = float(frame.select(has_right_check_digit(pl.col("t")).mean()).item())
        if right >= 0.5:
            return "GTIN", right
    for name, pattern in _SHAPES:
        share = float(frame.select(pl.col("t").str.contains(pattern).mean()).item())
        if share >= _ENOUGH:
            return name, share
    return "text", 1.0


def _range(cells: pl.Series, looks_like: str) -> tuple[str | None, str | None]:
    """Least and greatest of number columns, in the supplier's own writing."""
    if looks_like not in ("whole number", "decimal with comma", "decimal with point"):
        return None, None
    text = pl.col("t").str.strip_chars()
    if looks_like == "decimal with comma":
        plain = text.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    else:
        plain = text.str.replace_all(",", "", literal=True)
    ranked = (
        pl.DataFrame({"t": cells})
        .with_columns(n=plain.cast(pl.Decimal(38, 6), strict=False))
        .drop_nulls()
        .sort("n")
    )
    if ranked.height == 0:
        return None, None
    return str(ranked["t"][0]), str(ranked["t"][-1])


def _odd(cells: pl.Series, looks_like: str, share: float) -> list[str]:
    odd = []
    blanks = int((cells != cells.str.strip_chars()).sum())
    if blanks:
        odd.append(f"{blanks} with blanks at an end")
    broken = int(cells.str.contains("�", literal=True).sum())
    if broken:
        odd.append(f"{broken} with characters lost to a wrong encoding")
    damaged = int(cells.str.contains(r"^\d[.,]\d+E\+\d+$").sum())
    if damaged:
        odd.append(f"{damaged} barcodes damaged by a spreadsheet (as in 9.52E+12)")
    if share < 1.0:
        others = round((1 - share) * cells.len())
        what = "with a wrong check digit" if looks_like == "GTIN" else f"not like {looks_like}"
        odd.append(f"{others} {what}")
    return odd
