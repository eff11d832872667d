"""Units of measure with their exact factors, and conversion between them.

Codes follow UCUM's printable form where people use it (``g``, ``kg``, ``[lb_av]`` is written
``lb``). Factors are exact by definition: the international yard and pound agreement of 1959, the
litre of 1964, the US gallon of 231 cubic inches, the imperial gallon of 4.54609 litres, the troy
ounce of 480 grains, the metric carat of 1907, the degree Fahrenheit of 5/9 kelvin.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

import polars as pl

from nomotax.core.numbers import Worked, exactly, literal, plus, scaled

#: Places of a factor that leave a written number nine of its own.
_FEW = 3


@dataclass(frozen=True, slots=True)
class Unit:
    """``factor`` units of the dimension's base (kg, m, L, m2, K, 1) make one of this unit, counted
    from ``offset`` of them on."""

    code: str
    dimension: str
    factor: Fraction
    names: tuple[str, ...] = ()
    offset: Fraction = Fraction(0)


def _imperial(*names: str) -> tuple[str, ...]:
    return tuple(f"{of} {name}" for of in ("uk", "imp", "imperial", "british") for name in names)


def _degrees(letter: str, name: str) -> tuple[str, ...]:
    short = tuple(f"{word}{letter}" for word in ("°", "deg", "deg ", "degrees "))
    sign = {"c": ("℃",), "f": ("℉",)}.get(letter, ())
    return (*short, *sign, name, f"degrees {name}")


#: Zero of the one scale on the other, in its own degrees.
_FAHRENHEIT = Fraction("459.67") * 5 / 9

_ROWS: list[tuple[str, str, str, tuple[str, ...]]] = [
    ("mg", "mass", "0.000001", ("milligram", "milligrams")),
    ("g", "mass", "0.001", ("gr", "gm", "gram", "grams", "gramm", "gramme", "grammes")),
    ("kg", "mass", "1", ("kilo", "kilos", "kgs", "kilogram", "kilograms", "kilogramm")),
    ("t", "mass", "1000", ("tonne", "tonnes")),
    ("ct", "mass", "0.0002", ("carat", "carats", "karat")),
    ("grain", "mass", "0.00006479891", ("grains",)),
    ("oz", "mass", "0.028349523125", ("ounce", "ounces")),
    ("ozt", "mass", "0.0311034768", ("troy oz", "oz t", "troy ounce", "troy ounces")),
    ("lb", "mass", "0.45359237", ("lbs", "pound", "pounds")),
    ("stone", "mass", "6.35029318", ("stones",)),
    ("ston", "mass", "907.18474", ("short ton", "short tons", "us ton", "us tons")),
    ("lton", "mass", "1016.0469088", ("long ton", "long tons", "uk ton", "uk tons")),
    ("um", "length", "0.000001", ("µm", "μm", "micron", "microns", "micrometre", "micrometer")),
    ("mil", "length", "0.0000254", ("mils", "thou")),
    ("mm", "length", "0.001", ("millimetre", "millimeter", "millimetres", "millimeters")),
    ("cm", "length", "0.01", ("centimetre", "centimeter", "centimetres", "centimeters")),
    ("dm", "length", "0.1", ("decimetre", "decimeter", "decimetres", "decimeters")),
    ("m", "length", "1", ("metre", "meter", "metres", "meters", "mtr")),
    ("km", "length", "1000", ("kilometre", "kilometer", "kilometres", "kilometers")),
    ("in", "length", "0.0254", ("inch", "inches", "zoll", '"', "”", "″", "''")),
    ("ft", "length", "0.3048", ("foot", "feet", "'", "’", "′")),
    ("yd", "length", "0.9144", ("yard", "yards")),
    ("mi", "length", "1609.344", ("mile", "miles")),
    ("nmi", "length", "1852", ("nautical mile", "nautical miles")),
    ("ml", "volume", "0.001", ("millilitre", "milliliter", "millilitres", "milliliters", "cc")),
    ("cl", "volume", "0.01", ("centilitre", "centiliter", "centilitres", "centiliters")),
    ("dl", "volume", "0.1", ("decilitre", "deciliter", "decilitres", "deciliters")),
    ("l", "volume", "1", ("litre", "liter", "litres", "liters", "ltr")),
    ("hl", "volume", "100", ("hectolitre", "hectoliter", "hectolitres", "hectoliters")),
    ("mm3", "volume", "0.000001", ("mm³", "cu mm")),
    ("cm3", "volume", "0.001", ("cm³", "ccm", "cu cm")),
    ("dm3", "volume", "1", ("dm³",)),
    (
        "m3",
        "volume",
        "1000",
        (
            "m³",
            "cbm",
            "cu m",
            "cubic metre",
            "cubic metres",
            "cubic meter",
            "cubic meters",
            "kubikmeter",
        ),
    ),
    ("in3", "volume", "0.016387064", ("in³", "cu in", "cubic inch", "cubic inches")),
    ("ft3", "volume", "28.316846592", ("ft³", "cu ft", "cubic foot", "cubic feet")),
    ("yd3", "volume", "764.554857984", ("yd³", "cu yd", "cubic yard", "cubic yards")),
    ("tsp", "volume", "0.00492892159375", ("teaspoon", "teaspoons")),
    ("tbsp", "volume", "0.01478676478125", ("tablespoon", "tablespoons")),
    ("floz", "volume", "0.0295735295625", ("fl oz", "us fl oz", "fluid ounce", "fluid ounces")),
    ("cup", "volume", "0.2365882365", ("cups", "us cup", "us cups")),
    ("pt", "volume", "0.473176473", ("pint", "pints", "us pt", "us pint", "us pints")),
    ("qt", "volume", "0.946352946", ("quart", "quarts", "us qt", "us quart", "us quarts")),
    ("gal", "volume", "3.785411784", ("gallon", "gallons", "us gal", "us gallon", "us gallons")),
    ("bbl", "volume", "158.987294928", ("barrel", "barrels")),
    ("ukfloz", "volume", "0.0284130625", _imperial("fl oz", "fluid ounce", "fluid ounces")),
    ("ukpt", "volume", "0.56826125", _imperial("pt", "pint", "pints")),
    ("ukqt", "volume", "1.1365225", _imperial("qt", "quart", "quarts")),
    ("ukgal", "volume", "4.54609", _imperial("gal", "gallon", "gallons")),
    ("mm2", "area", "0.000001", ("mm²", "sq mm")),
    ("cm2", "area", "0.0001", ("cm²", "sqcm", "sq cm")),
    ("dm2", "area", "0.01", ("dm²",)),
    (
        "m2",
        "area",
        "1",
        (
            "m²",
            "sqm",
            "qm",
            "sq m",
            "square metre",
            "square metres",
            "square meter",
            "square meters",
            "quadratmeter",
        ),
    ),
    ("are", "area", "100", ("ares", "ar")),
    ("ha", "area", "10000", ("hectare", "hectares")),
    ("km2", "area", "1000000", ("km²", "sq km")),
    ("in2", "area", "0.00064516", ("in²", "sqin", "sq in", "square inch", "square inches")),
    ("ft2", "area", "0.09290304", ("ft²", "sqft", "sq ft", "square foot", "square feet")),
    ("yd2", "area", "0.83612736", ("yd²", "sqyd", "sq yd", "square yard", "square yards")),
    ("acre", "area", "4046.8564224", ("acres",)),
    ("mi2", "area", "2589988.110336", ("mi²", "sq mi", "square mile", "square miles")),
    ("gsm", "paper weight", "1", ("g/m2", "g/m²", "g/qm")),
    ("kgm2", "paper weight", "1000", ("kg/m2", "kg/m²")),
    ("pc", "count", "1", ("pcs", "piece", "pieces", "st", "stk", "ea", "each", "sheets", "sheet")),
    ("pr", "count", "2", ("pair", "pairs")),
    ("dz", "count", "12", ("dozen", "doz")),
    ("gross", "count", "144", ("gro",)),
    ("ream", "count", "500", ("reams",)),
]
_DEGREES = [
    Unit("C", "temperature", Fraction(1), _degrees("c", "celsius"), Fraction("273.15")),
    Unit("F", "temperature", Fraction(5, 9), _degrees("f", "fahrenheit"), _FAHRENHEIT),
    Unit("K", "temperature", Fraction(1), ("kelvin",)),
    Unit("R", "temperature", Fraction(5, 9), _degrees("r", "rankine")),
]


def _units() -> Iterator[Unit]:
    for code, dimension, factor, names in _ROWS:
        yield Unit(code, dimension, Fraction(factor), names)
    yield from _DEGREES


UNITS: dict[str, Unit] = {u.code: u for u in _units()}
BY_NAME: dict[str, Unit] = {n.lower(): u for u in UNITS.values() for n in (u.code, *u.names)}


def find_unit(text: str) -> Unit | None:
    """The unit meant by a code or a common name, or None."""
    return BY_NAME.get(tidy_name(text))


def tidy_name(text: str) -> str:
    """A unit's name without brackets, dots, doubled blanks and signs of powers: ``Sq. Ft.`` is
    ``sq ft``, ``ft^2`` is ``ft2``."""
    plain = re.sub(r"[\s.]+", " ", text.strip().strip("()[]")).strip().lower()
    return re.sub(r"(?<=[a-z])\s?(?:\^|\*\*)\s?([23])$", r"\1", plain)


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
    """A number in one unit as a number in another, cut to ``SCALE`` places, so that rounding it to
    fewer is right to the last of them.

    Raises ``KeyError`` for an unknown code and ``ValueError`` across dimensions.
    """
    a, b = _comparable(source, target)
    up, down = ratio(source, target)
    if a.offset == b.offset:
        return _scaled(number, up, down)
    moved = (a.offset - b.offset) / b.factor
    # One fraction for the whole: number * up/down + moved.
    whole = down * moved.denominator
    shifted = plus(scaled(number, up * moved.denominator).value, literal(moved.numerator * down))
    made = exactly(shifted.value, 1, whole)
    return Worked(made.value, made.wrong | shifted.wrong)


def exact_factor(source: str, target: str) -> Decimal | None:
    """What numbers in one unit are multiplied by to be in another; None where a product with it
    might need more than ``SCALE`` places, or where the units begin at different points
    (temperatures).

    Raises ``KeyError`` for an unknown code and ``ValueError`` across dimensions.
    """
    a, b = _comparable(source, target)
    return _short(*ratio(source, target)) if a.offset == b.offset else None


def _short(up: int, down: int) -> Decimal | None:
    """The factor as a decimal of few places, by which numbers as they are written stay exact."""
    exact = Decimal(up) / Decimal(down)
    exponent = exact.as_tuple().exponent
    fits = isinstance(exponent, int) and -exponent <= _FEW and exact * down == up
    return exact if fits else None


def _scaled(number: pl.Expr, up: int, down: int) -> Worked:
    exact = _short(up, down)
    return scaled(number, exact) if exact is not None else exactly(number, up, down)
