"""What cells look like, and the figures in them.

The figures are for comparing one delivery with another: their logarithms, medians and ratios are
statistics. No price is ever made of one.
"""

from __future__ import annotations

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nomotax.core.numbers import DecimalMark

Figures = NDArray[np.float64]
Mask = NDArray[np.bool_]

#: A number, with at most a sign of money before it and a unit behind.
NUMBER = (
    r"^([^\d\s\p{L}.,+-]{1,2}\s?|[A-Z]{3}\s)?[+-]?(\d[\d.,'’\s\u00a0\u202f]*|[.,]\d+)"
    r"\s?(%|[^\d\s/-]{1,4})?$"
)
#: A number with letters beside it: a unit, a currency's code.
LETTERED = r"^[A-Z]{3}\s[+-]?\d|\d\s?\p{L}{1,4}$"
DATE = r"^(\d{4}[./-]\d{1,2}[./-]\d{1,2}|\d{1,2}[./-]\d{1,2}[./-]\d{2,4})([T ]\d{1,2}:\d\d.*)?$"
#: Marks that can only be the decimal one: behind them stand one, two, or over three digits.
COMMA = r"\d,(\d{1,2}|\d{4,})\D{0,5}$|\.\d{3},\d"
POINT = r"\d\.(\d{1,2}|\d{4,})\D{0,5}$|,\d{3}\.\d"
_THOUSANDS = {
    ".": r"\d\.\d{3}(\.\d{3})*(,\d*)?\D{0,5}$",
    ",": r"\d,\d{3}(,\d{3})*(\.\d*)?\D{0,5}$",
    " ": r"\d[\s\u00a0\u202f]\d{3}([\s\u00a0\u202f]\d{3})*([.,]\d*)?\D{0,5}$",
    "'": r"\d['’]\d{3}(['’]\d{3})*([.,]\d*)?\D{0,5}$",
}
#: So many cells are looked at word by word, where they hold few.
_MANY = 20_000
#: A sign of money or of a unit beside a number.
MARKED = r"[\p{L}€$£¥₽₺₹₩″\"%]"
#: What stands for nothing.
STAND_IN = r"(?i)^(n/?a|null|none|nil|nan|tbd|tba|-+|\?+|\.+|k\.?a\.?|n\.?v\.?|undefined)$"


def tidy(cells: pl.Series) -> pl.Series:
    """Without blanks at the ends; what is blank is null."""
    stripped = cells.str.strip_chars()
    return stripped.set(stripped == "", None)


def counted(cells: pl.Series) -> list[tuple[str, int]]:
    """The different words of cells and how often each is there, the most frequent first."""
    counts = cells.drop_nulls().alias("word").value_counts(sort=True, name="times")
    return list(zip(counts["word"].to_list(), counts["times"].to_list(), strict=True))


def share(cells: pl.Series, pattern: str) -> float:
    """The share of cells that have a pattern, 0 of none."""
    if cells.len() == 0:
        return 0.0
    return float(cells.str.contains(pattern).mean() or 0.0)  # type: ignore[arg-type]


def matches(cells: pl.Series, pattern: str) -> Mask:
    """Which cells have a pattern; an empty one has none."""
    if cells.len() > _MANY and cells.head(_MANY // 10).n_unique() < _MANY // 100:
        # The same few words stand in many rows.
        words = cells.unique()
        hit = words.filter(words.str.contains(pattern).fill_null(value=False))
        return cells.is_in(hit.implode()).fill_null(value=False).to_numpy()
    return cells.str.contains(pattern).fill_null(value=False).to_numpy()


def decimal_mark(cells: pl.Series, otherwise: DecimalMark) -> DecimalMark:
    """The mark that most numbers of a column can only have been written with."""
    commas, points = share(cells, COMMA), share(cells, POINT)
    if commas == points:
        return otherwise
    return "," if commas > points else "."


def grouped_by(cells: pl.Series, mark: DecimalMark) -> dict[str, int]:
    """How many numbers have their thousands grouped, by the sign between them."""
    signs = [s for s in _THOUSANDS if s != mark]
    return {s: int(cells.str.contains(_THOUSANDS[s]).sum() or 0) for s in signs}


def figures(cells: pl.Series, mark: DecimalMark) -> Figures:
    """The numbers of cells, not-a-number where there is none. A cell that can only have been
    written with the other mark is read by that one."""
    if cells.len() == 0:
        return np.empty(0)
    fast = _plain(cells, mark)
    other = cells.str.contains(POINT if mark == "," else COMMA).fill_null(value=False)
    slow = (fast.is_null() & cells.is_not_null()) | other
    found = fast.fill_null(float("nan")).to_numpy().copy()
    where = slow.arg_true().to_numpy()
    if len(where):
        found[where] = _careful(cells.gather(where), mark)
    return found


def _plain(cells: pl.Series, mark: DecimalMark) -> pl.Series:
    away, point = (".", ",") if mark == "," else (",", "")
    plain = cells.str.replace_all(away, "", literal=True)
    if point:
        plain = plain.str.replace(point, ".", literal=True)
    return plain.cast(pl.Float64, strict=False)


def _careful(cells: pl.Series, mark: DecimalMark) -> Figures:
    """Cells with a currency, a unit, blanks between the digits or the other mark."""
    number = cells.str.contains(NUMBER)
    bare = cells.str.replace_all(r"[^\d.,+-]", "").str.strip_chars_end(".,")
    comma = cells.str.contains(COMMA) | (~cells.str.contains(POINT) & (mark == ","))
    frame = pl.DataFrame({"b": bare, "n": number, "c": comma})
    commas = pl.col("b").str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    points = pl.col("b").str.replace_all(",", "", literal=True)
    plain = pl.when("n").then(pl.when("c").then(commas).otherwise(points))
    made = frame.select(plain.cast(pl.Float64, strict=False).fill_null(float("nan")))
    return made.to_series().to_numpy()


def decimals(cells: pl.Series) -> int:
    """The places behind the mark that most numbers have."""
    found = cells.str.extract(r"[.,](\d{1,4})$", 1).drop_nulls().str.len_chars()
    return int(np.bincount(found.to_numpy()).argmax()) if found.len() else 0


_DAY = (
    ("year first", r"^(\d{4})[./-](\d{1,2})[./-](\d{1,2})"),
    ("day first", r"^(\d{1,2})[./-](\d{1,2})[./-](\d{2,4})"),
)


def date_parts(cells: pl.Series) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Year, and the two numbers beside it in the order in which they stand: one row a cell, zeros
    where it is no date. The second array is 1 where the year comes first."""
    # The same few days stand in many rows.
    filled = cells.fill_null("")
    words = filled.unique()
    parts, first = _parts_of(words)
    at = filled.cast(pl.Enum(words)).to_physical().to_numpy()
    return parts[at], first[at]


def _parts_of(cells: pl.Series) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    parts = np.zeros((cells.len(), 3), dtype=np.int64)
    first = np.zeros(cells.len(), dtype=np.int64)
    for order, pattern in _DAY:
        groups = cells.str.extract_groups(pattern)
        one, two, three = (
            groups.struct.field(n).cast(pl.Int64, strict=False).fill_null(0).to_numpy()
            for n in ("1", "2", "3")
        )
        hit = (one > 0) & (parts[:, 1] == 0)
        if order == "year first":
            parts[hit] = np.stack([one, two, three], axis=1)[hit]
            first[hit] = 1
        else:
            parts[hit] = np.stack([three, one, two], axis=1)[hit]
    return parts, first
