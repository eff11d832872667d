"""Amounts of money with their currency, and the exchange into another."""

from __future__ import annotations

from typing import Literal

import polars as pl

from nomotax.core.crosswalk.flow import Context, Fault, Flow, Severity
from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.crosswalk.steps.values import as_number
from nomotax.core.errors import CrosswalkError
from nomotax.core.numbers import read_number, scaled

#: Signs that mean one currency only, beside its ISO 4217 code.
_SIGNS = {"€": "EUR", "£": "GBP", "¥": "JPY", "US$": "USD", "A$": "AUD", "C$": "CAD", "zł": "PLN",
          "Kč": "CZK", "CHF": "CHF", "Fr.": "CHF"}  # fmt: skip
_MARK = r"[A-Za-z]{3}\b|[A-Z]{0,2}\$|€|£|¥|zł|Kč|Fr\."


class Amount(BaseStep):
    """Reads an amount with a currency in its cell (``12,50 EUR``, ``£9.00``) or none. A currency
    other than ``currency`` (or the one in ``column``) is asked about, never taken as if it were.
    """

    do: Literal["amount"] = "amount"
    currency: str = "EUR"
    column: str = ""

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.keep(flow.text.str.strip_chars())
        found = flow.keep(text.str.extract(f"({_MARK})", 1))
        bare = text.str.replace_all(_MARK, "")
        made, wrong = read_number(flow.keep(bare), ctx.decimal, flow.keep)
        signs = {"$": self.currency if self.currency in _DOLLARS else "USD", **_SIGNS}
        code = flow.keep(found.replace(signs).str.to_uppercase())
        expected = pl.lit(self.currency)
        stated = pl.lit(False)
        if self.column and ctx.names is not None:
            column = ctx.names.column(self.column).str.strip_chars().str.to_uppercase()
            stated = column.is_not_null() & (column != "") & (column != self.currency)
        other = flow.keep((code.is_not_null() & (code != expected)) | stated)
        message = f"is not in {self.currency}"
        return flow.to(
            pl.when(~other).then(made),
            Fault("not_a_number", "is no amount of money", wrong, text),
            Fault("wrong_currency", message, other, text, Severity.QUESTION),
            numeric=True,
        )

    def columns(self) -> list[str]:
        return [self.column] if self.column else []

    def describe(self) -> str:
        return f"amount in {self.currency}"


_DOLLARS = frozenset({"USD", "CAD", "AUD", "NZD", "SGD", "HKD"})


class Exchange(BaseStep):
    """Exchanges an amount by the saved rate. A rate older than ``oldest`` days at the day of the
    delivery holds the rows; a missing one cannot run."""

    do: Literal["exchange"] = "exchange"
    source: str = "USD"
    target: str = "EUR"
    oldest: int = 30

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        number = as_number(flow).settled()
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
