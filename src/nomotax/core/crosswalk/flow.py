"""A value on its way through a chain of steps."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

import polars as pl

from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import SCALE, Ladder
from nomotax.core.reading.model import DecimalMark

#: Numbers inside a chain: 26 places before the point, 12 after it.
NUMBER = pl.Decimal(38, SCALE)


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


class Layers:
    """Intermediate columns of a plan, in layers: each reads only the layers before it.

    Nested expressions would be worked out again wherever they are used; a column is not.
    """

    def __init__(self) -> None:
        self.steps: list[list[pl.Expr]] = []
        self._layer_of: dict[str, int] = {}

    def keep(self, expr: pl.Expr) -> pl.Expr:
        """Give ``expr`` a column of its own, unless it is one or a constant already."""
        roots = expr.meta.root_names()
        if expr.meta.is_column() or not roots:
            return expr
        layer = 1 + max(self._layer_of.get(name, -1) for name in roots)
        name = f"__step{len(self._layer_of)}"
        self._layer_of[name] = layer
        while len(self.steps) <= layer:
            self.steps.append([])
        self.steps[layer].append(expr.alias(name))
        return pl.col(name)

    def apply(self, frame: pl.LazyFrame) -> pl.LazyFrame:
        for step in self.steps:
            frame = frame.with_columns(step)
        return frame


@dataclass(frozen=True)
class Flow:
    """``value`` is text, or a ``NUMBER`` when ``numeric``; faults stand in order of the steps."""

    value: pl.Expr
    numeric: bool = False
    faults: tuple[Fault, ...] = ()
    layers: Layers | None = None

    def to(self, value: pl.Expr, *faults: Fault, numeric: bool | None = None) -> Flow:
        """The same flow, one step on."""
        kind = self.numeric if numeric is None else numeric
        return replace(self, value=value, numeric=kind, faults=(*self.faults, *faults))

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
        """The value as people write it: numbers in full, without trailing zeros."""
        return number_text(self.value) if self.numeric else self.value

    @property
    def sound(self) -> pl.Expr:
        """True where no step so far has found a fault."""
        if not self.faults:
            return pl.lit(True)
        return ~pl.any_horizontal(f.mask.fill_null(False) for f in self.faults)


def number_text(value: pl.Expr) -> pl.Expr:
    """A decimal as text without the zeros that its scale adds."""
    # The scale is never 0 here, so the zeros at the end stand behind the point.
    return value.cast(NUMBER).cast(pl.String).str.strip_chars_end("0").str.strip_chars_end(".")


@dataclass(frozen=True)
class Lookups:
    """The saved look-ups a crosswalk may name."""

    value_tables: Mapping[str, ValueTable] = field(default_factory=dict)
    category_tables: Mapping[str, CategoryTable] = field(default_factory=dict)
    ladders: Mapping[str, Ladder] = field(default_factory=dict)


@dataclass(frozen=True)
class Context:
    """What a step may ask about the run it is part of."""

    decimal: DecimalMark = "."
    lookups: Lookups = field(default_factory=Lookups)
    categories: frozenset[str] = frozenset()
