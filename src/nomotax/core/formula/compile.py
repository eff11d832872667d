"""A formula's tree to one expression of the plan."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace

import polars as pl
from rapidfuzz import process

from nomotax.core.errors import CrosswalkError, FormulaError
from nomotax.core.formula import functions
from nomotax.core.formula.functions.logic import equal
from nomotax.core.formula.functions.numbers import add, divide, multiply, raised
from nomotax.core.formula.parse import parse
from nomotax.core.formula.registry import FUNCTIONS, call
from nomotax.core.formula.terms import Sheet, Term, Trouble, gathered, of_constant, shortened
from nomotax.core.formula.tree import Call, Constant, Missing, Node, Place, Reference
from nomotax.core.numbers import DecimalMark, literal

__all__ = ["compile_formula", "functions"]


def compile_formula(text: str, sheet: Sheet) -> Term:
    """The formula's value. Raises ``FormulaError`` with the place of a mistake."""
    return _Compiler(sheet).term(parse(text))


class _Compiler:
    def __init__(self, sheet: Sheet) -> None:
        self.sheet = sheet

    def term(self, node: Node) -> Term:
        if isinstance(node, Constant):
            return of_constant(node.value)
        if isinstance(node, Missing):
            raise FormulaError("A value is left out.", start=node.place.start, end=node.place.end)
        if isinstance(node, Reference):
            return self._reference(node)
        arguments = [None if isinstance(a, Missing) else self.term(a) for a in node.arguments]
        there = [a for a in arguments if a is not None]
        with _placed(node.place):
            made = self._call(node, _bounded(self.sheet, node.name, arguments))
        mark, either = (made.mark, made.either) if made.mark or made.either else (
            _written(node.name, there) if made.kind == "text" else (None, False)
        )  # fmt: skip
        return Term(
            made.kind,
            self._kept(made.value),
            tuple(Trouble(t.message, self._kept(t.mask), t.seen) for t in made.troubles),
            made.constant,
            made.not_available,
            mark,
            either,
            sum(a.size for a in there) * (_MANY if node.name in _GROWING else 1),
        )

    def _kept(self, expr: pl.Expr) -> pl.Expr:
        return self.sheet.keep(expr)

    def _reference(self, node: Reference) -> Term:
        with _placed(node.place):
            if node.kind == "field":
                return self.sheet.field(node.name)
            if node.kind == "fact":
                return self.sheet.fact(node.name)
            mark = self.sheet.mark_of(node.name)
            return Term("text", self.sheet.column(node.name), mark=mark)

    def _call(self, node: Call, arguments: list[Term | None]) -> Term:
        operator = _OPERATORS.get(node.name)
        if operator is not None:
            there = [a for a in arguments if a is not None]
            return operator(self.sheet, *there)
        known = FUNCTIONS.get(node.name)
        if known is None:
            raise CrosswalkError(f"There is no function {node.name}.", remedy=_alike(node.name))
        return call(known, self.sheet, arguments, node.place)


#: What makes a text of several, and what may make one longer than all that it is made of.
_JOINING = frozenset(["&", "CONCATENATE", "CONCAT", "TEXTJOIN", "REPLACE"])
_GROWING = frozenset(["REPT", "SUBSTITUTE"])
#: What gives its numbers on as text, where it gives text.
_GIVING = _JOINING | {"IF", "IFS", "IFERROR", "IFNA", "CHOOSE", "SWITCH", "COALESCE"}
#: Of so many parts a text is measured before it is made; a part that has grown counts as many.
_MANY = 64


def _bounded(sheet: Sheet, name: str, arguments: list[Term | None]) -> list[Term | None]:
    """The arguments of what joins texts, empty where the whole would be longer than a text may
    be. Few cells in a row need no measure."""
    there = [a for a in arguments if a is not None]
    if name not in _JOINING or sum(a.size for a in there) <= _MANY:
        return arguments
    texts = [sheet.text(a) for a in there]
    length = pl.sum_horizontal(t.value.str.len_chars().cast(pl.Int64) for t in texts)
    if name == "TEXTJOIN":
        length = length + texts[0].value.str.len_chars() * len(texts)
    return [a and shortened(sheet, sheet.text(a) if a.kind == "text" else a, length)
            for a in arguments]  # fmt: skip


def _written(name: str, arguments: Sequence[Term]) -> tuple[DecimalMark | None, bool]:
    """With which decimal mark numbers stand in a text that is made of others: a point, that of the
    cells, or one of both. A written text says nothing of it."""
    marks = {
        (None if a.kind == "text" and not a.mark else a.mark or ".", a.either)
        for a in arguments
        if a.constant is None and (a.kind == "text" or (a.kind == "number" and name in _GIVING))
    }
    changed = name in ("SUBSTITUTE", "REPLACE") and any(mark != "." for mark, _ in marks)
    if changed or len(marks) > 1:
        return None, True
    return next(iter(marks), (".", False))


