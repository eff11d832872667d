"""Steps on article numbers and barcodes."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow
from nomotax.core.gtin import has_right_check_digit, whole_digits, with_check_digit


def _digits(flow: Flow) -> pl.Expr:
    text = whole_digits(flow.text.str.replace_all(r"[\s-]", ""))
    return flow.keep(pl.when(text != "").then(text))


class LeadingZeros(BaseStep):
    """Restores the zeros a spreadsheet took away, up to ``length`` digits. What is no number of
    digits stays as it is."""

    do: Literal["leading_zeros"] = "leading_zeros"
    length: int = Field(default=8, ge=1, le=40)

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = flow.keep(flow.text)
        padded = text.str.pad_start(self.length, "0")
        digits = text.str.contains(r"^\d+$")
        return flow.to(pl.when(digits).then(padded).otherwise(text), numeric=False)

    def describe(self) -> str:
        return f"zeros in front up to {self.length} digits"


class CheckDigit(BaseStep):
    """Puts the GS1 check digit behind a number, or makes sure that the last digit is it."""

    do: Literal["check_digit"] = "check_digit"
    how: Literal["verify", "add"] = "verify"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = _digits(flow)
        if self.how == "verify":
            right = flow.keep(has_right_check_digit(text))
            fault = Fault("wrong_check_digit", "has a wrong check digit", ~right, text)
            return flow.to(pl.when(right).then(text), fault, numeric=False)
        fits = text.str.contains(r"^(\d{7}|\d{11,13})$")
        fault = Fault("not_a_gtin", "is no number of 7, 11, 12 or 13 digits", ~fits, text)
        return flow.to(with_check_digit(pl.when(fits).then(text)), fault, numeric=False)

    def describe(self) -> str:
        return "check digit added" if self.how == "add" else "check digit verified"


class Gtin(BaseStep):
    """Brings UPC and EAN numbers to a GTIN of 13 or 14 digits by zeros in front."""

    do: Literal["gtin"] = "gtin"
    length: Literal[13, 14] = 13

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        text = _digits(flow)
        bare = flow.keep(text.str.strip_chars_start("0"))
        fits = text.str.contains(r"^\d{8,14}$") & (bare.str.len_chars() <= self.length)
        made = pl.when(fits).then(bare.str.pad_start(self.length, "0"))
        fault = Fault("not_a_gtin", f"is no GTIN of up to {self.length} digits", ~fits, text)
        return flow.to(made, fault, numeric=False)

    def describe(self) -> str:
        return f"GTIN-{self.length}"
