"""What speaks for the unit, the currency, the style and the separator of a column: its heading, its
cells, and the columns beside it."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from nomotax.core.crosswalk.plain import plain
from nomotax.core.money.currencies import currency_of, is_currency_word
from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.profile import ColumnProfile
from nomotax.core.units.table import UNITS, Unit, find_unit

_UNIT_WORDS = ("unit", "units", "uom", "einheit", "unite", "unidad", "unita", "eenheid", "enhet",
               "jednostka", "unidade", "enhed", "jednotka")  # fmt: skip
_CURRENCY_WORDS = ("currency", "currency code", "curr", "waehrung", "wahrung", "devise", "moneda",
                   "monnaie", "valuta", "waluta", "moeda", "mena")  # fmt: skip
#: What goes before "unit" in the heading of a column of units.
_DIMENSION_WORDS = {
    "mass": ("weight", "gewicht", "poids", "peso", "waga", "vikt"),
    "length": ("size", "length", "dimension", "dimensions", "masse", "mass", "laenge", "lange"),
    "volume": ("volume", "volumen", "content", "inhalt", "contenance"),
}
#: Units whose name is a letter or a word of other meanings: only at the end, or in brackets.
_SHORT = frozenset({"in", "m", "g", "l", "t", "c", "f", "k", "r", "st", "ea", "are", "mil", "pt"})

#: A heading's *gross* is a weight's or a price's, not twelve dozen.
_SAYS_ELSE = frozenset({"gross"})


@dataclass(frozen=True)
class KeyFacts:
    """How the codes of one column stand to the catalog. ``tried`` codes were looked up:
    ``as_is`` of them are keys already, ``prefixed`` with the supplier's prefix in front, and
    ``others`` are keys of other suppliers' products."""

    tried: int = 0
    as_is: int = 0
    prefixed: int = 0
    others: int = 0


@dataclass(frozen=True)
class Evidence:
    """What is known where a fill is made. ``among`` are the delivery's columns, in order;
    ``own_export`` says that the file is what this store wrote; ``says_yes`` tells what a word
    means where only yes or no can be meant, None where it knows neither."""

    supplier: str
    among: Sequence[ColumnProfile] = ()
    decimal: DecimalMark = "."
    marks: Mapping[str, DecimalMark] = field(default_factory=dict)
    keys: Mapping[str, KeyFacts] = field(default_factory=dict)
    categories: frozenset[str] = frozenset()
    own_export: bool = False
    says_yes: Callable[[str], bool | None] = lambda word: None


def words_of(column: ColumnProfile) -> list[str]:
    """Its cells as far as they are known, without blanks at the ends."""
    found = [v.value.strip() for v in column.frequent]
    found += [w.strip() for w in (column.least, column.greatest) if w]
    return [w for w in dict.fromkeys(found) if w]


def unit_in_name(name: str, dimension: str = "") -> Unit | None:
    """A unit that stands as a word of its own in a heading: ``Net g``, ``Width (mm)``,
    ``weight_lb``, ``GewichtKg``. With a ``dimension``, one of that alone."""
    if name.rstrip().endswith('"'):
        return _wanted(UNITS["in"], dimension)
    bracketed = re.findall(r"[(\[]([^)\]]{1,12})[)\]]", name)
    for word in reversed(bracketed):
        unit = _wanted(find_unit(word), dimension)
        if unit is not None:
            return unit
    spaced = re.sub(r"(?<=[a-zäöü])(?=[A-Z])", " ", name)
    words = [w for w in re.split(r"[\s_/()\[\]:;,.-]+", spaced) if w]
    for at, word in enumerate(reversed(words)):
        unit = None if word.lower() in _SAYS_ELSE else _wanted(find_unit(word), dimension)
        if unit is not None and (at == 0 or word.lower() not in _SHORT):
            return unit
    return None


def _wanted(unit: Unit | None, dimension: str) -> Unit | None:
    return unit if unit is not None and dimension in ("", unit.dimension) else None


def cell_units(column: ColumnProfile) -> list[str]:
    """Units that stand behind numbers in the column's cells."""
    if column.looks_like == "measure with unit":
        return column.units or [column.looks_like]
    found = [re.fullmatch(r"[-+]?[\d.,\s½¼¾/]+\s*([^\d\s].*)", w) for w in words_of(column)]
    return [m[1] for m in found if m and find_unit(m[1])]


