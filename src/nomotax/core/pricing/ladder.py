"""Price ladders: saved rules from cost to price, exact to the cent.

A margin is a share of the price, (price - cost) / price; a markup is a share of the cost,
(price - cost) / cost.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

#: Places a number keeps on its way through a chain of steps.
SCALE = 12
_MONEY = pl.Decimal(38, SCALE)

RungKind = Literal["markup", "margin", "fixed"]
#: none: to the cent. 99 / 95: the nearest price ending so. whole: nearest unit.
#: five: nearest step of 0.05.
Ending = Literal["none", "99", "95", "whole", "five"]

#: What one rung makes of a value.
_Rule = Callable[["Rung", pl.Expr], pl.Expr]

_ENDING_STEP = {"none": "0.01", "99": "1", "95": "1", "whole": "1", "five": "0.05"}
_ENDING_OFFSET = {"none": "0", "99": "0.99", "95": "0.95", "whole": "0", "five": "0"}


class Rung(BaseModel):
    """From this cost (inclusive) on, and up to the next rung.

    ``amount`` is a percentage for markup and margin, and an amount of money for fixed.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    start: Decimal = Field(ge=0)
    kind: RungKind = "markup"
    amount: Decimal = Field(ge=0)
    ending: Ending | None = None

    @model_validator(mode="after")
    def _margin_below_all(self) -> Rung:
        if self.kind == "margin" and self.amount >= 100:
            raise ValueError("a margin is a share of the price and stays below 100 %")
        return self


class Ladder(BaseModel):
    """Rungs by cost, an ending, and a floor: never below cost + ``floor``."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    currency: str = "EUR"
    rungs: tuple[Rung, ...] = Field(min_length=1)
    ending: Ending = "none"
    floor: Decimal = Field(default=Decimal(0), ge=0)

    @model_validator(mode="after")
    def _ordered(self) -> Ladder:
        starts = [r.start for r in self.rungs]
        if starts != sorted(set(starts)):
            raise ValueError("the rungs must start at rising costs, each once")
        if starts[0] != 0:
            raise ValueError("the first rung must start at 0, or cheap goods have no price")
        return self

    def price(self, cost: pl.Expr) -> pl.Expr:
        """Price for a cost (Decimal), null where the cost is null or negative."""
        raw = self._by_rung(cost, _raw_price)
        floor = cost + _lit(self.floor)
        wanted = pl.max_horizontal(raw, floor)
        ended = self._by_rung(wanted, self._ended, basis=cost)
        step = self._by_rung(wanted, lambda rung, _: self._step(rung), basis=cost)
        # An ending may round below the floor; then the next price with that ending is meant.
        missing = ((floor - ended) / step).ceil()
        safe = pl.when(ended < floor).then(ended + missing * step).otherwise(ended)
        return pl.when(cost >= 0).then(safe).otherwise(None)

    def _by_rung(self, value: pl.Expr, rule: _Rule, basis: pl.Expr | None = None) -> pl.Expr:
        cost = value if basis is None else basis
        expr = rule(self.rungs[0], value)
        for rung in self.rungs[1:]:
            expr = pl.when(cost >= _lit(rung.start)).then(rule(rung, value)).otherwise(expr)
        return expr

    def _step(self, rung: Rung) -> pl.Expr:
        return _lit(Decimal(_ENDING_STEP[rung.ending or self.ending]))

    def _ended(self, rung: Rung, price: pl.Expr) -> pl.Expr:
        ending = rung.ending or self.ending
        step, offset = Decimal(_ENDING_STEP[ending]), Decimal(_ENDING_OFFSET[ending])
        steps = ((price - _lit(offset)) / _lit(step)).round(0, mode="half_away_from_zero")
        ended = steps * _lit(step) + _lit(offset)
        lowest = _lit(offset or step)
        return pl.max_horizontal(ended, lowest)

    def rung_for(self, cost: Decimal) -> int:
        """Index of the rung that prices ``cost``."""
        return max(i for i, r in enumerate(self.rungs) if r.start <= max(cost, Decimal(0)))


def _lit(value: Decimal) -> pl.Expr:
    return pl.lit(value, dtype=_MONEY)


def _raw_price(rung: Rung, cost: pl.Expr) -> pl.Expr:
    if rung.kind == "fixed":
        return cost + _lit(rung.amount)
    if rung.kind == "markup":
        return cost * _lit(1 + rung.amount / 100)
    return cost / _lit(1 - rung.amount / 100)


@dataclass(frozen=True)
class Shares:
    """Margin and markup of one price, in percent, to one place."""

    margin: Decimal | None
    markup: Decimal | None


def shares(cost: Decimal, price: Decimal) -> Shares:
    """Both shares of a price over its cost; None where the divisor is zero."""
    gain = (price - cost) * 100
    tenth = Decimal("0.1")
    return Shares(
        (gain / price).quantize(tenth, ROUND_HALF_UP) if price else None,
        (gain / cost).quantize(tenth, ROUND_HALF_UP) if cost else None,
    )
