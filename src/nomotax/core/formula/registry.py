"""The functions of the language: what they take, what they give, how they are explained."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Any, Literal, TypeAlias

import polars as pl

from nomotax.core.errors import FormulaError
from nomotax.core.formula.terms import Kind, Sheet, Term, gathered, of_constant
from nomotax.core.formula.tree import Place

Group = Literal["text", "logic", "number", "date"]
#: What a function's body gives: an expression of its kind, or a whole term.
Outcome: TypeAlias = "pl.Expr | Term"

_GIVES: dict[str, Kind] = {"t": "text", "n": "number", "l": "logical", "d": "date"}


@dataclass(frozen=True)
class Function:
    """``takes`` has a letter an argument: t text, n number, w whole number, l logical, d date,
    a anything (as a ``Term``), c a written text, k a written whole number; ``?`` makes it
    optional, ``*`` repeats it. ``standard`` is false for what OpenFormula does not have."""

    name: str
    group: Group
    usage: str
    help: str
    example: str
    result: str
    takes: tuple[str, ...]
    gives: str
    run: Callable[..., Outcome]
    standard: bool = True


FUNCTIONS: dict[str, Function] = {}


def function(
    group: Group,
    usage: str,
    help_text: str,
    example: str,
    result: str,
    takes: str = "",
    gives: str = "",
    standard: bool = True,
) -> Callable[[Callable[..., Outcome]], Callable[..., Outcome]]:
    """Enters a function under the name its usage begins with. Its body gets the sheet and the
    arguments; without ``gives`` it makes a whole term and answers for all troubles itself."""

    def enter(run: Callable[..., Outcome]) -> Callable[..., Outcome]:
        name = usage.split("(", maxsplit=1)[0]
        letters = tuple(re.findall(r"[a-z][?*]?", takes))
        FUNCTIONS[name] = Function(
            name, group, usage, help_text, example, result, letters, gives, run, standard
        )
        return run

    return enter


def call(one: Function, sheet: Sheet, arguments: list[Term | None], place: Place) -> Term:
    """The outcome for these arguments (None where one was left out).

    Raises ``FormulaError`` for a wrong number or kind of them.
    """
    letters = _letters(one, len(arguments), place)
    ready: list[Any] = []
    terms: list[Term] = []
    for letter, argument in zip(letters, arguments, strict=False):
        if argument is None:
            if not letter.endswith("?") and letter[0] != "a":
                raise _wrong(one, "an argument is left out", place)
            ready.append(of_constant("") if letter == "a" else None)
            continue
        value, term = _as(letter[0], sheet, argument, one, place)
        ready.append(value)
        terms.append(term)
    ready += [None] * (len(letters) - len(arguments))
    made = one.run(sheet, *ready)
    if not one.gives:
        return made if isinstance(made, Term) else Term("text", made)
    if isinstance(made, Term):
        return replace(made, troubles=(*gathered(terms), *made.troubles))
    return Term(_GIVES[one.gives], made, gathered(terms))


def _letters(one: Function, count: int, place: Place) -> list[str]:
    letters = list(one.takes)
    if letters and letters[-1].endswith("*"):
        letters += [letters[-1]] * (count - len(letters))
    least = sum(not x.endswith(("?", "*")) for x in one.takes) + any(
        x.endswith("*") for x in one.takes
    )
    if count > len(letters):
        raise _wrong(one, f"it takes at most {len(letters)} arguments, not {count}", place)
    if count < least:
        raise _wrong(one, f"it needs at least {least} arguments, not {count}", place)
    return letters


def _as(letter: str, sheet: Sheet, term: Term, one: Function, place: Place) -> tuple[Any, Term]:
    if letter == "a":
        return term, term
    if letter == "c":
        if not isinstance(term.constant, str):
            raise _wrong(one, 'this argument must be written as a text in "quotes"', place)
        return term.constant, term
    if letter == "k":
        value = term.constant
        if not isinstance(value, Decimal) or value != int(value):
            raise _wrong(one, "this argument must be written as a whole number", place)
        return int(value), term
    turned = {
        "t": sheet.text,
        "n": sheet.number,
        "w": sheet.whole,
        "l": sheet.logical,
        "d": sheet.date,
    }[letter](term)
    return turned.value, turned


def _wrong(one: Function, said: str, place: Place) -> FormulaError:
    return FormulaError(f"{one.usage}: {said}.", start=place.start, end=place.end, remedy=one.help)
