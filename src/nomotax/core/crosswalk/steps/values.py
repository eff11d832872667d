"""Steps that make a kind of value: numbers, dates, yes/no."""

from __future__ import annotations

from typing import Literal

import polars as pl

from nomotax.core.crosswalk.flow import Context, Fault, Flow
from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError
from nomotax.core.numbers import DecimalMark, read_number
from nomotax.core.units.table import UNITS, convert

_MARKS: dict[str, DecimalMark] = {"comma": ",", "point": "."}


class Number(BaseStep):
    """Reads a number in the arriving style. What does not fit the style is refused, not guessed:
    with decimal commas ``1.5`` is no number and ``1.500`` is one thousand five hundred."""

    do: Literal["number"] = "number"
    style: Literal["arriving", "point", "comma"] = "arriving"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        if flow.numeric:
            return flow
        mark = ctx.decimal if self.style == "arriving" else _MARKS[self.style]
        text = flow.text
        made, wrong = read_number(text, mark, flow.keep)
        fault = Fault(
            "not_a_number",
            f"is no number with a decimal {'comma' if mark == ',' else 'point'}",
            wrong,
            text,
        )
        return flow.to(made, fault, numeric=True)

    def describe(self) -> str:
        return "number" if self.style == "arriving" else f"number with decimal {self.style}"


def as_number(flow: Flow) -> Flow:
    """A flow that is certainly numeric; text must already be plain (``-12.5``)."""
    return flow if flow.numeric else Number(style="point").apply(flow, Context())


class Convert(BaseStep):
    """Converts a measure between two units of one dimension, by exact factors."""

    do: Literal["convert"] = "convert"
    source: str = "g"
    target: str = "kg"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        for code in (self.source, self.target):
            if code not in UNITS:
                raise CrosswalkError(f"There is no unit {code!r}.", remedy="Choose a listed one.")
        number = as_number(flow)
        try:
            made = convert(number.value, self.source, self.target)
        except ValueError as error:
            raise CrosswalkError(f"Units do not match: {error}.") from error
        fault = Fault("no_number", "makes too large a number", made.wrong, flow.text)
        return number.to(made.value, fault)

    def describe(self) -> str:
        return f"{self.source} to {self.target}"


_ORDERS = {
    "dmy": (r"^\d{1,2}[./-]\d{1,2}[./-]\d{4}$", "%d.%m.%Y"),
    "mdy": (r"^\d{1,2}[./-]\d{1,2}[./-]\d{4}$", "%m.%d.%Y"),
    "ymd": (r"^\d{4}[./-]\d{1,2}[./-]\d{1,2}$", "%Y.%m.%d"),
}


class Date(BaseStep):
    """Reads a date in a stated order of day, month and year; gives an ISO 8601 date."""

    do: Literal["date"] = "date"
    order: Literal["dmy", "mdy", "ymd"] = "dmy"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        pattern, form = _ORDERS[self.order]
        text = flow.keep(flow.text.str.strip_chars())
        dotted = text.str.replace_all(r"[/-]", ".")
        iso = dotted.str.to_date(form, strict=False)
        fits = text.str.contains(pattern)
        made = flow.keep(pl.when(fits).then(iso).dt.to_string("%Y-%m-%d"))
        fault = Fault(
            "not_a_date",
            f"is no date in the order {self.order}",
            made.is_null() & (text != ""),
            flow.text,
        )
        return flow.to(made, fault, numeric=False)

    def describe(self) -> str:
        return f"date ({self.order})"


class YesNo(BaseStep):
    """Reads stated words as yes and no; any other word is refused."""

    do: Literal["yes_no"] = "yes_no"
    yes: tuple[str, ...] = ("y", "yes", "true", "1")
    no: tuple[str, ...] = ("n", "no", "false", "0")

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        word = flow.keep(flow.text.str.strip_chars().str.to_lowercase())
        made = flow.keep(
            pl.when(word.is_in([w.lower() for w in self.yes]))
            .then(pl.lit("true"))
            .when(word.is_in([w.lower() for w in self.no]))
            .then(pl.lit("false"))
        )
        fault = Fault(
            "not_yes_or_no",
            "is none of the words for yes or no",
            made.is_null() & (word != ""),
            flow.text,
        )
        return flow.to(made, fault, numeric=False)

    def describe(self) -> str:
        return f"yes: {', '.join(self.yes)}; no: {', '.join(self.no)}"
