"""What a step may ask about the run that it is part of."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Protocol

import polars as pl

from nomotax.core.formula.terms import Term
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.numbers import DecimalMark
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.pricing.rates import Rate
from nomotax.core.reading.pictures import PictureIndex

if TYPE_CHECKING:
    from nomotax.core.flow.flow import Flow


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
    #: Columns that are written with another decimal mark.
    marks: Mapping[str, DecimalMark] = field(default_factory=dict)


class Names(Protocol):
    """What a step may ask for beside the value it gets."""

    def mark(self, name: str) -> DecimalMark | None:
        """The decimal mark of an arriving column, where it is not the delivery's."""

    def column(self, name: str) -> pl.Expr:
        """An arriving column. Raises ``CrosswalkError`` when there is none."""

    def field(self, name: str) -> Term:
        """A store field as filled. Raises ``CrosswalkError`` when nothing fills it, or when it
        is filled from the field that asks."""

    def unit(self, name: str) -> str | None:
        """The unit that a store field is kept in, if it has one."""

    def fact(self, name: str) -> Term:
        """The row's number, or something known of the feed."""
