"""A value on its way through a chain of steps."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any, Protocol

import polars as pl

from nomotax.core.formula.terms import Term
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.numbers import DecimalMark, number_text
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.pricing.rates import Rate
from nomotax.core.reading.pictures import PictureIndex

#: Between the entries of a list where it is written as text, in the store as well.
LIST_SIGN = " | "


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
    """``value`` is text, a ``NUMBER`` when ``numeric``, or a list of texts when ``listed``; faults
    stand in order of the steps."""

    value: pl.Expr
    numeric: bool = False
    listed: bool = False
    faults: tuple[Fault, ...] = ()
    layers: Layers | None = None
    #: What else the last step can tell of its working, by name.
    notes: tuple[tuple[str, pl.Expr], ...] = ()

    def to(
        self, value: pl.Expr, *faults: Fault, numeric: bool | None = None, listed: bool = False
    ) -> Flow:
        """The same flow, one step on."""
        kind = self.numeric if numeric is None else numeric
        faults = (*self.faults, *faults)
        return replace(self, value=value, numeric=kind, listed=listed, faults=faults, notes=())

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


class Chain(Protocol):
    """Steps saved under a name."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def steps(self) -> tuple[Any, ...]:
        """The steps in order."""

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        """The flow after all of them."""


@dataclass(frozen=True)
class Lookups:
    """The saved look-ups a crosswalk may name."""

    value_tables: Mapping[str, ValueTable] = field(default_factory=dict)
    category_tables: Mapping[str, CategoryTable] = field(default_factory=dict)
    ladders: Mapping[str, Ladder] = field(default_factory=dict)
    rates: Mapping[str, Rate] = field(default_factory=dict)
    chains: Mapping[str, Chain] = field(default_factory=dict)

    def rate(self, source: str, target: str) -> Rate | None:
        """What one ``source`` is worth in ``target``."""
        return self.rates.get(f"{source}/{target}")


@dataclass(frozen=True)
class Context:
    """What a step may ask about the run it is part of."""

    decimal: DecimalMark = "."
    lookups: Lookups = field(default_factory=Lookups)
    categories: frozenset[str] = frozenset()
    facts: Mapping[str, str] = field(default_factory=dict)
    names: Names | None = None
    pictures: PictureIndex = field(default_factory=PictureIndex)


class Names(Protocol):
    """What a step may ask for beside the value it gets."""

    def column(self, name: str) -> pl.Expr:
        """An arriving column. Raises ``CrosswalkError`` when there is none."""

    def field(self, name: str) -> Term:
        """A store field as filled. Raises ``CrosswalkError`` when nothing fills it, or when it
        is filled from the field that asks."""

    def fact(self, name: str) -> pl.Expr:
        """The row's number, or something known of the feed."""
