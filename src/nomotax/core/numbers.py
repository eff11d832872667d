"""Exact numbers in a plan: read from text, and worked with so that no row can stop the others.

A plan ends with an error when a decimal overflows or is divided by zero, so each operation says
which rows it cannot serve and leaves them empty.
"""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Literal, NamedTuple

import polars as pl

#: Places a number keeps on its way through a chain of steps.
SCALE = 12
#: Numbers inside a chain: 26 places before the point, 12 after it.
NUMBER = pl.Decimal(38, SCALE)
DecimalMark = Literal[".", ","]

Keep = Callable[[pl.Expr], pl.Expr]

#: Blanks and currency signs at the ends of a number carry no digits.
_EDGES = " \t\r\n\u00a0\u202f€$£¥"
_POINT = r"^[+-]?(\d+|\d{1,3}(,\d{3})+)(\.\d+)?$|^[+-]?\.\d+$"
_COMMA = r"^[+-]?(\d+|\d{1,3}(\.\d{3})+)(,\d+)?$|^[+-]?,\d+$"
#: Factors below this give a product that has room.
_HALF = Decimal(10) ** 13
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
    made = keep(pl.when(fits).then(plain).cast(NUMBER, strict=False))
    return Worked(made, made.is_null() & (tidy != ""))


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
