"""Steps on exact numbers."""

from __future__ import annotations

from decimal import Decimal
from typing import Literal

import polars as pl
from pydantic import Field, model_validator

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow
from nomotax.core.flow.number import as_number
from nomotax.core.numbers import Worked, literal, over, plus, read_number, scaled


def worked(flow: Flow, made: Worked, message: str = "makes too large a number") -> Flow:
    """The flow after an operation that some rows cannot have."""
    return flow.to(made.value, Fault("no_number", message, made.wrong, flow.text))


class Round(BaseStep):
    """Rounds to ``places`` (below 0: to tens, hundreds): half away from zero, up, or down."""

    do: Literal["round"] = "round"
    places: int = Field(default=2, ge=-6, le=8)
    how: Literal["half", "up", "down"] = "half"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        number = as_number(flow, ctx).settled()
        unit = literal(Decimal(1).scaleb(-self.places))
        size = number.value.abs()
        if self.how == "half":
            size = size + unit / literal(2)
        rest = size % unit
        cut = size - rest
        if self.how == "up":
            cut = pl.when(rest == 0).then(size).otherwise(cut + unit)
        return number.to(pl.when(number.value < 0).then(-cut).otherwise(cut))

    def describe(self) -> str:
        words = {"half": "round", "up": "round up", "down": "round down"}
        return f"{words[self.how]} to {self.places} places"


class Scale(BaseStep):
    """Multiplies by ``times``, divides by ``by``, then adds ``plus``."""

    do: Literal["scale"] = "scale"
    times: Decimal = Decimal(1)
    by: Decimal = Decimal(1)
    plus: Decimal = Decimal(0)

    @model_validator(mode="after")
    def _sensible(self) -> Scale:
        if self.by == 0:
            raise ValueError("a number cannot be divided by 0")
        return self

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        number = as_number(flow, ctx)
        if self.times != 1:
            number = worked(number, scaled(number.value, self.times)).settled()
        if self.by != 1:
            number = number.to(over(number.value, literal(self.by)).value)
        return worked(number, plus(number.value, literal(self.plus))) if self.plus else number

    def describe(self) -> str:
        said = [f"× {self.times}"] if self.times != 1 else []
        said += [f"÷ {self.by}"] if self.by != 1 else []
        said += [f"+ {self.plus}"] if self.plus else []
        return " ".join(said) or "as it is"


class Clamp(BaseStep):
    """Brings a number within limits: never below ``least``, never above ``most``."""

    do: Literal["clamp"] = "clamp"
    least: Decimal | None = None
    most: Decimal | None = None

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        number = as_number(flow, ctx)
        value = number.value
        if self.least is not None:
            value = pl.when(value < literal(self.least)).then(literal(self.least)).otherwise(value)
        if self.most is not None:
            value = pl.when(value > literal(self.most)).then(literal(self.most)).otherwise(value)
        return number.to(value)

    def describe(self) -> str:
        said = [f"at least {self.least}"] if self.least is not None else []
        said += [f"at most {self.most}"] if self.most is not None else []
        return ", ".join(said) or "no limits"


class PerUnit(BaseStep):
    """Divides by how many are in a pack: a pack's price becomes one piece's. ``column`` says how
    many; where it is empty the pack is one piece."""

    do: Literal["per_unit"] = "per_unit"
    column: str = ""

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        if not self.column or ctx.names is None:
            raise CrosswalkError("No column says how many are in a pack.", remedy="Choose one.")
        number = as_number(flow, ctx).settled()
        arriving = ctx.names.column(self.column)
        size = read_number(arriving, ctx.names.mark(self.column) or ctx.decimal, flow.keep)
        pack = flow.keep(size.value.fill_null(literal(1)))
        wrong = Fault("no_pack", f"has no pack size in '{self.column}'", size.wrong, arriving)
        zero = Fault("no_pack", "is a pack of nothing", pack <= literal(0), arriving)
        return number.to(over(number.value, pack).value, wrong, zero)

    def columns(self) -> list[str]:
        return [self.column] if self.column else []

    def describe(self) -> str:
        return f"per piece, by '{self.column}'"


#: Blanks stand inside a number only between groups of three digits.
_NUMBER = r"[-+]?\d{1,3}(?:[ \u00a0\u202f'’]\d{3})+(?:[.,]\d+)?|[-+]?\d(?:[\d.,]*\d)?"


class NumberIn(BaseStep):
    """Finds the first number in a text, written in the stated style: ``about 12 pcs`` is 12. What
    stands around it is dropped; two numbers are refused unless the first is wanted."""

    do: Literal["number_in"] = "number_in"
    style: Literal["arriving", "point", "comma"] = "arriving"
    first: bool = False

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        if flow.numeric:
            return flow
        marks = {"arriving": flow.decimal(ctx), "point": ".", "comma": ","}
        mark = marks[self.style]
        text = flow.keep(flow.text)
        found = flow.keep(text.str.extract(f"({_NUMBER})", 1))
        made, wrong = read_number(found, "," if mark == "," else ".", flow.keep)
        none = Fault("not_a_number", "holds no number", found.is_null() & (text != ""), text)
        odd = Fault("not_a_number", "holds no number in this style", wrong, text)
        if self.first:
            return flow.to(made, none, odd, numeric=True)
        more = flow.keep(text.str.count_matches(_NUMBER) > 1)
        two = Fault("two_numbers", "holds more than one number", more, text)
        return flow.to(pl.when(~more).then(made), none, odd, two, numeric=True)

    def describe(self) -> str:
        return "the first number in it" if self.first else "the number in it"
