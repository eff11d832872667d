"""What each arriving column holds, measured."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl
from pydantic import BaseModel

from nomotax.core.reading.model import ArrivingTable
from nomotax.core.reading.oddities import MONTH_FIRST, oddities
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.shapes import Peek, Shape, peeks, shape_of
from nomotax.core.table import HIDDEN

#: Up to this many rows everything is counted exactly; beyond it shapes, frequent values and
#: oddities are those of ``SAMPLE_ROWS`` evenly spread rows, and ``distinct`` is an estimate.
EXACT_ROWS = 50_000
SAMPLE_ROWS = 3_000
_BINS = 16
_FREQUENT = 6
_NUMBERS = ("whole number", "decimal with comma", "decimal with point", "money", "percentage",
            "measure with unit")  # fmt: skip


class ValueCount(BaseModel):
    value: str
    count: int


class Histogram(BaseModel):
    """Counts in bins of equal width between ``least`` and ``greatest``, for the eye alone."""

    least: str
    greatest: str
    counts: list[int]


class ColumnProfile(BaseModel):
    """``looks_like`` names the shape at least nine in ten filled cells have; ``share`` says how
    many do. ``odd`` lists what a person should look at. Lengths are in characters.

    ``sampled`` says over how many rows shapes, frequent values and oddities were counted, when
    not over all of them.
    """

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
    separator: str = ""
    currency: str = ""
    units: list[str] = []
    language: str = ""
    odd: list[str] = []
    histogram: Histogram | None = None
    sampled: int | None = None


def profile_table(table: ArrivingTable) -> list[ColumnProfile]:
    """One profile a column, in the table's order."""
    return profile_columns(table.lazy)


def profile_columns(lazy: pl.LazyFrame) -> list[ColumnProfile]:
    """The same, of any lazy table; it is read a few columns at a time, never as a whole."""
    names = [n for n in lazy.collect_schema().names() if n not in HIDDEN]
    rows = int(lazy.select(pl.len()).collect(engine="streaming").item())
    exact = rows <= EXACT_ROWS
    sample = lazy if exact else lazy.gather_every(rows // SAMPLE_ROWS + 1)
    cells = sample.select(names).collect()
    totals = _totals(lazy, names, exact)
    looks = peeks(cells)
    return [_profile(cells[n], rows, totals[n], exact, looks[n]) for n in names]


_Totals = tuple[int, int, int, int]


def _totals(lazy: pl.LazyFrame, names: list[str], exact: bool) -> dict[str, _Totals]:
    """Filled cells, distinct ones, shortest and longest of every column, over all rows."""
    found: dict[str, _Totals] = {}
    for at in range(0, len(names), 8):
        part = names[at : at + 8]
        counts = lazy.select(
            *(pl.col(n).count().alias(f"{i}f") for i, n in enumerate(part)),
            *(_distinct(n, exact).alias(f"{i}d") for i, n in enumerate(part)),
            *(_length(n, exact).min().alias(f"{i}s") for i, n in enumerate(part)),
            *(_length(n, exact).max().alias(f"{i}l") for i, n in enumerate(part)),
        ).collect(engine="streaming" if not exact else "in-memory")
        row = counts.row(0, named=True)
        for i, name in enumerate(part):
            filled = row[f"{i}f"]
            distinct = min(row[f"{i}d"], filled)
            found[name] = (filled, distinct, row[f"{i}s"] or 0, row[f"{i}l"] or 0)
    return found


def _distinct(name: str, exact: bool) -> pl.Expr:
    return pl.col(name).drop_nulls().n_unique() if exact else pl.col(name).approx_n_unique()


def _length(name: str, exact: bool) -> pl.Expr:
    return pl.col(name).str.len_chars() if exact else pl.col(name).str.len_bytes()


def _profile(
    sample: pl.Series, rows: int, totals: _Totals, exact: bool, peek: Peek
) -> ColumnProfile:
    filled, distinct, shortest, longest = totals
    cells = sample.drop_nulls()
    shape = shape_of(cells, peek)
    least, greatest, histogram = _range(cells, shape)
    return ColumnProfile(
        name=sample.name,
        filled=filled,
        rows=rows,
        distinct=distinct,
        shortest=shortest,
        longest=longest,
        least=least,
        greatest=greatest,
        frequent=_frequent(cells),
        looks_like=shape.name,
        share=shape.share,
        separator=shape.separator,
        currency=shape.currency,
        units=list(shape.units),
        language=shape.language,
        odd=oddities(cells, shape, distinct if exact else cells.n_unique(), cells.len())
        if cells.len()
        else [],
        histogram=histogram,
        sampled=None if exact else sample.len(),
    )


def _frequent(cells: pl.Series) -> list[ValueCount]:
    if cells.len() == 0:
        return []
    counts = cells.alias("value").value_counts(name="count")
    top = counts.sort("count", "value", descending=[True, False]).head(_FREQUENT)
    return [ValueCount(value=v[:300], count=c) for v, c in top.rows()]


def _range(cells: pl.Series, shape: Shape) -> tuple[str | None, str | None, Histogram | None]:
    """Least and greatest in the supplier's own writing, and the spread of numbers."""
    if shape.name.startswith("date (year") or shape.name.startswith("date and time"):
        return str(cells.min()), str(cells.max()), None
    if shape.name not in _NUMBERS:
        return None, None, None
    number = _plain_number(cells, shape).cast(pl.Decimal(38, 6), strict=False)
    frame = pl.DataFrame({"t": cells, "n": number}).drop_nulls()
    if frame.height == 0:
        return None, None, None
    least = str(frame["t"][int(str(frame["n"].arg_min()))])
    greatest = str(frame["t"][int(str(frame["n"].arg_max()))])
    return least, greatest, _histogram(frame["n"], least, greatest)


def _plain_number(cells: pl.Series, shape: Shape) -> pl.Series:
    text = cells.str.replace_all(r"[^\d.,-]", "")
    commas = int(text.str.contains(r",\d{1,2}$").sum())
    points = int(text.str.contains(r"\.\d{1,2}$").sum())
    if shape.name == "decimal with comma" or commas > points:
        return text.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    return text.str.replace_all(",", "", literal=True)


def _histogram(numbers: pl.Series, least: str, greatest: str) -> Histogram | None:
    values = numbers.cast(pl.Float64)  # a picture for the eye: no price is kept from it
    low, high = float(str(values.min())), float(str(values.max()))
    if values.n_unique() < 3 or low == high:
        return None
    bins = ((values - low) / (high - low) * _BINS).floor().clip(0, _BINS - 1).cast(pl.Int32)
    counts = dict(bins.value_counts().rows())
    return Histogram(
        least=least, greatest=greatest, counts=[counts.get(b, 0) for b in range(_BINS)]
    )


def doubts(profiles: Sequence[ColumnProfile]) -> list[ReadingProblem]:
    """Columns that nobody can read without a guess: dates in both orders, of which those that fit
    either may be either."""
    return [
        ReadingProblem(
            kind="two_date_orders",
            level="doubt",
            message=f"'{one.name}': {odd}; which of the two a date such as 03/04 is in, nothing "
            "says. Ask for one order, or for dates as 2026-04-03.",
        )
        for one in profiles
        for odd in one.odd
        if odd.endswith(MONTH_FIRST)
    ]
