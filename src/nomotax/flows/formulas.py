"""Formulas while they are typed."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel

from nomotax.core.crosswalk.compiler import as_text
from nomotax.core.errors import CrosswalkError, FormulaError
from nomotax.core.formula.evaluate import Given, evaluate
from nomotax.core.formula.registry import FUNCTIONS
from nomotax.flows.workbench import Workbench, open_workbench


class FunctionHelp(BaseModel):
    """A function as the editor offers it. ``standard`` is false for what OpenFormula lacks."""

    name: str
    group: str
    usage: str
    help: str
    example: str
    result: str
    standard: bool


class Mistake(BaseModel):
    """What is wrong with a formula, and where: characters from 0, ``end`` exclusive."""

    message: str
    remedy: str
    start: int
    end: int


class FormulaTrial(BaseModel):
    """What a formula makes of one row: a value, what is wrong with that row, or a mistake."""

    value: str | None = None
    wrong: str | None = None
    mistake: Mistake | None = None


def functions() -> list[FunctionHelp]:
    """Every function, by group and name."""
    found = [
        FunctionHelp(
            name=f.name,
            group=f.group,
            usage=f.usage,
            help=f.help,
            example=f.example,
            result=f.result,
            standard=f.standard,
        )
        for f in FUNCTIONS.values()
    ]
    return sorted(found, key=lambda f: (f.group, f.name))


def try_formula(
    feed_id: int, formula: str, row: int, value: Given, delivery_id: int | None = None
) -> FormulaTrial:
    """The formula over one row of a delivery. ``value`` is what it gets as ``[=:value]``."""
    bench = open_workbench(feed_id, delivery_id)
    arriving = bench.source.window(max(row - 1, 0), 1)
    cells = {c: arriving[c][0] if arriving.height else None for c in bench.source.columns}
    facts = {**bench.context.facts, "row": str(row)}
    try:
        made, wrong = evaluate(
            formula, cells, bench.source.decimal, _fields(bench, arriving), facts, value,
            bench.source.marks,
        )  # fmt: skip
    except FormulaError as error:
        mistake = Mistake(
            message=error.message, remedy=error.remedy, start=error.start, end=error.end
        )
        return FormulaTrial(mistake=mistake)
    return FormulaTrial(value=made, wrong=wrong)


def _fields(bench: Workbench, arriving: pl.DataFrame) -> dict[str, tuple[str, str | None]]:
    """Kind and text of each filled field of the row."""
    try:
        filled = bench.plan.fill(arriving)
    except CrosswalkError:
        return {}
    return {
        f.field.name: (
            f.field.kind,
            filled.select(as_text(f.field, pl.col(f.field.name))).item() if filled.height else None,
        )
        for f in bench.plan.filled
    }