def unit_column(
    column: ColumnProfile, among: Sequence[ColumnProfile], dimension: str
) -> ColumnProfile | None:
    """The column that says this one's unit: ``width@unit``, ``Weight unit``, or a column of units
    right behind it."""
    held = [c for c in among if c.name != column.name and _holds_units(c, dimension)]
    own = [c for c in held if _is_unit_of(c.name, column.name)]
    if own:
        return own[0]
    names = [c.name for c in among]
    behind = names.index(column.name) + 1 if column.name in names else len(names)
    near = [c for c in held if plain(c.name) in _UNIT_WORDS and names.index(c.name) == behind]
    if near:
        return near[0]
    kind = _DIMENSION_WORDS.get(dimension, ())
    of_kind = [c for c in held if any(_is_unit_of(c.name, k) for k in kind)]
    general = [c for c in held if plain(c.name) in _UNIT_WORDS]
    found = of_kind or general
    return found[0] if len(found) == 1 else None


def _holds_units(column: ColumnProfile, dimension: str) -> bool:
    units = [find_unit(w) for w in words_of(column)]
    return bool(units) and all(units) and any(u and u.dimension == dimension for u in units)


def _is_unit_of(name: str, of: str) -> bool:
    base, own = plain(of), plain(name)
    return any(own in (f"{base} {w}", f"{w} {base}", f"{w} of {base}") for w in _UNIT_WORDS)


def currency_columns(column: ColumnProfile, among: Sequence[ColumnProfile]) -> list[ColumnProfile]:
    """The columns that may say in which money this one is: by its name, else all that hold
    nothing but currencies."""
    held = [c for c in among if c.name != column.name and _holds_currencies(c)]
    base = plain(column.name)
    own = [c for c in held if base and plain(c.name).removeprefix(base).strip() in _CURRENCY_WORDS]
    return own or held


def _holds_currencies(column: ColumnProfile) -> bool:
    words = [v.value for v in column.frequent]
    return bool(words) and all(is_currency_word(w) for w in words)


def cell_currencies(column: ColumnProfile, store: str) -> list[str]:
    """Currencies that stand beside numbers in the column's cells."""
    pattern = re.compile(r"^([^\d\s.,+-]{1,4})\s?[\d.,\s-]+$|^[\d.,\s-]+?\s?([^\d\s.,+-]{1,4})$")
    found = [pattern.match(w) for w in words_of(column)]
    codes = [currency_of(m[1] or m[2] or "", store) for m in found if m]
    codes += [column.currency] if column.currency else []
    return list(dict.fromkeys(c for c in codes if c))


def number_style(column: ColumnProfile, decimal: DecimalMark) -> tuple[str, str]:
    """How numbers are written where that is not the file's own way: ``comma`` or ``point`` and a
    cell that shows it; both "" where it is."""
    other, style = (",", "comma") if decimal == "." else (".", "point")
    numbers = [w for w in words_of(column) if re.fullmatch(r"[-+]?[\d.,]+", w)]
    told = [w for w in numbers if _decimal_sign(w) == other]
    if told and not any(_decimal_sign(w) == decimal for w in numbers):
        return style, told[0]
    return "", ""


def _decimal_sign(number: str) -> str:
    """The sign that can only stand before decimals: the last of two kinds, or one that is not
    followed by just three digits."""
    signs = re.findall(r"[.,]", number)
    if len(set(signs)) == 2:
        return signs[-1] if signs.count(signs[-1]) == 1 else ""
    if len(signs) != 1:
        return ""
    before, after = re.split(r"[.,]", number)
    return signs[0] if len(after) != 3 or len(before.lstrip("+-")) > 3 else ""


def slash_order(column: ColumnProfile) -> str:
    """``dmy`` or ``mdy`` as the dates with slashes tell, "" where both would do."""
    if "day/month" in column.looks_like:
        return "dmy"
    return "mdy" if "month/day" in column.looks_like else ""


def separator_of(column: ColumnProfile, among: Iterable[str] = ("|", ";", ",", "\n")) -> str:
    """The sign between several addresses or file names in one cell, or between list entries."""
    words = words_of(column)
    if column.looks_like == "list" and column.separator:
        return column.separator
    for sign in among:
        several = re.compile(
            rf"(https?://\S+?|[\w ./\\-]+\.\w{{3,4}})\s*{re.escape(sign)}\s*"
            rf"(https?://\S+|[\w ./\\-]+\.\w{{3,4}})"
        )
        if any(several.match(w) for w in words):
            return sign
    return ""


def list_sign(column: ColumnProfile) -> str:
    """The sign between the entries of a column for a list: as above, or one that hardly stands in
    texts for another reason and is in most of its cells."""
    words = words_of(column)
    everywhere = (s for s in ("|", ";", "\n") if sum(s in w for w in words) * 2 > len(words))
    return separator_of(column) or next(everywhere, "")
