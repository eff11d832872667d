"""A value on its way through a chain of steps."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Literal

import polars as pl

from nomotax.core.flow.context import Context
from nomotax.core.layers import Layers
from nomotax.core.numbers import DecimalMark, number_text

#: Between the entries of a list where it is written as text, in the store as well.
LIST_SIGN = " | "


Style = Literal["plain", "arriving", "changed"]


class Severity(StrEnum):
    """What a fault does to its row."""

    QUESTION = "question"  # held until a person has answered
    REFUSE = "refuse"  # rejected
    LEAVE_OUT = "leave_out"  # not wanted, by a person's decision


@dataclass(frozen=True)
class Fault:
    """Rows where ``mask`` is true have this fault; ``seen`` is the text that stood there."""

    kind: str
    message: str
    mask: pl.Expr
    seen: pl.Expr
    severity: Severity = Severity.REFUSE


@dataclass(frozen=True)
class Flow:
    """``value`` is text, a ``NUMBER`` when ``numeric``, or a list of texts when ``listed``; faults
    stand in order of the steps. ``style`` says how numbers within text are written: ``plain``
    with a point, ``arriving`` as the file has them, ``changed`` where a step has put other signs.
    """

    value: pl.Expr
    numeric: bool = False
    listed: bool = False
    style: Style = "plain"
    #: The decimal mark of text that arrived with another one than the delivery's: a companion's.
    mark: DecimalMark | None = None
    faults: tuple[Fault, ...] = ()
    layers: Layers | None = None
    #: What else the last step can tell of its working, by name.
    notes: tuple[tuple[str, pl.Expr], ...] = ()

    def to(
        self,
        value: pl.Expr,
        *faults: Fault,
        numeric: bool | None = None,
        listed: bool = False,
        style: Style | None = None,
    ) -> Flow:
        """The same flow, one step on."""
        kind = self.numeric if numeric is None else numeric
        # What was a number is written with a point from here on.
        written = style or ("plain" if self.numeric or kind else self.style)
        return replace(
            self, value=value, numeric=kind, listed=listed, style=written,
            faults=(*self.faults, *faults), notes=(),
        )  # fmt: skip

    def decimal(self, ctx: Context) -> DecimalMark:
        """The mark that numbers in the text are written with."""
        return self.mark or ctx.decimal

    def keep(self, expr: pl.Expr) -> pl.Expr:
        """A stand-in for an expression that is needed more than once, so that the plan works it
        out once. Without layers (a single value being checked) the expression itself."""
        return self.layers.keep(expr) if self.layers else expr

    def settled(self) -> Flow:
        """The same flow with its value and the masks of its faults worked out once."""
        faults = tuple(replace(f, mask=self.keep(f.mask)) for f in self.faults)
        return replace(self, value=self.keep(self.value), faults=faults)

    @property
    def text(self) -> pl.Expr:
        """The value as people write it: numbers in full, without trailing zeros; lists with
        `` | `` between the entries."""
        if self.listed:
            return self.value.list.join(LIST_SIGN, ignore_nulls=True)
        return number_text(self.value) if self.numeric else self.value

    @property
    def sound(self) -> pl.Expr:
        """True where no step so far has found a fault."""
        if not self.faults:
            return pl.lit(True)
        return ~pl.any_horizontal(f.mask.fill_null(False) for f in self.faults)
