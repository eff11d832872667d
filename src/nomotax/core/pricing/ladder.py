"""Price ladders: saved rules from cost to price, exact to the cent.

A margin is a share of the price, (price - cost) / price; a markup is a share of the cost,
(price - cost) / cost.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from itertools import pairwise
from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.numbers import NUMBER, Keep

_MONEY = NUMBER

RungKind = Literal["markup", "margin", "fixed"]
#: none: to the cent. 99 / 95: the nearest price ending so. whole: nearest unit.
#: five: nearest step of 0.05.
Ending = Literal["none", "99", "95", "whole", "five"]

#: In cents: the distance between two prices with the ending, and what it adds to a multiple.
_ENDING_STEP: dict[Ending, int] = {"none": 1, "99": 100, "95": 100, "whole": 100, "five": 5}
_ENDING_TAIL: dict[Ending, int] = {"none": 0, "99": 99, "95": 95, "whole": 0, "five": 0}
#: Endings are worked out in whole millionths, fine enough that no price is rounded twice.
_MICROS = Decimal(1_000_000)


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

    def price(self, cost: pl.Expr, keep: Keep = lambda expr: expr) -> pl.Expr:
        """Price for a cost (Decimal), null where the cost is null or negative.

        The rung gives a price; the nearest price with the ending (half upwards) is taken. One
        that would fall below the floor gives way to the next above it. ``keep`` names
        intermediate results that are used more than once.
        """
        times = self._by_rung(cost, lambda r: _lit(_terms(r)[0]))
        by = self._by_rung(cost, lambda r: _lit(_terms(r)[1]))
        plus = self._by_rung(cost, lambda r: _lit(_terms(r)[2]))
        raw = cost * times / by + plus
        exact = (raw * _lit(_MICROS)).round(0, mode="half_away_from_zero").cast(pl.Int64)
        floor = keep(((cost + _lit(self.floor)) * _lit(_MICROS)).ceil().cast(pl.Int64))
        wanted = keep(pl.max_horizontal(exact, floor))
        step = keep(self._by_rung(cost, lambda r: _micros(_ENDING_STEP, r.ending or self.ending)))
        offset = keep(self._by_rung(cost, lambda r: _micros(_ENDING_TAIL, r.ending or self.ending)))
        nearest = (wanted - offset + step // 2) // step * step + offset
        lowest = pl.when(offset > 0).then(offset).otherwise(step)
        ended = keep(pl.max_horizontal(nearest, lowest))
        lift = pl.max_horizontal((floor - ended + step - 1) // step, pl.lit(0, dtype=pl.Int64))
        price = (ended + lift * step).cast(_MONEY) * _lit(1 / _MICROS)
        return pl.when(cost >= 0).then(price).otherwise(None)

    def _by_rung(self, cost: pl.Expr, rule: Callable[[Rung], pl.Expr]) -> pl.Expr:
        """What ``rule`` makes of the rung that each cost stands on."""
        if len({str(rule(r)) for r in self.rungs}) == 1:
            return rule(self.rungs[0])
        chain = rule(self.rungs[-1])
        for rung, above in reversed(list(pairwise(self.rungs))):
            chain = pl.when(cost < _lit(above.start)).then(rule(rung)).otherwise(chain)
        return chain


def _lit(value: Decimal) -> pl.Expr:
    return pl.lit(value, dtype=_MONEY)


def _terms(rung: Rung) -> tuple[Decimal, Decimal, Decimal]:
    """times, by, plus, such that cost * times / by + plus is the rung's price."""
    if rung.kind == "fixed":
        return Decimal(1), Decimal(1), rung.amount
    if rung.kind == "markup":
        return 1 + rung.amount / 100, Decimal(1), Decimal(0)
    return Decimal(1), 1 - rung.amount / 100, Decimal(0)


def _micros(cents: dict[Ending, int], ending: Ending) -> pl.Expr:
    return pl.lit(cents[ending] * 10_000, dtype=pl.Int64)


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
