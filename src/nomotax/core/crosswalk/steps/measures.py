"""Measures as they are written: ``2 lb 3 oz``, ``5' 3"``, ``12x18 in``, ``30 × 40 × 2 cm``."""

from __future__ import annotations

import re
from decimal import Decimal
from fractions import Fraction
from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.crosswalk.flow import Context, Fault, Flow
from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.crosswalk.steps.distinct import each_distinct
from nomotax.core.errors import CrosswalkError
from nomotax.core.numbers import NUMBER, SCALE, DecimalMark, literal, read_number, times
from nomotax.core.units.table import BY_NAME, UNITS, convert, exact_factor

_PLAIN = r"\d[\d.,]*(?:\s+\d+/\d+)?|\d+/\d+|[.,]\d+"
#: A number (12, 12.5, 12 1/2, 1/2) and the unit behind it, twice at most: feet and inches.
_PIECE = rf"^\s*(?:ca\.?|approx\.?|about|~)?\s*({_PLAIN})\s*([^\d\s+\-][^\d+\-]*?)?\.?"
_TWO = rf"{_PIECE}\s*(?:(?:and|,|\s)\s*({_PLAIN})\s*([^\d\s+\-][^\d+\-]*?)?\.?)?\s*$"
_TIMES = r"\s*[x×*]\s*"


class Measure(BaseStep):
    """Reads a measure with its unit out of a cell and gives it in ``target``.

    The unit stands in the cell; where it does not, it is what ``column`` says, or ``stated``.
    ``part`` takes the first, second or third of ``12x18 in``; 0 takes a single measure. A unit
    that is unknown, missing, or of another dimension is refused.
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
        piece, cell_unit = self._piece(flow, text)
        groups = flow.keep(piece.str.extract_groups(_TWO))
        first, unit_1, second, unit_2 = (groups.struct.field(str(n)) for n in range(1, 5))
        given = self._given_unit(ctx)
        big = flow.keep(pl.coalesce(_named(unit_1), _named(cell_unit), given))
        small = flow.keep(pl.coalesce(_named(unit_2), _named(cell_unit)))
        one, wrong_1 = self._in_target(flow, ctx, first, big)
        two, wrong_2 = self._in_target(flow, ctx, second, small)
        whole = one + pl.when(second.is_null()).then(literal(0)).otherwise(two)
        shape = Fault(
            "not_a_measure", "is no measure", first.is_null() & (text.fill_null("") != ""), text
        )
        dimension = UNITS[self.target].dimension
        known = [u.code for u in UNITS.values() if u.dimension == dimension]
        return flow.to(
            whole,
            shape,
            Fault("no_unit", "has no unit", first.is_not_null() & big.is_null(), text),
            Fault("unknown_unit", "has an unknown unit", (big == "?") | (small == "?"), text),
            Fault(
                "wrong_dimension",
                f"is no {dimension}",
                _other(big, known) | (second.is_not_null() & _other(small, known)),
                text,
            ),
            Fault("not_a_number", "holds no number in this style", wrong_1 | wrong_2, text),
            numeric=True,
        )

    def _piece(self, flow: Flow, text: pl.Expr) -> tuple[pl.Expr, pl.Expr]:
        """The wanted part of ``12x18 in``, and the unit behind the last."""
        if not self.part:
            return text, pl.lit(None, dtype=pl.String)
        tidy = text.str.replace_all(_TIMES, "\x1f")
        parts = flow.keep(tidy.str.split("\x1f"))
        last = parts.list.last().str.extract(r"^[^a-zA-Z'\"°]*([a-zA-Z'\"°].*)$", 1)
        return parts.list.get(self.part - 1, null_on_oob=True), last

    def _given_unit(self, ctx: Context) -> pl.Expr:
        stated = pl.lit(self.stated or None, dtype=pl.String)
        if not self.column:
            return stated
        if ctx.names is None:
            raise CrosswalkError("A unit in a column needs the columns of a delivery.")
        return pl.coalesce(_named(ctx.names.column(self.column)), stated)

    def _in_target(
        self, flow: Flow, ctx: Context, written: pl.Expr, unit: pl.Expr
    ) -> tuple[pl.Expr, pl.Expr]:
        number, wrong = _number(flow, written, ctx)
        dimension = UNITS[self.target].dimension
        codes = [u.code for u in UNITS.values() if u.dimension == dimension]
        known = {c: f for c in codes if (f := exact_factor(c, self.target)) is not None}
        # One multiplication for all units whose factor is a decimal; the others one by one.
        factor = unit.replace_strict(
            list(known), pl.Series(list(known.values()), dtype=NUMBER), default=None,
            return_dtype=NUMBER,
        )  # fmt: skip
        made = times(number, factor).value
        for code in codes:
            if code not in known:
                value = convert(number, code, self.target).value
                made = pl.when(unit == code).then(value).otherwise(made)
        return flow.keep(made), wrong

    def columns(self) -> list[str]:
        return [self.column] if self.column else []

    def describe(self) -> str:
        which = f"part {self.part} of " if self.part else ""
        return f"{which}measure in {self.target}"


def _named(written: pl.Expr) -> pl.Expr:
    """The unit's code; ``?`` for a word that is none."""
    word = written.str.strip_chars(" \t.()[]").str.to_lowercase()
    word = pl.when(word != "").then(word)
    names = list(BY_NAME)
    codes = [BY_NAME[n].code for n in names]
    found = word.replace_strict(names, codes, default="?", return_dtype=pl.String)
    return pl.when(word.is_not_null()).then(found)


def _other(unit: pl.Expr, known: list[str]) -> pl.Expr:
    return unit.is_not_null() & (unit != "?") & ~unit.is_in(known)


def _number(flow: Flow, written: pl.Expr, ctx: Context) -> tuple[pl.Expr, pl.Expr]:
    """``12``, ``12,5``, ``12 1/2`` or ``1/2`` as a number."""
    plain = each_distinct(written, lambda text: _without_fraction(text, ctx.decimal), "/")
    return read_number(plain, ctx.decimal, flow.keep)


def _without_fraction(text: str, mark: DecimalMark) -> str:
    """``12 1/2`` as ``12.5``, to as many places as numbers have; what is no fraction stays."""
    found = re.fullmatch(r"\s*(?:(\d+)\s+)?(\d+)/(\d+)\s*", text)
    if found is None or int(found[3]) == 0:
        return text
    value = int(found[1] or 0) + Fraction(int(found[2]), int(found[3]))
    places = Decimal(value.numerator) / Decimal(value.denominator)
    return f"{places.quantize(Decimal(1).scaleb(-SCALE)):f}".replace(".", mark)
