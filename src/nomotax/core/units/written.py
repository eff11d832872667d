"""Measures as people write them, spelled out as one plain number and one unit.

``2 lb 3 oz`` is ``35 oz``, ``5' 3"`` is ``63 in``, ``1½ in`` is ``1.5 in``, ``1 200 mm`` is
``1200 mm``.
What is no measure stays as it is, and is refused by whoever reads the number.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise

from nomotax.core.numbers import SCALE, DecimalMark, to_scale
from nomotax.core.units.table import UNITS, Unit, find_unit

#: A number as it needs no spelling out, and the words behind it.
PLAIN = r"^[+-]?(?:\d(?:[\d.,]*\d)?|[.,]\d+)\s*(?:[^\d\s+,.\-½⅓⅔¼¾⅕⅖⅗⅘⅙⅚⅛⅜⅝⅞][^\d+]*)?$"
_VULGAR = {"½": "1/2", "⅓": "1/3", "⅔": "2/3", "¼": "1/4", "¾": "3/4", "⅕": "1/5", "⅖": "2/5",
           "⅗": "3/5", "⅘": "4/5", "⅙": "1/6", "⅚": "5/6", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8",
           "⅞": "7/8"}  # fmt: skip
_ABOUT = r"^\s*(?:ca\.?|circa|approx\.?|about|~|≈)\s*"
_TIMES = re.compile(r"\s*[x×*]\s*(?=[\d.,])|\s+by\s+", re.IGNORECASE)
_GROUPED = r"\d{1,3}(?:[ \u00a0\u202f\u2009'’]\d{3})+(?![\d'’\"”″])(?:[.,]\d+)?"
_FRACTION = r"(?:(?P<whole>\d+)(?:\s+|\s*-\s*))?(?P<up>\d+)\s*[/⁄]\s*(?P<down>\d+)"
_DECIMAL = r"\d[\d.,]*(?:e[+-]?\d+)?|[.,]\d+"
_NUMBER = rf"(?:{_FRACTION}|(?P<grouped>{_GROUPED})|(?P<decimal>{_DECIMAL}))"
_AND = r"\s*(?:and|&|,|\+|-)?\s*"
_POWER = r"[²³]|(?<=[a-z])(?:\s?\^\s?|\*\*)?[23](?!\d)"
_UNIT = rf"(?P<unit>[^\d+,]*?(?:{_POWER})?)"
_PIECE = re.compile(
    rf"{_AND}{_NUMBER}[.,]?\s*{_UNIT}(?:\s*(?={_AND}(?:\d|[.,]\d))|\s*$)", re.IGNORECASE
)


@dataclass(frozen=True)
class Written:
    """A number and the words of its unit ("" where it has none)."""

    number: Fraction
    unit: str


def spell(
    text: str, mark: DecimalMark, part: int = 0, *, target: str = "", stated: str = ""
) -> str:
    """The measure, or the ``part``-th (from 1) of ``12x18 in``, as a number with the decimal
    ``mark`` and its unit. A text that is none, or has no such part, comes back unread.

    A third has no end: it is given in the ``target`` unit, so that it is rounded once; ``stated``
    is the unit of a text that says none.
    """
    found = _read(text, mark, part)
    if found is None:
        return text
    known = find_unit(found.unit or stated)
    number, unit = found.number, known.code if known and found.unit else found.unit
    wanted = UNITS.get(target)
    endless = 10**SCALE % number.denominator != 0
    if endless and known and wanted and _convertible(known, wanted):
        number, unit = number * known.factor / wanted.factor, target
    return f"{_digits(number, mark)} {unit}".strip()


def _convertible(one: Unit, other: Unit) -> bool:
    return one.dimension == other.dimension and one.offset == other.offset


def _read(text: str, mark: DecimalMark, part: int) -> Written | None:
    tidy = re.sub(_ABOUT, "", text.strip(), flags=re.IGNORECASE).replace("\u2212", "-")
    tidy = re.sub(f"[{''.join(_VULGAR)}]", lambda sign: f" {_VULGAR[sign[0]]}", tidy).strip()
    if not part:
        return _sum(_pieces(tidy, mark))
    parts = [_sum(_pieces(p, mark)) for p in _TIMES.split(tidy)]
    if part > len(parts) or (wanted := parts[part - 1]) is None:
        return None
    last = parts[-1]
    return Written(wanted.number, wanted.unit or (last.unit if last else ""))


def _pieces(text: str, mark: DecimalMark) -> list[Written]:
    """The numbers of ``2 lb 3 oz`` with their units; empty where anything else stands there."""
    negative = text.startswith("-")
    rest, found = re.sub(r"^[+-]\s*", "", text), []
    if rest.startswith(("+", "-")):
        return []  # two signs are a slip of the pen
    while rest:
        piece = _PIECE.match(rest)
        number = _number(piece, mark) if piece else None
        if piece is None or number is None:
            return []
        found.append(Written(-number if negative else number, piece["unit"].strip(" .,")))
        rest = rest[piece.end() :]
    return found


def _number(piece: re.Match[str], mark: DecimalMark) -> Fraction | None:
    if piece["down"]:
        if int(piece["down"]) == 0:
            return None
        return int(piece["whole"] or 0) + Fraction(int(piece["up"]), int(piece["down"]))
    text = re.sub(r"[\s'’]", "", piece["grouped"] or piece["decimal"])
    base, _, power = text.lower().partition("e")
    other = "." if mark == "," else ","
    whole, _, places = base.partition(mark)
    groups = whole.split(other)
    # Signs of thousands stand before groups of three, or the number has another style.
    grouped = len(groups) > 1
    fits = not grouped or (1 <= len(groups[0]) <= 3 and all(len(g) == 3 for g in groups[1:]))
    if not fits or other in places or mark in places or not (whole or places):
        return None
    if abs(int(power or 0)) > SCALE:
        return None
    return Fraction(f"{''.join(groups) or '0'}.{places or '0'}") * Fraction(10) ** int(power or 0)


def _sum(pieces: list[Written]) -> Written | None:
    """Feet and inches, stones, pounds and ounces as one: in the unit of the last."""
    if len(pieces) <= 1:
        return pieces[0] if pieces else None
    units = [find_unit(p.unit) for p in pieces]
    if pieces[0].unit.lower() == "st":  # pieces elsewhere, stones before pounds
        units[0] = UNITS["stone"]
    known = [u for u in units if u is not None]
    if len(known) == len(units) - 1 and units[-1] is None and pieces[-1].unit == "":
        below = _BELOW.get(known[-1].code)  # 5'3 is five feet and three inches
        known += [u] if below and (u := find_unit(below)) else []
    if len(known) < len(pieces) or not _falling(known):
        return None
    total = sum((p.number * u.factor for p, u in zip(pieces, known, strict=True)), Fraction(0))
    return Written(total / known[-1].factor, known[-1].code)


#: What a bare number behind such a unit counts.
_BELOW = {"ft": "in", "lb": "oz", "stone": "lb", "yd": "ft"}


def _falling(units: list[Unit]) -> bool:
    """Of one dimension, each smaller than the one before it."""
    return all(a.dimension == b.dimension and a.factor > b.factor for a, b in pairwise(units))


def _digits(number: Fraction, mark: DecimalMark) -> str:
    """As many places as numbers have."""
    text = f"{Decimal(to_scale(number)).scaleb(-SCALE):f}".rstrip("0").rstrip(".") or "0"
    return text.replace(".", mark)
