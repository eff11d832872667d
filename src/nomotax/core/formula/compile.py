"""A formula's tree to one expression of the plan."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import polars as pl
from rapidfuzz import process

from nomotax.core.errors import CrosswalkError, FormulaError
from nomotax.core.formula import functions
from nomotax.core.formula.functions.logic import equal
from nomotax.core.formula.functions.numbers import add, divide, multiply, raised
from nomotax.core.formula.parse import parse
from nomotax.core.formula.registry import FUNCTIONS, call
from nomotax.core.formula.terms import Sheet, Term, Trouble, gathered, of_constant
from nomotax.core.formula.tree import Call, Constant, Missing, Node, Place, Reference
from nomotax.core.numbers import literal

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
        with _placed(node.place):
            made = self._call(node, arguments)
        return Term(
            made.kind,
            self._kept(made.value),
            tuple(Trouble(t.message, self._kept(t.mask), t.seen) for t in made.troubles),
            made.constant,
            made.not_available,
        )

    def _kept(self, expr: pl.Expr) -> pl.Expr:
        return self.sheet.keep(expr)

    def _reference(self, node: Reference) -> Term:
        with _placed(node.place):
            if node.kind == "field":
                return self.sheet.field(node.name)
            if node.kind == "fact":
                return Term("text", self.sheet.fact(node.name))
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
    a, b = (sheet.number(Term("text", t.value, constant=t.constant)).value for t in (one, other))
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
