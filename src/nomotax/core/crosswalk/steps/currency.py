"""Amounts of money with their currency, and the exchange into another."""

from __future__ import annotations

from decimal import Decimal
from typing import Literal

import polars as pl

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow, Severity
from nomotax.core.flow.number import as_number
from nomotax.core.money.currencies import MARK, currency_of
from nomotax.core.numbers import NUMBER, read_number, scaled, times


class Amount(BaseStep):
    """Reads an amount of money, each row in its own currency: the one in its cell (``12,50 EUR``,
    ``£9.00``), else the one in ``column``, else ``currency``.

    With ``into``, each row is exchanged into that by the saved rate of its currency; rows without
    a currency, with two, or without a rate wait. Without it, an amount in another currency than
    ``currency`` waits, never taken as if it were.
    """

    do: Literal["amount"] = "amount"
    currency: str = "EUR"
    column: str = ""
    into: str = ""
    oldest: int = 30

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.keep(flow.text.str.strip_chars())
        mark = flow.keep(text.str.extract(f"({MARK})", 1))
        bare = text.str.replace_all(MARK, "")
        made, wrong = read_number(flow.keep(bare), flow.decimal(ctx), flow.keep)
        own = self.into or self.currency
        in_cell, beside = flow.keep(_code(mark, own)), flow.keep(self._beside(ctx, own))
        there = made.is_not_null()
        no_number = Fault("not_a_number", "is no amount of money", wrong, text)
        two = Fault(
            "two_currencies",
            f"says another currency than '{self.column}'",
            there & (in_cell != beside),
            text,
            Severity.QUESTION,
        )
        code = flow.keep(pl.coalesce(in_cell, beside, pl.lit(self.currency or None, pl.String)))
        if not self.into:
            other = flow.keep(there & (code != self.currency))
            message = f"is not in {self.currency}"
            strange = Fault("wrong_currency", message, other, text, Severity.QUESTION)
            return flow.to(pl.when(~other).then(made), no_number, two, strange, numeric=True)
        value, faults = self._exchanged(flow, ctx, made, code)
        return flow.to(value, no_number, two, *faults, numeric=True)

    def _beside(self, ctx: Context, own: str) -> pl.Expr:
        if not self.column or ctx.names is None:
            return pl.lit(None, dtype=pl.String)
        return _code(ctx.names.column(self.column).str.strip_chars(), own)

    def _exchanged(
        self, flow: Flow, ctx: Context, made: pl.Expr, code: pl.Expr
    ) -> tuple[pl.Expr, list[Fault]]:
        rates = {r.source: r for r in ctx.lookups.rates.values() if r.target == self.into}
        known = {**{c: r.rate for c, r in rates.items()}, self.into: Decimal(1)}
        factor = code.replace_strict(
            list(known), pl.Series(list(known.values()), dtype=NUMBER), default=None,
            return_dtype=NUMBER,
        )  # fmt: skip
        rate = flow.keep(factor)
        worked = times(made, rate)
        received = ctx.facts.get("received", "")
        old = [c for c, r in rates.items() if (r.age(received) or 0) > self.oldest]
        there = flow.keep(made.is_not_null())
        return worked.value, [
            Fault("no_currency", "says no currency", there & code.is_null(), flow.text,
                  Severity.QUESTION),
            Fault("no_rate", f"has no rate into {self.into}; enter one under Store, Rates",
                  there & code.is_not_null() & rate.is_null(), code, Severity.QUESTION),
            Fault("no_number", "makes too large a number", worked.wrong, flow.text),
            Fault("old_rate", f"was exchanged at a rate that is over {self.oldest} days old",
                  there & code.is_in(old), code, Severity.QUESTION),
        ]  # fmt: skip

    def columns(self) -> list[str]:
        return [self.column] if self.column else []

    def describe(self) -> str:
        where = f"by '{self.column}'" if self.column else "by its sign"
        if not self.into:
            return f"amount in {self.currency}"
        other = f", else {self.currency}" if self.currency else ""
        return f"amount {where}{other}, into {self.into}"


def _code(word: pl.Expr, own: str) -> pl.Expr:
    """The currency that a word or sign says; the word itself where it says none, so that no rate
    is found for it; null where there is none."""
    return word.map_batches(
        lambda words: _coded(words, own), return_dtype=pl.String, is_elementwise=True
    )


def _coded(words: pl.Series, own: str) -> pl.Series:
    distinct = [w for w in words.unique() if w is not None]
    made = [currency_of(w, own) or w.strip() or None for w in distinct]
    return words.replace_strict(
        distinct, pl.Series(made, dtype=pl.String), default=None, return_dtype=pl.String
    )


class Exchange(BaseStep):
    """Exchanges an amount by the saved rate. A rate older than ``oldest`` days at the day of the
    delivery holds the rows; a missing one cannot run."""

    do: Literal["exchange"] = "exchange"
    source: str = "USD"
    target: str = "EUR"
    oldest: int = 30

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        number = as_number(flow, ctx).settled()
        if self.source == self.target:
            return number
        rate = ctx.lookups.rate(self.source, self.target)
        if rate is None:
            raise CrosswalkError(
                f"There is no rate from {self.source} to {self.target}.",
                remedy="Enter one under Store, Rates.",
            )
        made = scaled(number.value, rate.rate)
        room = Fault("no_number", "makes too large a number", made.wrong, flow.text)
        faults = [room]
        age = rate.age(ctx.facts.get("received", ""))
        if age is not None and age > self.oldest:
            faults.append(
                Fault(
                    "old_rate",
                    f"was exchanged at a rate that is {age} days old",
                    made.value.is_not_null(),
                    pl.lit(str(rate.rate)),
                    Severity.QUESTION,
                )
            )
        return number.to(made.value, *faults)

    def describe(self) -> str:
        return f"{self.source} to {self.target}"
