"""Units of measure with their exact factors, and conversion between them.

Codes follow UCUM's printable form where people use it (``g``, ``kg``, ``[lb_av]`` is written
``lb``). Factors are exact by definition: the international yard and pound agreement of 1959 and
the litre of 1964.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction


@dataclass(frozen=True, slots=True)
class Unit:
    """``factor`` units of the dimension's base (kg, m, L, m2, 1) make one of this unit."""

    code: str
    dimension: str
    factor: Decimal
    names: tuple[str, ...] = ()


def _units() -> dict[str, Unit]:
    rows = [
        ("mg", "mass", "0.000001", ("milligram", "milligrams")),
        ("g", "mass", "0.001", ("gr", "gram", "grams", "gramme", "grammes")),
        ("kg", "mass", "1", ("kilo", "kilogram", "kilograms")),
        ("oz", "mass", "0.028349523125", ("ounce", "ounces")),
        ("lb", "mass", "0.45359237", ("lbs", "pound", "pounds")),
        ("mm", "length", "0.001", ("millimetre", "millimeter")),
        ("cm", "length", "0.01", ("centimetre", "centimeter")),
        ("m", "length", "1", ("metre", "meter")),
        ("in", "length", "0.0254", ("inch", "inches", '"')),
        ("ft", "length", "0.3048", ("foot", "feet", "'")),
        ("yd", "length", "0.9144", ("yard", "yards")),
        ("ml", "volume", "0.001", ("millilitre", "milliliter")),
        ("cl", "volume", "0.01", ("centilitre",)),
        ("l", "volume", "1", ("litre", "liter", "ltr")),
        ("floz", "volume", "0.0295735295625", ("fl oz", "fl.oz", "fluid ounce")),
        ("cm2", "area", "0.0001", ("cm²",)),
        ("m2", "area", "1", ("m²", "sqm")),
        ("gsm", "paper weight", "1", ("g/m2", "g/m²")),
        ("pc", "count", "1", ("pcs", "piece", "pieces", "st")),
        ("dz", "count", "12", ("dozen",)),
    ]
    return {code: Unit(code, dim, Decimal(f), names) for code, dim, f, names in rows}


UNITS: dict[str, Unit] = _units()
_BY_NAME = {n: u for u in UNITS.values() for n in (u.code, *u.names)}


def find_unit(text: str) -> Unit | None:
    """The unit meant by a code or a common name, or None."""
    return _BY_NAME.get(text.strip().strip("()[].").lower())


def ratio(source: str, target: str) -> tuple[int, int]:
    """Numerator and denominator that turn a number in ``source`` into one in ``target``.

    Raises ``KeyError`` for an unknown code and ``ValueError`` across dimensions.
    """
    a, b = UNITS[source], UNITS[target]
    if a.dimension != b.dimension:
        raise ValueError(f"{source} is a {a.dimension}, {target} is a {b.dimension}")
    exact = Fraction(a.factor) / Fraction(b.factor)
    return exact.numerator, exact.denominator
