"""Measures as they are written: ``2 lb 3 oz``, ``5' 3"``, ``12x18 in``, ``30 × 40 × 2 cm``."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.crosswalk.steps.distinct import each_distinct
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow, Severity
from nomotax.core.numbers import Worked, exactly, literal, read_number
from nomotax.core.units.table import BY_NAME, UNITS, convert, ratio
from nomotax.core.units.written import PLAIN, spell

_NUMBER_AND_UNIT = r"^([+-]?(?:\d[\d.,]*|[.,]\d+))\s*(.*)$"
#: Larger goods than this are none, and it leaves room for every factor.
_LARGEST = 10**9


class Measure(BaseStep):
    """Reads a measure with its unit out of a cell and gives it in ``target``.

    The unit stands in the cell; where it does not, it is what ``column`` says, or ``stated``.
    ``part`` takes the first, second or third of ``12x18 in``; 0 takes a single measure. A unit
    that is unknown or of another dimension is refused; one that is missing is asked for.
    """

    do: Literal["measure"] = "measure"
    target: str = "kg"
    stated: str = ""
    column: str = ""
    part: int = Field(default=0, ge=0, le=4)

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        if self.target not in UNITS or (self.stated and self.stated not in UNITS):
            raise CrosswalkError("There is no such unit.", remedy="Choose a listed one.")
        text = flow.keep(flow.text.str.strip_chars())
        groups = flow.keep(self._spelled(flow, ctx, text).str.extract_groups(_NUMBER_AND_UNIT))
        written, name = groups.struct.field("1"), groups.struct.field("2")
        unit = flow.keep(pl.coalesce(_named(name), self._given_unit(ctx)))
        number, wrong = read_number(written, flow.decimal(ctx), flow.keep)
        made = self._in_target(number, unit)
        value = flow.keep(made.value)
        dimension = UNITS[self.target].dimension
        there = text.fill_null("") != ""
        return flow.to(
            value,
            Fault("not_a_measure", "is no measure", written.is_null() & there, text),
            Fault("not_a_number", "holds no number in this style", wrong, text),
            Fault("no_unit", "has no unit", unit.is_null() & there, text, Severity.QUESTION),
            Fault("unknown_unit", "has an unknown unit", unit == "?", text),
            Fault("wrong_dimension", f"is no {dimension}", _other(unit, self._codes), text),
            Fault("no_number", "is too large a measure", value.is_null() & there, text),
            numeric=True,
        )

    def _spelled(self, flow: Flow, ctx: Context, text: pl.Expr) -> pl.Expr:
        """One plain number and its unit. Nearly all cells are that already."""
        mark = flow.decimal(ctx)
        stated = "" if self.column else self.stated

        def read(cell: str) -> str:
            return spell(cell, mark, self.part, target=self.target, stated=stated)

        if self.part > 1:
            # Without such a part there is no measure, however plain the cell.
            odd = each_distinct(text, lambda t: _part(t, read(t)), "")
        else:
            odd = each_distinct(text, read, PLAIN, but=True)
        return flow.keep(odd)

    @property
    def _codes(self) -> list[str]:
        dimension = UNITS[self.target].dimension
        return [u.code for u in UNITS.values() if u.dimension == dimension]

    def _given_unit(self, ctx: Context) -> pl.Expr:
        stated = pl.lit(self.stated or None, dtype=pl.String)
        if not self.column:
            return stated
        if ctx.names is None:
            raise CrosswalkError("A unit in a column needs the columns of a delivery.")
        return pl.coalesce(_named(ctx.names.column(self.column)), stated)

    def _in_target(self, number: pl.Expr, unit: pl.Expr) -> Worked:
        """All units at once, each row by its own factor; temperatures one by one."""
        if UNITS[self.target].dimension == "temperature":
            made: pl.Expr = pl.lit(None, dtype=pl.Decimal(38, 12))
            for code in self._codes:
                one = convert(number, code, self.target).value
                made = pl.when(unit == code).then(one).otherwise(made)
            return Worked(made, made.is_null())
        ratios = [ratio(code, self.target) for code in self._codes]

        def whole(values: list[int]) -> pl.Expr:
            found = pl.Series(values, dtype=pl.Int64)
            return unit.replace_strict(
                self._codes, found, default=None, return_dtype=pl.Int64
            ).cast(pl.Int128)

        goods = pl.when(number.abs() < literal(_LARGEST)).then(number)
        return exactly(goods, whole([up for up, _ in ratios]), whole([down for _, down in ratios]))

    def columns(self) -> list[str]:
        return [self.column] if self.column else []

    def describe(self) -> str:
        which = f"part {self.part} of " if self.part else ""
        by = f", unit in '{self.column}'" if self.column else ""
        return (
            f"{which}measure in {self.target}{by}{f', else {self.stated}' if self.stated else ''}"
        )


def _part(text: str, spelled: str) -> str:
    return "" if spelled == text else spelled


def _named(written: pl.Expr) -> pl.Expr:
    """The unit's code; ``?`` for a word that is none."""
    word = written.str.replace_all(r"[\s.]+", " ").str.strip_chars(" ()[]").str.to_lowercase()
    word = pl.when(word != "").then(word)
    names = list(BY_NAME)
    codes = [BY_NAME[n].code for n in names]
    found = word.replace_strict(names, codes, default="?", return_dtype=pl.String)
    return pl.when(word.is_not_null()).then(found)


def _other(unit: pl.Expr, known: list[str]) -> pl.Expr:
    return unit.is_not_null() & (unit != "?") & ~unit.is_in(known)
