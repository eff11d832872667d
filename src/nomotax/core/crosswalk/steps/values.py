"""Steps that make a kind of value: numbers, dates, yes/no."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow
from nomotax.core.flow.number import as_number, read_as
from nomotax.core.numbers import DecimalMark
from nomotax.core.units.table import UNITS, convert

_MARKS: dict[str, DecimalMark] = {"comma": ",", "point": "."}


class Number(BaseStep):
    """Reads a number in the arriving style. What does not fit the style is refused, not guessed:
    with decimal commas ``1.5`` is no number and ``1.500`` is one thousand five hundred."""

    do: Literal["number"] = "number"
    style: Literal["arriving", "point", "comma"] = "arriving"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        mark = flow.decimal(ctx) if self.style == "arriving" else _MARKS[self.style]
        return read_as(flow, mark)

    def describe(self) -> str:
        return "number" if self.style == "arriving" else f"number with decimal {self.style}"


class Convert(BaseStep):
    """Converts a measure between two units of one dimension, by exact factors."""

    do: Literal["convert"] = "convert"
    source: str = "g"
    target: str = "kg"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        for code in (self.source, self.target):
            if code not in UNITS:
                raise CrosswalkError(f"There is no unit {code!r}.", remedy="Choose a listed one.")
        number = as_number(flow, ctx)
        try:
            made = convert(number.value, self.source, self.target)
        except ValueError as error:
            raise CrosswalkError(f"Units do not match: {error}.") from error
        fault = Fault("no_number", "makes too large a number", made.wrong, flow.text)
        return number.to(made.value, fault)

    def describe(self) -> str:
        return f"{self.source} to {self.target}"


_DAY, _YEAR = r"\d{1,2}", r"\d{4}"
_ORDERS = {
    "dmy": (rf"^{_DAY}\.{_DAY}\.({_YEAR})$", rf"^{_DAY}\.{_DAY}\.\d\d$", "%d.%m.%Y"),
    "mdy": (rf"^{_DAY}\.{_DAY}\.({_YEAR})$", rf"^{_DAY}\.{_DAY}\.\d\d$", "%m.%d.%Y"),
    "ymd": (rf"^{_YEAR}\.{_DAY}\.{_DAY}$", rf"^\d\d\.{_DAY}\.{_DAY}$", "%Y.%m.%d"),
}


class Date(BaseStep):
    """Reads a date in a stated order of day, month and year; gives an ISO 8601 date. A time behind
    it is dropped. Years of two digits are read only with a ``pivot``: those up to it are of this
    century, those above it of the last."""

    do: Literal["date"] = "date"
    order: Literal["dmy", "mdy", "ymd"] = "dmy"
    pivot: int | None = Field(default=None, ge=0, le=99)

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        long, short, form = _ORDERS[self.order]
        text = flow.keep(flow.text.str.strip_chars())
        day = text.str.replace(r"[T ]+\d{1,2}:\d\d\S*$", "").str.replace_all(r"[/-]", ".")
        if self.order == "ymd":
            day = day.str.replace(r"^(\d{4})(\d\d)(\d\d)$", "$1.$2.$3")
        if self.pivot is not None:
            day = self._in_full(flow.keep(day), short)
        dotted = flow.keep(day)
        iso = dotted.str.to_date(form, strict=False)
        made = flow.keep(pl.when(dotted.str.contains(long)).then(iso).dt.to_string("%Y-%m-%d"))
        fault = Fault(
            "not_a_date",
            f"is no date in the order {self.order}",
            made.is_null() & (text != ""),
            flow.text,
        )
        return flow.to(made, fault, numeric=False)

    def _in_full(self, day: pl.Expr, short: str) -> pl.Expr:
        """Years of two digits with their century."""
        first = self.order == "ymd"
        year = day.str.extract(r"^(\d\d)" if first else r"(\d\d)$", 1).cast(pl.Int32, strict=False)
        century = pl.when(year <= self.pivot).then(pl.lit("20")).otherwise(pl.lit("19"))
        rest = day if first else day.str.head(-2)
        full = century + day if first else rest + century + day.str.tail(2)
        return pl.when(day.str.contains(short)).then(full).otherwise(day)

    def describe(self) -> str:
        years = "" if self.pivot is None else f", years up to {self.pivot:02} of this century"
        return f"date ({self.order}{years})"


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
