"""Exact numbers in a plan: read from text, and worked with so that no row can stop the others.

A plan ends with an error when a decimal overflows or is divided by zero, so each operation says
which rows it cannot serve and leaves them empty.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction
from typing import Literal, NamedTuple

import polars as pl

#: Places a number keeps on its way through a chain of steps.
SCALE = 12
#: Numbers inside a chain: 26 places before the point, 12 after it.
NUMBER = pl.Decimal(38, SCALE)
DecimalMark = Literal[".", ","]

#: A whole number, or one for each row (Int128).
Whole = int | pl.Expr
Keep = Callable[[pl.Expr], pl.Expr]

#: Blanks and currency signs at the ends of a number carry no digits.
_EDGES = " \t\r\n\u00a0\u202f€$£¥"
_POINT = r"^[+-]?(\d+|\d{1,3}(,\d{3})+)(\.\d+)?$|^[+-]?\.\d+$"
_COMMA = r"^[+-]?(\d+|\d{1,3}(\.\d{3})+)(,\d+)?$|^[+-]?,\d+$"
#: Factors below this give a product that has room.
_HALF = Decimal(10) ** 13
#: Numbers below this have room for their digits behind the point in 128 bits.
_WIDEST = Decimal(10) ** 13
#: A number's first places behind the point, and those beyond.
_BEYOND = rf"(\.\d{{{SCALE}}})\d+$"
#: Terms below this give a sum that has room.
_MOST = Decimal(10) ** 25


class Worked(NamedTuple):
    """A number, and the rows that have none because the operation cannot serve them."""

    value: pl.Expr
    wrong: pl.Expr


def literal(value: Decimal | int) -> pl.Expr:
    """A constant number of the plan."""
    return pl.lit(Decimal(value), dtype=NUMBER)


def read_number(text: pl.Expr, mark: DecimalMark, keep: Keep) -> Worked:
    """Text to a number, strictly in one style. Empty text is no number and not wrong."""
    tidy = keep(text.str.strip_chars(_EDGES).str.replace_all(r"[\s'’]", ""))
    if mark == ",":
        plain = tidy.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
    else:
        plain = tidy.str.replace_all(",", "", literal=True)
    fits = tidy.str.contains(_COMMA if mark == "," else _POINT)
    # Digits beyond the scale are cut and not rounded: a value that ends just under a half stays
    # there, so that the one rounding at the end goes the right way.
    cut = plain.map_batches(_cut, return_dtype=pl.String, is_elementwise=True)
    made = keep(pl.when(fits).then(cut).cast(NUMBER, strict=False))
    return Worked(made, made.is_null() & (tidy != ""))


def _cut(texts: pl.Series) -> pl.Series:
    """Texts without digits beyond the scale. Hardly any has them, so the pattern, which is slow on
    a million rows, is left alone where none is long enough."""
    longest = texts.str.len_bytes().max()
    if not isinstance(longest, int) or longest <= SCALE + 1:
        return texts
    return texts.str.replace(_BEYOND, "$1")


def exactly(a: pl.Expr, up: Whole, down: Whole) -> Worked:
    """``a`` times ``up`` over ``down`` (whole numbers, ``down`` above 0), worked out in 128 bits
    and rounded to ``SCALE`` places as ``to_scale`` does; wrong where it might not fit."""
    fits = _below(a, _WIDEST)
    if isinstance(up, int) and isinstance(down, int):
        room = min(_WIDEST * down / max(abs(up), 1), _WIDEST * 10**12 / max(abs(up), 1))
        fits = fits & _below(a, min(room, _WIDEST))
    units = (pl.when(fits).then(a) * literal(10**SCALE)).cast(pl.Int128)
    whole = units.abs() * _wide(up)
    cut = whole // _wide(down)
    rest = whole - cut * _wide(down)
    size = pl.struct(cut=cut, up=cut + (rest * 2 >= _wide(down)).cast(pl.Int128)).map_batches(
        _but_halves, return_dtype=pl.Int128, is_elementwise=True
    )
    made = size.cast(pl.Decimal(38, 0)).cast(NUMBER, strict=False) / literal(10**SCALE)
    return Worked(pl.when(a < 0).then(-made).otherwise(made), ~fits | (made.is_null() & fits))


def _but_halves(found: pl.Series) -> pl.Series:
    """``up``, or ``cut`` where rounding up has made a half: see ``to_scale``."""
    sides = found.struct.unnest()
    up = pl.col("up")
    if not sides.select(((up != pl.col("cut")) & (up % _wide(10) == 0)).any()).item():
        return sides["up"]
    halves = [
        up % _wide(10 ** (zeros + 1)) == _wide(5 * 10**zeros) for zeros in range(1, 2 * SCALE)
    ]
    return sides.select(
        pl.when((up != pl.col("cut")) & pl.any_horizontal(halves)).then("cut").otherwise("up")
    ).to_series()


def to_scale(number: Fraction) -> int:
    """A number in units of the last of ``SCALE`` places, rounded half away from zero.

    Where that would make a half of what is less (135.2349999999996 would become 135.235, and 135.24
    where the field has two places), it is cut: a number that is rounded again is as right as one
    that is rounded once.
    """
    size = abs(number) * 10**SCALE
    cut = size.numerator // size.denominator
    up = (2 * size.numerator + size.denominator) // (2 * size.denominator)
    made: int = cut if up != cut and _is_half(up) else up
    return -made if number < 0 else made


def _is_half(units: int) -> bool:
    zeros = 0
    while units and units % 10 == 0:
        units, zeros = units // 10, zeros + 1
    return zeros > 0 and units % 10 == 5


def _wide(value: Whole) -> pl.Expr:
    return pl.lit(value, dtype=pl.Int128) if isinstance(value, int) else value


def times(a: pl.Expr, b: pl.Expr) -> Worked:
    """The product, to ``SCALE`` places; wrong where it might not fit."""
    fits = _below(a, _HALF) & _below(b, _HALF)
    return Worked(pl.when(fits).then(a) * pl.when(fits).then(b), ~fits)


def scaled(a: pl.Expr, factor: Decimal | int) -> Worked:
    """The product with a constant; wrong where it might not fit."""
    room = _MOST / max(abs(Decimal(factor)), Decimal(1))
    fits = _below(a, room.quantize(Decimal(1)))
    return Worked(pl.when(fits).then(a) * literal(factor), ~fits)


def plus(a: pl.Expr, b: pl.Expr) -> Worked:
    """The sum; wrong where it might not fit."""
    fits = _below(a, _MOST) & _below(b, _MOST)
    return Worked(pl.when(fits).then(a) + pl.when(fits).then(b), ~fits)


def over(a: pl.Expr, b: pl.Expr) -> Worked:
    """The quotient, to ``SCALE`` places; wrong where ``b`` is zero."""
    divisor = pl.when(b != 0).then(b)
    fits = (a.abs() < literal(_HALF)) | (b.abs() >= literal(1))
    return Worked(pl.when(fits).then(a) / divisor, (b == 0) & a.is_not_null())


def _below(value: pl.Expr, limit: Decimal) -> pl.Expr:
    return value.abs() < literal(limit)


def number_text(value: pl.Expr) -> pl.Expr:
    """A decimal as text without the zeros that its scale adds."""
    # The scale is never 0 here, so the zeros at the end stand behind the point.
    return value.cast(NUMBER).cast(pl.String).str.strip_chars_end("0").str.strip_chars_end(".")
