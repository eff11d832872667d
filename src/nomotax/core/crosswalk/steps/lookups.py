"""Steps that consult a saved look-up."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Literal, TypeVar

import polars as pl

from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.errors import CrosswalkError
from nomotax.core.flow.context import Context
from nomotax.core.flow.flow import Fault, Flow, Severity
from nomotax.core.flow.number import as_number
from nomotax.core.formula.terms import Sheet
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import DEAREST, Ladder, Look, Priced
from nomotax.core.units.table import UNITS, convert

T = TypeVar("T")


def _saved(kind: str, name: str, among: Mapping[str, T]) -> T:
    if name not in among:
        raise CrosswalkError(
            f"There is no {kind} called {name!r}.", remedy="Make it, or choose another."
        )
    return among[name]


class UseValueTable(BaseStep):
    """Puts the store's word for the arriving one."""

    do: Literal["value_table"] = "value_table"
    table: str

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        table = _saved("value table", self.table, ctx.lookups.value_tables)
        if flow.listed:
            return self._each(flow, table)
        text = flow.keep(flow.text)
        found = flow.keep(table.look_up(text))
        if table.otherwise == "as_is":
            return flow.to(pl.coalesce(found, text), numeric=False, style="plain")
        if table.otherwise == "word":
            word = pl.when(text.is_not_null() & (text != "")).then(pl.lit(table.word))
            return flow.to(pl.coalesce(found, word), numeric=False, style="plain")
        if table.otherwise == "empty":
            return flow.to(found, numeric=False, style="plain")
        unlisted = found.is_null() & (text.str.strip_chars() != "")
        fault = Fault(
            "unlisted_value",
            f"has no store value in '{self.table}'",
            unlisted,
            text,
            Severity.QUESTION,
        )
        return flow.to(found, fault, numeric=False, style="plain")

    def _each(self, flow: Flow, table: ValueTable) -> Flow:
        """Every word of a list; words that become the same stand once."""
        one = pl.element()
        known = table.look_up(one)
        other = {"as_is": one, "word": pl.lit(table.word)}.get(table.otherwise)
        words = flow.value.list.eval(known if other is None else pl.coalesce(known, other))
        kept = flow.keep(words.list.drop_nulls())
        fault = Fault(
            "unlisted_value",
            f"has no store value in '{self.table}'",
            (kept.list.len() < flow.value.list.len()) & (table.otherwise == "ask"),
            flow.value.list.eval(one.filter(known.is_null())).list.first(),
            Severity.QUESTION,
        )
        return flow.to(
            kept.list.unique(maintain_order=True), fault, numeric=False, listed=True, style="plain"
        )

    def describe(self) -> str:
        return f"value table '{self.table}'"


class UseCategoryTable(BaseStep):
    """Puts the store's category for the arriving path."""

    do: Literal["category_table"] = "category_table"
    table: str

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        table = _saved("category table", self.table, ctx.lookups.category_tables)
        if flow.listed:
            return self._each(flow, table)
        text = flow.keep(flow.text)
        found = flow.keep(table.place(text))
        ask = Fault(
            "unplaced_category",
            "has no store category",
            found.is_null() & (text.str.strip_chars() != ""),
            text,
            Severity.QUESTION,
        )
        not_sold = Fault(
            "not_sold",
            "is a branch this store does not sell",
            found == "",
            text,
            Severity.LEAVE_OUT,
        )
        return flow.to(found, ask, not_sold, numeric=False, style="plain")

    def _each(self, flow: Flow, table: CategoryTable) -> Flow:
        """Every path of a list; those of branches that are not sold go, and so do categories that
        are there already."""
        places = flow.keep(flow.value.list.eval(table.place(pl.element())))
        lost = flow.value.list.eval(pl.element().filter(table.place(pl.element()).is_null()))
        ask = Fault(
            "unplaced_category",
            "has no store category",
            places.list.eval(pl.element().is_null()).list.any(),
            lost.list.first(),
            Severity.QUESTION,
        )
        sold = places.list.eval(pl.element().filter(pl.element() != ""))
        return flow.to(
            sold.list.unique(maintain_order=True), ask, numeric=False, listed=True, style="plain"
        )

    def describe(self) -> str:
        return f"category table '{self.table}'"


def look_of(ctx: Context) -> Look:
    """Where a ladder finds the other values of a product."""
    names = ctx.names
    if names is None:
        return Look()
    sheet = Sheet(names.column, names.field, names.fact)

    def number(name: str) -> pl.Expr:
        term = names.field(name)
        if term.kind != "number":
            raise CrosswalkError(f"The field {name!r} holds no number.", remedy="Choose another.")
        return term.value

    def weight(name: str) -> pl.Expr:
        unit = names.unit(name) or "kg"
        if UNITS[unit].dimension != "mass":
            raise CrosswalkError(f"The field {name!r} is no weight.", remedy="Choose another.")
        return convert(number(name), unit, "kg").value

    text = lambda name: sheet.text(names.field(name)).value  # noqa: E731
    return Look(text, number, weight, lambda name: names.fact(name).value)


class UseChain(BaseStep):
    """Does the steps that are saved under a name."""

    do: Literal["chain"] = "chain"
    chain: str

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        return _saved("chain of steps", self.chain, ctx.lookups.chains).apply(flow, ctx)

    def describe(self) -> str:
        return f"steps '{self.chain}'"


class UseLadder(BaseStep):
    """Puts the price for a cost."""

    do: Literal["ladder"] = "ladder"
    ladder: str

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        ladder = _saved("price ladder", self.ladder, ctx.lookups.ladders)
        number = as_number(flow, ctx).settled()
        priced = ladder.price(number.value, flow.keep, look_of(ctx))
        faults = list(_price_faults(ladder, priced, number.value, flow.text))
        made = number.to(priced.value, *faults)
        notes = (*priced.stages, ("rule", priced.rule), ("rung", priced.rung))
        return replace(made, notes=notes)

    def describe(self) -> str:
        return f"price ladder '{self.ladder}'"


def _price_faults(ladder: Ladder, priced: Priced, cost: pl.Expr, seen: pl.Expr) -> Iterator[Fault]:
    """Why a product has no price, or not the one that was meant."""
    yield Fault("negative_cost", "is a negative cost", cost < 0, seen)
    yield Fault("too_dear", "is no cost of any goods", cost >= DEAREST, seen)
    yield Fault("too_dear", "makes a price of no goods", priced.too_dear, seen)
    free = "is a cost of nothing; no price can be worked out from it"
    yield Fault("no_cost", free, cost == 0, seen, Severity.QUESTION)
    asked = [
        (ladder.by_field, "no_rung", priced.unbanded,
         f"is on no rung: its {ladder.by_field} is missing or negative"),
        (ladder.landed.freight_per_kg, "no_weight", priced.unweighed,
         f"has no freight: its {ladder.landed.weight_field} is missing or cannot be right"),
        (ladder.most_field and ladder.crossed == "hold", "squeezed", priced.squeezed,
         "has a highest price below its lowest"),
    ]  # fmt: skip
    for used, kind, mask, message in asked:
        if used:
            yield Fault(kind, message, mask, seen, Severity.QUESTION)
