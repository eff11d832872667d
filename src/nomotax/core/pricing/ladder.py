"""Price ladders: saved rules from cost to price, exact to the cent.

A margin is a share of the price, (price - cost) / price; a markup is a share of the cost,
(price - cost) / cost.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from typing import Annotated, Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.numbers import NUMBER, Keep

_MONEY = NUMBER

RungKind = Literal["markup", "margin", "fixed", "multiple"]
#: none: to the cent. 99 / 95: the nearest price ending so. whole: nearest unit.
#: five: nearest step of 0.05.
Ending = Literal["none", "99", "95", "whole", "five"]

#: In cents: the distance between two prices with the ending, and what it adds to a multiple.
_ENDING_STEP: dict[Ending, int] = {"none": 1, "99": 100, "95": 100, "whole": 100, "five": 5}
_ENDING_TAIL: dict[Ending, int] = {"none": 0, "99": 99, "95": 95, "whole": 0, "five": 0}
#: Endings are worked out in whole millionths, fine enough that no price is rounded twice.
_MICROS = Decimal(1_000_000)
#: Dearer goods than this are no goods; it leaves room for every product of the working.
DEAREST = Decimal(10) ** 9


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
    most matches. The price is never below the landed cost + ``floor``, never below the amount in
    ``least_field`` (the maker's minimum), never above that in ``most_field`` (the list price).
    ``tax`` says whether the price contains a tax of ``tax_rate`` percent that the cost does not.
    """

    name: str
    currency: str = "EUR"
    rungs: Rungs
    by_field: str = ""
    ending: Ending = "none"
    floor: Decimal = Field(default=Decimal(0), ge=0, le=100_000)
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
        """Price for a cost (Decimal); null where the cost is null, negative or beyond all goods.

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
    """Where a ladder finds a product's other values: ``text`` and ``number`` of a store field,
    ``fact`` of the feed."""

    text: Callable[[str], pl.Expr] = lambda name: pl.lit(None, dtype=pl.String)
    number: Callable[[str], pl.Expr] = lambda name: pl.lit(None, dtype=NUMBER)
    fact: Callable[[str], pl.Expr] = lambda name: pl.lit(None, dtype=pl.String)


@dataclass(frozen=True)
class Priced:
    """A price and the way to it. ``stages`` are the numbers one after the other; ``rule`` is the
    rule's name ("" for the ladder's own rungs), ``rung`` counts from 0; ``squeezed`` is true where
    the floor lies above the highest price allowed, ``unbanded`` where the number that the rungs go
    by is missing or negative: such a product has no price."""

    value: pl.Expr
    rule: pl.Expr
    rung: pl.Expr
    stages: tuple[tuple[str, pl.Expr], ...]
    squeezed: pl.Expr
    unbanded: pl.Expr


class _Pricing:
    """One ladder on its way to one expression."""

    def __init__(self, ladder: Ladder, keep: Keep, look: Look) -> None:
        self.ladder, self.keep, self.look = ladder, keep, look
        self.cases = [(r.rungs, r.ending or ladder.ending) for r in ladder.ranked]
        self.cases.append((ladder.rungs, ladder.ending))
        self.fits = [keep(self._fits(r)) for r in ladder.ranked]

    def of(self, cost: pl.Expr) -> Priced:
        cost = self.keep(pl.when((cost >= 0) & (cost < _lit(DEAREST))).then(cost))
        landed = self.keep(self._landed(cost))
        band = self.keep(self.look.number(self.ladder.by_field)) if self.ladder.by_field else landed
        banded = (band >= 0).fill_null(False)
        if self.ladder.by_field:
            landed = self.keep(pl.when(banded).then(landed))
        raw = self.keep(self._raw(landed, band))
        taxed = self._taxed(raw)
        floor_at = self._taxed(landed + _lit(self.ladder.floor))
        ended, lowest = self._ended(band, taxed, floor_at)
        value = ended
        squeezed = pl.lit(False)
        if self.ladder.most_field:
            most = self.keep(self.look.number(self.ladder.most_field))
            value = self.keep(pl.when(ended > most).then(most).otherwise(ended))
            squeezed = most < lowest
        stages = [("cost", cost)]
        stages += [("landed cost", landed)] if self.ladder.landed != Landed() else []
        stages += [(f"by {self.ladder.by_field}", band)] if self.ladder.by_field else []
        stages.append(("by the rung", raw))
        stages += [("with tax", taxed)] if self.ladder.tax == "in" else []
        stages += [("least allowed", lowest), ("with its ending", ended)]
        stages += [("at most the list price", value)] if self.ladder.most_field else []
        rules = [pl.lit(r.name) for r in self.ladder.ranked]
        rule = self._by_case([*rules, pl.lit("")])
        rung = self._by_rung(band, lambda rungs, at, _: pl.lit(at, dtype=pl.UInt32))
        return Priced(value, rule, rung, tuple(stages), squeezed, cost.is_not_null() & ~banded)

    def _fits(self, rule: Rule) -> pl.Expr:
        return pl.all_horizontal(self._match(m) for m in rule.when).fill_null(False)

    def _match(self, match: Match) -> pl.Expr:
        value = self.look.text(match.field) if match.field else self.look.fact(match.fact)
        value = value.str.to_lowercase()
        words = [w.strip().lower() for w in match.words]
        below = pl.any_horizontal(value.str.starts_with(f"{w} > ") for w in words)
        return value.is_in(words) | below

    def _landed(self, cost: pl.Expr) -> pl.Expr:
        parts = self.ladder.landed
        made = cost * _lit(1 + parts.duty / 100) if parts.duty else cost
        if parts.freight_per_kg:
            weight = self.look.number(parts.weight_field)
            known = pl.when(weight.abs() < _lit(DEAREST)).then(weight)
            made = made + known.fill_null(_lit(Decimal(0))) * _lit(parts.freight_per_kg)
        return made + _lit(parts.handling) if parts.handling else made

    def _raw(self, landed: pl.Expr, band: pl.Expr) -> pl.Expr:
        times = self._by_rung(band, lambda rungs, at, _: _lit(_terms(rungs[at])[0]))
        by = self._by_rung(band, lambda rungs, at, _: _lit(_terms(rungs[at])[1]))
        plus = self._by_rung(band, lambda rungs, at, _: _lit(_terms(rungs[at])[2]))
        return landed * times / by + plus

    def _taxed(self, amount: pl.Expr) -> pl.Expr:
        if self.ladder.tax == "out" or not self.ladder.tax_rate:
            return amount
        return amount * _lit(1 + self.ladder.tax_rate / 100)

    def _ended(self, band: pl.Expr, wanted: pl.Expr, floor_at: pl.Expr) -> tuple[pl.Expr, pl.Expr]:
        """The nearest price with its ending (half upwards) that is not below the floor, and the
        lowest price allowed."""
        exact = (wanted * _lit(_MICROS)).round(0, mode="half_away_from_zero").cast(pl.Int64)
        floor = (floor_at * _lit(_MICROS)).ceil().cast(pl.Int64)
        if self.ladder.least_field:
            least = (self.look.number(self.ladder.least_field) * _lit(_MICROS)).ceil()
            floor = pl.max_horizontal(floor, least.cast(pl.Int64, strict=False))
        floor = self.keep(floor)
        known = exact.is_not_null()
        wanted = self.keep(pl.max_horizontal(exact, floor))

        def micros(cents: dict[Ending, int]) -> pl.Expr:
            rule = lambda rungs, at, ending: pl.lit(  # noqa: E731
                cents[rungs[at].ending or ending] * 10_000, dtype=pl.Int64
            )
            return self.keep(self._by_rung(band, rule))

        step, offset = micros(_ENDING_STEP), micros(_ENDING_TAIL)
        nearest = (wanted - offset + step // 2) // step * step + offset
        lowest = pl.when(offset > 0).then(offset).otherwise(step)
        ended = self.keep(pl.max_horizontal(nearest, lowest))
        lift = pl.max_horizontal((floor - ended + step - 1) // step, pl.lit(0, dtype=pl.Int64))
        price = pl.when(known).then((ended + lift * step).cast(_MONEY))
        return self.keep(price * _lit(1 / _MICROS)), floor.cast(_MONEY) * _lit(1 / _MICROS)

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


def _terms(rung: Rung) -> tuple[Decimal, Decimal, Decimal]:
    """times, by, plus, such that basis * times / by + plus is the rung's price."""
    if rung.kind == "fixed":
        return Decimal(1), Decimal(1), rung.amount
    if rung.kind == "multiple":
        return rung.amount, Decimal(1), Decimal(0)
    if rung.kind == "markup":
        return 1 + rung.amount / 100, Decimal(1), Decimal(0)
    return Decimal(1), 1 - rung.amount / 100, Decimal(0)


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
