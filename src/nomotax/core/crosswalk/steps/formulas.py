"""Steps that work by a formula."""

from __future__ import annotations

from typing import Literal

import polars as pl

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError, FormulaError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow, Severity, Style
from nomotax.core.formula.compile import compile_formula
from nomotax.core.formula.parse import parse
from nomotax.core.formula.terms import Sheet, Term
from nomotax.core.formula.tree import Reference, references

#: ``[=:value]`` in a step's formula is the value so far.
VALUE = "value"


def sheet_of(flow: Flow, ctx: Context) -> Sheet:
    """What a formula may ask for at this place of a chain."""
    names = ctx.names
    if names is None:
        raise CrosswalkError("A formula needs the columns of a delivery.")

    def fact(name: str) -> Term:
        return _so_far(flow) if name == VALUE else names.fact(name)

    return Sheet(names.column, names.field, fact, ctx.decimal, flow.keep, names.mark)


def _so_far(flow: Flow) -> Term:
    """The value that a step gets: a number is one already, and text has a decimal point unless it
    stands as it arrived."""
    if flow.numeric:
        return Term("number", flow.value)
    mark = "." if flow.style == "plain" else flow.mark
    return Term("text", flow.text, mark=mark, either=flow.style == "changed")


def _references(text: str) -> list[Reference]:
    try:
        return list(references(parse(text)))
    except FormulaError:
        return []  # told where the formula is compiled


class _WithFormula(BaseStep):
    formula: str = ""

    def columns(self) -> list[str]:
        return [r.name for r in _references(self.formula) if r.kind == "column"]

    def fields(self) -> list[str]:
        return [r.name for r in _references(self.formula) if r.kind == "field"]


def _faults(term: Term) -> list[Fault]:
    """The troubles of a formula; those that say the same as one."""
    merged: dict[str, Fault] = {}
    for trouble in term.troubles:
        known = merged.get(trouble.message)
        if known is None:
            merged[trouble.message] = Fault(
                "formula", f"{trouble.message}, in the formula", trouble.mask, trouble.seen
            )
            continue
        hit = known.mask.fill_null(False)
        merged[trouble.message] = Fault(
            "formula",
            known.message,
            hit | trouble.mask.fill_null(False),
            pl.when(hit).then(known.seen).otherwise(trouble.seen),
        )
    return list(merged.values())


class Formula(_WithFormula):
    """Works the value out by a formula (docs/formulas.md); ``[=:value]`` is the value so far."""

    do: Literal["formula"] = "formula"

    def begins(self) -> bool:
        return bool(self.formula.strip())

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        if not self.formula.strip():
            return flow  # being written: nothing is said yet
        sheet = sheet_of(flow, ctx)
        term = compile_formula(self.formula, sheet)
        faults = _faults(term)
        if term.kind == "number":
            return flow.to(term.value, *faults, numeric=True)
        # A bare reference gives a cell as it arrived; all else a formula writes with a point.
        written: Style = "arriving" if term.kind == "text" else "plain"
        return flow.to(sheet.text(term).value, *faults, numeric=False, style=written)

    def describe(self) -> str:
        return f"= {self.formula.strip().removeprefix('=')}"


class OnlyIf(_WithFormula):
    """Keeps the value where a condition is true; elsewhere it is empty, or the row is held or
    left out."""

    do: Literal["only_if"] = "only_if"
    otherwise: Literal["empty", "hold", "leave_out"] = "empty"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        if not self.formula.strip():
            return flow
        sheet = sheet_of(flow, ctx)
        condition = sheet.logical(compile_formula(self.formula, sheet))
        true = flow.keep(condition.value.fill_null(False))
        faults = _faults(condition)
        if self.otherwise != "empty":
            held = self.otherwise == "hold"
            faults.append(
                Fault(
                    "condition",
                    f"does not meet '{self.formula}'",
                    ~true & ~condition.failed,
                    flow.text,
                    Severity.QUESTION if held else Severity.LEAVE_OUT,
                )
            )
        return flow.to(pl.when(true).then(flow.value), *faults, listed=flow.listed)

    def describe(self) -> str:
        return f"only if {self.formula.strip().removeprefix('=')}"
