"""Numbers and sizes in words: ``0-12 m``, ``27,5"``, ``XXL``, ``210x297``, ``EU 40``."""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from functools import lru_cache

from nomotax.core.suggest.lexicon import Languages, lexicon
from nomotax.core.suggest.spelling import fold
from nomotax.core.suggest.weighing import NOTHING, Piece
from nomotax.core.units.table import UNITS, find_unit, ratio

_NUMBER = re.compile(r"\d+(?:[.,]\d+)?")
_CLOTHES = re.compile(r"^(\d*)(x*)(s|m|l)(?:mall|edium|arge)?$")
#: Once for each X before a size.
_EXTRA = ("extra", "ekstra")
#: Sheets of ISO 216, in millimetres.
_SHEETS = {
    "A0": (841, 1189), "A1": (594, 841), "A2": (420, 594), "A3": (297, 420), "A4": (210, 297),
    "A5": (148, 210), "A6": (105, 148), "A7": (74, 105), "A8": (52, 74), "B0": (1000, 1414),
    "B1": (707, 1000), "B2": (500, 707), "B3": (353, 500), "B4": (250, 353), "B5": (176, 250),
    "B6": (125, 176), "C3": (324, 458), "C4": (229, 324), "C5": (162, 229), "C6": (114, 162),
}  # fmt: skip
_BY_SIZE = {size: name for name, size in _SHEETS.items()}


@dataclass(frozen=True)
class Form:
    """The numbers in a word. ``size`` is that of clothes (``2XL`` for ``XXL``) or of a sheet of
    paper; ``unit`` the code of a unit, ``month`` or ``year``; ``upward`` for *3 and more*;
    ``words`` the letters beside the numbers."""

    numbers: tuple[Decimal, ...] = ()
    size: str = ""
    unit: str = ""
    upward: bool = False
    words: tuple[str, ...] = ()


@lru_cache(maxsize=65536)
def form_of(text: str, languages: Languages = frozenset()) -> Form:
    """The numbers and sizes in a word."""
    folded = fold(text.strip())
    # What stands behind ``m2`` is no number of its own.
    found = _NUMBER.findall(re.sub(r"(?<=m)[23](?!\d)", "", folded))
    numbers = tuple(Decimal(n.replace(",", ".")) for n in found)
    size = _clothes(_as_letters(folded, languages)) or _sheet(folded, numbers)
    unit = _unit(folded, languages)
    upward = bool(re.search(r"\d\s*\+|\+\s*\d", folded)) or (
        "openup" in lexicon("values").read(_letters(folded), languages).concepts and bool(numbers)
    )
    words = tuple(w for w in re.findall(r"[^\W\d_]+", folded))
    return Form(numbers, size, unit, upward, words)


def _letters(text: str) -> str:
    return " ".join(re.findall(r"[^\W\d_]+", text))


def _as_letters(text: str, languages: Languages) -> str:
    """A size of clothes as it is written short: ``extra large`` as ``xl``."""
    words = [w for w in re.split(r"[\s.-]+", text) if w]
    extra = next((at for at, w in enumerate(words) if w not in _EXTRA), len(words))
    if extra:
        says = lexicon("values").read(" ".join(words[extra:]), languages).concepts
        for concept, letter in (("small", "s"), ("large", "l")):
            if concept in says:
                return "x" * extra + letter
    return "".join(words)


def _clothes(text: str) -> str:
    found = _CLOTHES.match(text)
    if not found or (found[1] and not found[2]):
        return ""
    times = len(found[2]) if not found[1] else int(found[1]) if found[2] == "x" else 0
    if found[1] and found[2] != "x":
        return ""
    return f"{times}X{found[3].upper()}" if times > 1 else f"{'X' * times}{found[3].upper()}"


def _sheet(text: str, numbers: tuple[Decimal, ...]) -> str:
    named = re.match(r"^(?:din\s*)?([abc])\s?(\d)$", text)
    if named and f"{named[1].upper()}{named[2]}" in _SHEETS:
        return f"{named[1].upper()}{named[2]}"
    if len(numbers) == 2 and re.search(r"\d\s*(mm|cm)?\s*[x×*/]\s*\d", text):
        scale = 10 if "cm" in text or max(numbers) < 100 else 1
        low, high = sorted(int(n * scale) for n in numbers)
        return _BY_SIZE.get((low, high), "")
    return ""


def _unit(text: str, languages: Languages) -> str:
    letters = _letters(text)
    if re.search(r"\bm$", letters) and not re.search(r"\d\s*[-–/]\s*\d+\s*m$", text):
        # Months are a range's; else an *m* is a metre, or one squared.
        letters = letters[:-1].rstrip()
    says = lexicon("values").read(letters, languages).concepts
    for concept, code in (("measmonth", "month"), ("measyear", "year"), ("measinch", "in")):
        if concept in says:
            return code
    if re.search(r"\d\s*(\"|''|″)", text):
        return "in"
    tail = re.search(r"\d\s*([^\W\d_]{1,4}|(?:[^\W\d_]+/)?[^\W\d_]*m[23])$", text)
    unit = find_unit(tail[1]) if tail else None
    return unit.code if unit is not None else ""


def compare(word: Form, own: Form) -> Piece:
    """Equal numbers speak strongly for each other, different ones against."""
    if word.size and own.size:
        return Piece(7.0, "the same size") if word.size == own.size else Piece(-6.0)
    if not word.numbers and not own.numbers:
        return NOTHING
    if not word.numbers or not own.numbers:
        return Piece(-1.5)
    return _ages(word, own) or _plain(word, own)


def _ages(word: Form, own: Form) -> Piece | None:
    """Ages, in months or years: ranges that are the same, or that begin alike."""
    aged = {"year", "month"} & {word.unit, own.unit}
    if not aged and not (word.upward or own.upward):
        return None
    mine = _months(word, own.unit or word.unit)
    theirs = _months(own, own.unit or word.unit)
    if mine == theirs and word.upward == own.upward:
        return Piece(6.0, "the same range")
    if mine[0] != theirs[0]:
        return Piece(-5.0)
    if word.upward and own.upward:
        return Piece(6.0, "the same range")
    # *From 3* begins where *3 to 4 years* does.
    return Piece(3.8, "it begins at the same age") if word.upward else Piece(0.5)


def _months(form: Form, unit: str) -> tuple[Decimal, ...]:
    # Beside an age an *m* is a month.
    factor = 12 if (form.unit or unit) not in ("month", "m") else 1
    return tuple(n * factor for n in form.numbers)


def _plain(word: Form, own: Form) -> Piece:
    if word.numbers != own.numbers:
        return _converted(word, own) or Piece(-6.0)
    if word.unit and own.unit:
        if word.unit == own.unit:
            return Piece(6.5, "the same number and unit")
        return Piece(-3.0)
    if word.words == own.words:
        return Piece(6.5, "the same number")
    return Piece(5.2 if not (word.words and own.words) else 4.0, "the same number")


def _converted(word: Form, own: Form) -> Piece | None:
    """The same measure in another unit."""
    if len(word.numbers) != 1 or len(own.numbers) != 1 or not {word.unit, own.unit} <= set(UNITS):
        return None
    if UNITS[word.unit].dimension != UNITS[own.unit].dimension:
        return None
    up, down = ratio(word.unit, own.unit)
    same = word.numbers[0] * up == own.numbers[0] * down
    return Piece(6.0, "the same measure") if same else None
