"""Price ladders: saved rules from cost to price, exact to the cent.

A margin is a share of the price, (price - cost) / price; a markup is a share of the cost,
(price - cost) / cost.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from typing import Annotated, Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.numbers import NUMBER, Keep, exactly

_MONEY = NUMBER

RungKind = Literal["markup", "margin", "fixed", "multiple"]
#: none: to the cent. 99 / 95: the nearest price ending so. whole: nearest unit.
#: five: nearest step of 0.05.
Ending = Literal["none", "99", "95", "whole", "five"]

#: In cents: the distance between two prices with the ending, and what it adds to a multiple.
_ENDING_STEP: dict[Ending, int] = {"none": 1, "99": 100, "95": 100, "whole": 100, "five": 5}
_ENDING_TAIL: dict[Ending, int] = {"none": 0, "99": 99, "95": 95, "whole": 0, "five": 0}
#: Where an ending is looked for, from the unrounded price on.
Toward = Literal["nearest", "up", "down"]
#: Endings are looked for among whole millionths. A price is cut to them, never rounded: 99.4899996
#: stays below 99.49 and so ends as 98.99.
_MICROS = Decimal(1_000_000)
#: What stands between a branch of categories and those below it.
BELOW = " > "
#: Dearer goods than this are no goods; it leaves room for every product of the working.
DEAREST = Decimal(10) ** 9
#: Heavier goods (kg) than this are none: their weight is in another unit, or a mistake.
HEAVIEST = Decimal(10_000)


class _Document(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Rung(_Document):
    """From this basis (inclusive) on, and up to the next rung: a landed cost, or a value of the
    ladder's ``by_field``.

    ``amount`` is a percentage for markup and margin, an amount of money for fixed, and a factor
    for multiple.
    """

    start: Decimal = Field(ge=0)
    kind: RungKind = "markup"
    amount: Decimal = Field(ge=0, le=100_000)
    ending: Ending | None = None

    @model_validator(mode="after")
    def _margin_below_all(self) -> Rung:
        if self.kind == "margin" and self.amount >= 100:
            raise ValueError("a margin is a share of the price and stays below 100 %")
        return self


Rungs = Annotated[tuple[Rung, ...], Field(min_length=1)]


class Match(_Document):
    """A store field (or a fact such as ``supplier``) whose value is one of ``words``, ignoring
    case. A category is also matched by a branch above it."""

    field: str = ""
    fact: str = ""
    words: tuple[str, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _one_of_both(self) -> Match:
        if bool(self.field) == bool(self.fact):
            raise ValueError("a match looks at a field or at a fact")
        return self


class Rule(_Document):
    """Rungs of their own for the products that all matches fit."""

    name: str
    when: tuple[Match, ...] = Field(min_length=1)
    rungs: Rungs
    ending: Ending | None = None

    @model_validator(mode="after")
    def _ordered(self) -> Rule:
        _check_order(self.rungs)
        return self


class Landed(_Document):
    """What goods cost once they are here: cost, ``duty`` percent of it, freight by weight (kg, from
    ``weight_field``), and handling a piece."""

    duty: Decimal = Field(default=Decimal(0), ge=0, le=1000)
    freight_per_kg: Decimal = Field(default=Decimal(0), ge=0, le=10_000)
    weight_field: str = ""
    handling: Decimal = Field(default=Decimal(0), ge=0, le=10_000)

    @model_validator(mode="after")
    def _weighed(self) -> Landed:
        if self.freight_per_kg and not self.weight_field:
            raise ValueError("freight by weight needs the field that holds the weight")
        return self


class Ladder(_Document):
    """Rungs by cost, or by another number of the product (``by_field``: its list price, its
    weight), an ending, and limits. Whatever the rungs go by, they raise the landed cost.

    A ``Rule`` that fits a product takes the place of ``rungs``: the first, or the one with the
    most matches. The price is never below the landed cost + ``floor`` (an amount, or percent of the
    landed cost), never below the amount in ``least_field`` (the maker's minimum), never above that
    in ``most_field`` (the list price); where those cross, ``crossed`` says which one holds, or that
    a person is asked. The ending is the nearest one, or the next one ``toward`` dearer or cheaper.
    ``tax`` says whether the price contains a tax of ``tax_rate`` percent that the cost does not.
    """

    name: str
    currency: str = "EUR"
    rungs: Rungs
    by_field: str = ""
    ending: Ending = "none"
    toward: Toward = "nearest"
    floor: Decimal = Field(default=Decimal(0), ge=0, le=100_000)
    floor_by: Literal["amount", "percent"] = "amount"
    crossed: Literal["hold", "floor", "ceiling"] = "hold"
    rules: tuple[Rule, ...] = ()
    choose: Literal["first", "most_specific"] = "first"
    landed: Landed = Landed()
    tax: Literal["out", "in"] = "out"
    tax_rate: Decimal = Field(default=Decimal(0), ge=0, le=100)
    least_field: str = ""
    most_field: str = ""

    @model_validator(mode="after")
    def _ordered(self) -> Ladder:
        _check_order(self.rungs)
        return self

    @property
    def ranked(self) -> list[Rule]:
        """The rules in the order in which they are tried."""
        if self.choose == "first":
            return list(self.rules)
        return sorted(self.rules, key=lambda r: -len(r.when))

    @property
    def fields(self) -> list[str]:
        """Store fields that the ladder looks at; each once."""
        found = [m.field for r in self.rules for m in r.when if m.field]
        found += [self.by_field, self.landed.weight_field, self.least_field, self.most_field]
        return list(dict.fromkeys(f for f in found if f))

    def price(
        self,
        cost: pl.Expr,
        keep: Keep = lambda expr: expr,
        look: Look | None = None,
    ) -> Priced:
        """Price for a cost (Decimal); null where the cost is null, zero, negative or beyond all
        goods, where its freight needs a weight that is missing or absurd, and where the price
        itself is beyond all goods.

        ``look`` gives the fields and facts that rules and limits name. ``keep`` names
        intermediate results that are used more than once.
        """
        return _Pricing(self, keep, look or Look()).of(cost)


def _check_order(rungs: tuple[Rung, ...]) -> None:
    starts = [r.start for r in rungs]
    if starts != sorted(set(starts)):
        raise ValueError("the rungs must start at rising values, each once")
    if starts[0] != 0:
        raise ValueError("the first rung must start at 0, or cheap goods have no price")


@dataclass(frozen=True)
class Look:
    """Where a ladder finds a product's other values: ``text`` and ``number`` of a store field, the
    ``weight`` of one in kg, ``fact`` of the feed."""

    text: Callable[[str], pl.Expr] = lambda name: pl.lit(None, dtype=pl.String)
    number: Callable[[str], pl.Expr] = lambda name: pl.lit(None, dtype=NUMBER)
    weight: Callable[[str], pl.Expr] = lambda name: pl.lit(None, dtype=NUMBER)
    fact: Callable[[str], pl.Expr] = lambda name: pl.lit(None, dtype=pl.String)


@dataclass(frozen=True)
class Priced:
    """A price and the way to it. ``stages`` are the numbers one after the other; ``rule`` is the
    rule's name ("" for the ladder's own rungs), ``rung`` counts from 0; ``squeezed`` is true where
    the floor lies above the highest price allowed, ``unbanded`` where the number that the rungs go
    by is missing or negative, ``unweighed`` where freight needs a weight that is missing, negative
    or absurd, ``too_dear`` where the price is beyond all goods: such products have no price."""

    value: pl.Expr
    rule: pl.Expr
    rung: pl.Expr
    stages: tuple[tuple[str, pl.Expr], ...]
    squeezed: pl.Expr
    unbanded: pl.Expr
    unweighed: pl.Expr
    too_dear: pl.Expr


class _Pricing:
    """One ladder on its way to one expression."""

    def __init__(self, ladder: Ladder, keep: Keep, look: Look) -> None:
        self.ladder, self.keep, self.look = ladder, keep, look
        self.cases = [(r.rungs, r.ending or ladder.ending) for r in ladder.ranked]
        self.cases.append((ladder.rungs, ladder.ending))
        self.fits = [keep(self._fits(r)) for r in ladder.ranked]

    def of(self, cost: pl.Expr) -> Priced:
        cost = self.keep(pl.when((cost > 0) & (cost < _lit(DEAREST))).then(cost))
        landed = self.keep(self._landed(cost))
        unweighed = cost.is_not_null() & landed.is_null()
        band = self.keep(self.look.number(self.ladder.by_field)) if self.ladder.by_field else landed
        banded = (band >= 0).fill_null(False)
        if self.ladder.by_field:
            landed = self.keep(pl.when(banded).then(landed))
        wanted = self.keep(self._wanted(landed, band))
        dear = wanted >= _lit(DEAREST)
        ended, lowest = self._ended(band, pl.when(~dear).then(wanted), self._floor(landed))
        value, squeezed = self._below_ceiling(ended, lowest)
        return Priced(
            value=value,
            rule=self._by_case([*(pl.lit(r.name) for r in self.ladder.ranked), pl.lit("")]),
            rung=self._by_rung(band, lambda rungs, at, _: pl.lit(at, dtype=pl.UInt32)),
            stages=tuple(self._told(cost, landed, band, wanted, lowest, ended, value)),
            squeezed=squeezed,
            unbanded=cost.is_not_null() & ~banded,
            unweighed=unweighed,
            too_dear=dear.fill_null(False),
        )

    def _told(
        self, cost: pl.Expr, landed: pl.Expr, band: pl.Expr, wanted: pl.Expr, lowest: pl.Expr,
        ended: pl.Expr, value: pl.Expr,
    ) -> Iterator[tuple[str, pl.Expr]]:  # fmt: skip
        """The numbers on the way, for the trace."""
        yield "cost", cost
        if self.ladder.landed != Landed():
            yield "landed cost", landed
        if self.ladder.by_field:
            yield f"by {self.ladder.by_field}", band
        if self._tax != 1:
            yield "by the rung", self._made(landed, band, Fraction(1))
            yield "with tax", wanted
        else:
            yield "by the rung", wanted
        yield "least allowed", lowest
        yield "with its ending", ended
        if self.ladder.most_field:
            yield "at most the list price", value

    def _below_ceiling(self, ended: pl.Expr, lowest: pl.Expr) -> tuple[pl.Expr, pl.Expr]:
        """The price under the highest allowed, and where that lies below the lowest allowed."""
        if not self.ladder.most_field:
            return ended, pl.lit(False)
        most = self.keep(self.look.number(self.ladder.most_field))
        crossing = self.keep((most < lowest).fill_null(False))
        value = pl.when(ended > most).then(most).otherwise(ended)
        if self.ladder.crossed == "floor":
            value = pl.when(crossing).then(ended).otherwise(value)
        return self.keep(value), crossing

    @property
    def _tax(self) -> Fraction:
        taxed = self.ladder.tax == "in"
        return 1 + Fraction(self.ladder.tax_rate) / 100 if taxed else Fraction(1)

    def _fits(self, rule: Rule) -> pl.Expr:
        return pl.all_horizontal(self._match(m) for m in rule.when).fill_null(False)

    def _match(self, match: Match) -> pl.Expr:
        value = self.look.text(match.field) if match.field else self.look.fact(match.fact)
        value = value.str.to_lowercase()
        words = [w.strip().lower() for w in match.words]
        below = pl.any_horizontal(value.str.starts_with(f"{w}{BELOW}") for w in words)
        return value.is_in(words) | below

    def _landed(self, cost: pl.Expr) -> pl.Expr:
        parts = self.ladder.landed
        made = _times(cost, 1 + Fraction(parts.duty) / 100) if parts.duty else cost
        if parts.freight_per_kg:
            weight = self.keep(self.look.weight(parts.weight_field))
            # Without a sound weight there is no freight, and so no price: never a cheaper one.
            sound = pl.when((weight > 0) & (weight < _lit(HEAVIEST))).then(weight)
            made = made + sound * _lit(parts.freight_per_kg)
        return made + _lit(parts.handling) if parts.handling else made

    def _floor(self, landed: pl.Expr) -> pl.Expr:
        floor = Fraction(self.ladder.floor)
        if self.ladder.floor_by == "percent":
            return _times(landed, (1 + floor / 100) * self._tax)
        return _times(landed + _lit(self.ladder.floor), self._tax)

    def _wanted(self, landed: pl.Expr, band: pl.Expr) -> pl.Expr:
        return self._made(landed, band, self._tax)

    def _made(self, landed: pl.Expr, band: pl.Expr, tax: Fraction) -> pl.Expr:
        """What the rungs make of the landed cost, times ``tax``: one fraction for both, so that
        nothing is rounded on the way."""

        def up(rungs: tuple[Rung, ...], at: int, _: Ending) -> pl.Expr:
            return pl.lit((_factor(rungs[at]) * tax).numerator, dtype=pl.Int128)

        def down(rungs: tuple[Rung, ...], at: int, _: Ending) -> pl.Expr:
            return pl.lit((_factor(rungs[at]) * tax).denominator, dtype=pl.Int128)

        plus = self._by_rung(band, lambda rungs, at, _: _lit(_plus(rungs[at], tax)))
        return exactly(landed, self._by_rung(band, up), self._by_rung(band, down)).value + plus

    def _ended(self, band: pl.Expr, wanted: pl.Expr, floor_at: pl.Expr) -> tuple[pl.Expr, pl.Expr]:
        """The price with its ending (of two that are as near, the dearer) that is not below the
        floor, and the lowest price allowed."""
        micros = wanted * _lit(_MICROS)
        exact = (micros.ceil() if self.ladder.toward == "up" else micros.floor()).cast(pl.Int64)
        known = exact.is_not_null()
        floor = (pl.when(known).then(floor_at) * _lit(_MICROS)).ceil().cast(pl.Int64, strict=False)
        if self.ladder.least_field:
            given = self.look.number(self.ladder.least_field)
            least = (pl.when(given < _lit(DEAREST)).then(given) * _lit(_MICROS)).ceil()
            floor = pl.max_horizontal(floor, least.cast(pl.Int64, strict=False))
        floor = self.keep(floor)
        wanted = self.keep(pl.max_horizontal(exact, floor))
        step, offset = self._micros(band, _ENDING_STEP), self._micros(band, _ENDING_TAIL)
        slack = {"nearest": step // 2, "up": step - 1, "down": pl.lit(0, dtype=pl.Int64)}
        found = (wanted - offset + slack[self.ladder.toward]) // step * step + offset
        lowest = pl.when(offset > 0).then(offset).otherwise(step)
        ended = self.keep(pl.max_horizontal(found, lowest))
        lift = pl.max_horizontal((floor - ended + step - 1) // step, pl.lit(0, dtype=pl.Int64))
        price = pl.when(known).then((ended + lift * step).cast(_MONEY))
        return self.keep(price * _lit(1 / _MICROS)), floor.cast(_MONEY) * _lit(1 / _MICROS)

    def _micros(self, band: pl.Expr, cents: dict[Ending, int]) -> pl.Expr:
        """A number of cents that hangs on the ending, in millionths."""

        def of(rungs: tuple[Rung, ...], at: int, ending: Ending) -> pl.Expr:
            return pl.lit(cents[rungs[at].ending or ending] * 10_000, dtype=pl.Int64)

        return self.keep(self._by_rung(band, of))

    def _by_case(self, made: list[pl.Expr]) -> pl.Expr:
        chain = made[-1]
        for fits, one in reversed(list(zip(self.fits, made[:-1], strict=True))):
            chain = pl.when(fits).then(one).otherwise(chain)
        return chain

    def _by_rung(
        self, band: pl.Expr, rule: Callable[[tuple[Rung, ...], int, Ending], pl.Expr]
    ) -> pl.Expr:
        """What ``rule`` makes of the rung that each product stands on."""
        made = [[rule(rungs, at, end) for at in range(len(rungs))] for rungs, end in self.cases]
        if len({str(m) for case in made for m in case}) == 1:
            return made[0][0]
        return self._by_case(
            [_on_rung(band, rungs, m) for (rungs, _), m in zip(self.cases, made, strict=True)]
        )


def _on_rung(band: pl.Expr, rungs: tuple[Rung, ...], made: list[pl.Expr]) -> pl.Expr:
    if len({str(m) for m in made}) == 1:
        return made[0]
    chain = made[-1]
    for one, above in reversed(list(zip(made[:-1], rungs[1:], strict=True))):
        chain = pl.when(band < _lit(above.start)).then(one).otherwise(chain)
    return chain


def _lit(value: Decimal) -> pl.Expr:
    return pl.lit(value, dtype=_MONEY)


def _times(amount: pl.Expr, factor: Fraction) -> pl.Expr:
    if factor == 1:
        return amount
    return exactly(amount, factor.numerator, factor.denominator).value


def _factor(rung: Rung) -> Fraction:
    """What the landed cost is multiplied by."""
    amount = Fraction(rung.amount)
    if rung.kind == "fixed":
        return Fraction(1)
    if rung.kind == "multiple":
        return amount
    return 1 + amount / 100 if rung.kind == "markup" else 1 / (1 - amount / 100)


def _plus(rung: Rung, tax: Fraction) -> Decimal:
    """What is added behind, with its tax."""
    if rung.kind != "fixed":
        return Decimal(0)
    added = Fraction(rung.amount) * tax
    return Decimal(added.numerator) / Decimal(added.denominator)


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
