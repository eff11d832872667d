"""GS1 check digits (GS1 General Specifications, section 7.9) as Polars expressions."""

from __future__ import annotations

import polars as pl

LENGTHS = (8, 12, 13, 14)


def check_digit(digits: str) -> int:
    """The check digit that belongs behind ``digits`` (all but the last of a GTIN)."""
    total = sum(int(d) * (3 if i % 2 == 0 else 1) for i, d in enumerate(reversed(digits)))
    return -total % 10


def has_right_check_digit(text: pl.Expr, number: pl.Expr | None = None) -> pl.Expr:
    """True where a text of 8, 12, 13 or 14 digits ends in its right check digit.

    ``number`` is the text as UInt64, where the caller has it already.
    """
    if number is None:
        number = text.cast(pl.UInt64, strict=False)
    total = pl.lit(0, dtype=pl.UInt64)
    for place in range(14):
        weight = 3 if place % 2 else 1
        total = total + (number // 10**place) % 10 * weight
    lengths = text.str.len_bytes().is_in(list(LENGTHS))
    return lengths & text.str.contains(r"^\d+$") & ((total % 10) == 0)


def whole_digits(text: pl.Expr) -> pl.Expr:
    """A number that a spreadsheet wrote as ``9.520000000004E+12``, in full where every digit is
    there; what has lost some stays as it is, and is no GTIN."""
    shown = pl.when(text.str.contains("E+", literal=True)).then(text)
    parts = shown.str.extract_groups(r"^(\d)[.,](\d+)E\+(\d\d)$")
    places = parts.struct.field("2")
    all_there = places.str.len_chars() == parts.struct.field("3").cast(pl.UInt32, strict=False)
    return pl.when(all_there).then(parts.struct.field("1") + places).otherwise(text)


def with_check_digit(digits: pl.Expr) -> pl.Expr:
    """A text of up to 13 digits with its check digit behind."""
    number = digits.cast(pl.UInt64, strict=False)
    total = pl.lit(0, dtype=pl.UInt64)
    for place in range(13):
        total = total + (number // 10**place) % 10 * (1 if place % 2 else 3)
    digit = (10 - total % 10) % 10
    return digits + digit.cast(pl.String)