@contextmanager
def _placed(place: Place) -> Iterator[None]:
    """Gives mistakes found within it the place of the node."""
    try:
        yield
    except FormulaError:
        raise
    except CrosswalkError as error:
        raise FormulaError(
            error.message, start=place.start, end=place.end, remedy=error.remedy
        ) from error


def _alike(name: str) -> str:
    near = [n for n, _, _ in process.extract(name, list(FUNCTIONS), limit=2, score_cutoff=60)]
    return f"Did you mean {' or '.join(near)}?" if near else "See the list of functions."


def _numeric(by: Callable[[Sheet, pl.Expr, pl.Expr], Term]) -> Callable[..., Term]:
    def run(sheet: Sheet, one: Term, other: Term) -> Term:
        a, b = sheet.number(one), sheet.number(other)
        made = by(sheet, a.value, b.value)
        return Term("number", made.value, (*gathered([a, b]), *made.troubles))

    return run


def _plus(sheet: Sheet, one: Term, other: Term) -> Term:
    made = _numeric(add)(sheet, one, other)
    return sheet.date(made) if "date" in (one.kind, other.kind) else made


def _minus(sheet: Sheet, one: Term, other: Term) -> Term:
    made = _numeric(lambda s, a, b: add(s, a, -b))(sheet, one, other)
    return sheet.date(made) if one.kind == "date" and other.kind != "date" else made


def _negated(sheet: Sheet, one: Term) -> Term:
    number = sheet.number(one)
    constant = number.constant
    if one.kind == "number" and constant is not None and not isinstance(constant, str | bool):
        return of_constant(-constant)
    return Term("number", -number.value, number.troubles)


def _percent(sheet: Sheet, one: Term) -> Term:
    number = sheet.number(one)
    return Term("number", number.value / literal(100), number.troubles)


def _power(sheet: Sheet, one: Term, other: Term) -> Term:
    base = sheet.number(one)
    made = raised(sheet, base.value, other)
    return Term("number", made.value, (*base.troubles, *made.troubles))


def _joined(sheet: Sheet, one: Term, other: Term) -> Term:
    a, b = sheet.text(one), sheet.text(other)
    both = pl.concat_str([a.value.fill_null(""), b.value.fill_null("")])
    there = a.value.is_not_null() | b.value.is_not_null()
    return Term("text", pl.when(there).then(both), gathered([a, b]))


def _unequal(sheet: Sheet, one: Term, other: Term) -> Term:
    same = equal(sheet, one, other)
    return Term("logical", ~same.value, same.troubles)


def _ordered(sign: str) -> Callable[[Sheet, Term, Term], Term]:
    """Numbers by their worth, dates by their day, other text letter by letter. Where a side is
    empty the answer is false."""

    def run(sheet: Sheet, one: Term, other: Term) -> Term:
        if "date" in (one.kind, other.kind):
            a, b = sheet.date(one), sheet.date(other)
            return Term("logical", _by(sign, a.value, b.value), gathered([a, b]))
        if {one.kind, other.kind} == {"text"}:
            return _ordered_texts(sheet, one, other, sign)
        a, b = sheet.number(one), sheet.number(other)
        return Term("logical", _by(sign, a.value, b.value), gathered([a, b]))

    return run


def _ordered_texts(sheet: Sheet, one: Term, other: Term, sign: str) -> Term:
    a, b = (sheet.number(replace(t, troubles=())).value for t in (one, other))
    texts = [pl.when(t.value != "").then(t.value) for t in (one, other)]
    both = a.is_not_null() & b.is_not_null()
    made = pl.when(both).then(_by(sign, a, b)).otherwise(_by(sign, *texts))
    return Term("logical", made, gathered([one, other]))


def _by(sign: str, a: pl.Expr, b: pl.Expr) -> pl.Expr:
    made = {"<": a < b, "<=": a <= b, ">": a > b, ">=": a >= b}[sign]
    return made.fill_null(False)


_OPERATORS: dict[str, Callable[..., Term]] = {
    "+": _plus,
    "-": _minus,
    "*": _numeric(multiply),
    "/": _numeric(divide),
    "^": _power,
    "%": _percent,
    "&": _joined,
    "=": equal,
    "<>": _unequal,
    "NEGATED": _negated,
    **{sign: _ordered(sign) for sign in ("<", "<=", ">", ">=")},
}
