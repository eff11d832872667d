"""Units of measure with their exact factors, and conversion between them.

Codes follow UCUM's printable form where people use it (``g``, ``kg``, ``[lb_av]`` is written
``lb``). Factors are exact by definition: the international yard and pound agreement of 1959, the
litre of 1964, the US gallon of 231 cubic inches, the degree Fahrenheit of 5/9 kelvin.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

import polars as pl

from nomotax.core.numbers import SCALE, Worked, literal, over, plus, scaled


@dataclass(frozen=True, slots=True)
class Unit:
    """``factor`` units of the dimension's base (kg, m, L, m2, K, 1) make one of this unit, counted
    from ``offset`` of them on."""

    code: str
    dimension: str
    factor: Fraction
    names: tuple[str, ...] = ()
    offset: Fraction = Fraction(0)


_ROWS: list[tuple[str, str, str, tuple[str, ...]]] = [
    ("mg", "mass", "0.000001", ("milligram", "milligrams")),
    ("g", "mass", "0.001", ("gr", "gm", "gram", "grams", "gramm", "gramme", "grammes")),
    ("kg", "mass", "1", ("kilo", "kilos", "kgs", "kilogram", "kilograms")),
    ("t", "mass", "1000", ("tonne", "tonnes")),
    ("oz", "mass", "0.028349523125", ("ounce", "ounces")),
    ("lb", "mass", "0.45359237", ("lbs", "pound", "pounds")),
    ("mm", "length", "0.001", ("millimetre", "millimeter", "millimetres", "millimeters")),
    ("cm", "length", "0.01", ("centimetre", "centimeter", "centimetres", "centimeters")),
    ("m", "length", "1", ("metre", "meter", "metres", "meters", "mtr")),
    ("in", "length", "0.0254", ("inch", "inches", '"', "”", "″", "''")),
    ("ft", "length", "0.3048", ("foot", "feet", "'", "’", "′")),
    ("yd", "length", "0.9144", ("yard", "yards")),
    ("ml", "volume", "0.001", ("millilitre", "milliliter", "millilitres", "milliliters", "cc")),
    ("cl", "volume", "0.01", ("centilitre", "centiliter")),
    ("dl", "volume", "0.1", ("decilitre", "deciliter")),
    ("l", "volume", "1", ("litre", "liter", "litres", "liters", "ltr")),
    ("cm3", "volume", "0.001", ("cm³", "ccm")),
    ("m3", "volume", "1000", ("m³", "cbm")),
    ("floz", "volume", "0.0295735295625", ("fl oz", "fl.oz", "fl. oz", "fluid ounce")),
    ("pt", "volume", "0.473176473", ("pint", "pints")),
    ("qt", "volume", "0.946352946", ("quart", "quarts")),
    ("gal", "volume", "3.785411784", ("gallon", "gallons")),
    ("mm2", "area", "0.000001", ("mm²",)),
    ("cm2", "area", "0.0001", ("cm²", "sqcm")),
    ("m2", "area", "1", ("m²", "sqm", "qm")),
    ("in2", "area", "0.00064516", ("in²", "sqin")),
    ("ft2", "area", "0.09290304", ("ft²", "sqft")),
    ("gsm", "paper weight", "1", ("g/m2", "g/m²", "g/qm")),
    ("kgm2", "paper weight", "1000", ("kg/m2", "kg/m²")),
    ("pc", "count", "1", ("pcs", "piece", "pieces", "st", "stk", "ea", "each", "sheets", "sheet")),
    ("pr", "count", "2", ("pair", "pairs")),
    ("dz", "count", "12", ("dozen", "doz")),
    ("gross", "count", "144", ("gro",)),
    ("ream", "count", "500", ("reams",)),
]
_DEGREES = [
    Unit("C", "temperature", Fraction(1), ("°c", "celsius", "degc"), Fraction("273.15")),
    Unit("F", "temperature", Fraction(5, 9), ("°f", "fahrenheit"), Fraction("459.67") * 5 / 9),
    Unit("K", "temperature", Fraction(1), ("kelvin",)),
]


def _units() -> Iterator[Unit]:
    for code, dimension, factor, names in _ROWS:
        yield Unit(code, dimension, Fraction(factor), names)
    yield from _DEGREES


UNITS: dict[str, Unit] = {u.code: u for u in _units()}
BY_NAME: dict[str, Unit] = {n.lower(): u for u in UNITS.values() for n in (u.code, *u.names)}


def find_unit(text: str) -> Unit | None:
    """The unit meant by a code or a common name, or None."""
    return BY_NAME.get(text.strip().strip("()[].").lower())


def ratio(source: str, target: str) -> tuple[int, int]:
    """Numerator and denominator that turn a number in ``source`` into one in ``target``, for
    units that count from the same zero.

    Raises ``KeyError`` for an unknown code and ``ValueError`` across dimensions.
    """
    a, b = _comparable(source, target)
    exact = a.factor / b.factor
    return exact.numerator, exact.denominator


def _comparable(source: str, target: str) -> tuple[Unit, Unit]:
    a, b = UNITS[source], UNITS[target]
    if a.dimension != b.dimension:
        raise ValueError(f"{source} is a {a.dimension}, {target} is a {b.dimension}")
    return a, b


def convert(number: pl.Expr, source: str, target: str) -> Worked:
    """A number in one unit as a number in another, exact where ``SCALE`` places can hold it.

    Raises ``KeyError`` for an unknown code and ``ValueError`` across dimensions.
    """
    a, b = _comparable(source, target)
    scaled = _scaled(number, *ratio(source, target))
    if a.offset == b.offset:
        return scaled
    moved = (a.offset - b.offset) / b.factor
    added = plus(scaled.value, over(literal(moved.numerator), literal(moved.denominator)).value)
    return Worked(added.value, scaled.wrong | added.wrong)


def exact_factor(source: str, target: str) -> Decimal | None:
    """What numbers in one unit are multiplied by to be in another; None where ``SCALE`` places
    cannot hold it, or where the units begin at different points (temperatures).

    Raises ``KeyError`` for an unknown code and ``ValueError`` across dimensions.
    """
    a, b = _comparable(source, target)
    return _exact(*ratio(source, target)) if a.offset == b.offset else None


def _exact(up: int, down: int) -> Decimal | None:
    exact = Decimal(up) / Decimal(down)
    exponent = exact.as_tuple().exponent
    fits = isinstance(exponent, int) and -exponent <= SCALE and exact * down == up
    return exact if fits else None


def _scaled(number: pl.Expr, up: int, down: int) -> Worked:
    exact = _exact(up, down)
    if exact is not None:
        return scaled(number, exact)
    product = scaled(number, up)
    divided = over(product.value, literal(down))
    return Worked(divided.value, product.wrong)
