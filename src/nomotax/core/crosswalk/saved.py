"""Every kind of saved look-up, in one list: what it is, where it stands, which steps name it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeAlias

from nomotax.core.crosswalk.model import Chain, Crosswalk, Step
from nomotax.core.flow.context import Lookups
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.pricing.ladder import Ladder
from nomotax.core.pricing.rates import Rate

SavedLookup: TypeAlias = ValueTable | CategoryTable | Ladder | Rate | Chain


@dataclass(frozen=True)
class LookupKind:
    """``where`` is the attribute of ``Lookups`` and of a crosswalk's document that holds them;
    ``size`` counts the entries of one; ``named`` gives the names that a step asks for. Answers to
    what arrives stand in the attribute ``entries`` of one, "" where it has none."""

    name: str
    model: type[SavedLookup]
    where: str
    size: Callable[[Any], int]
    named: Callable[[Step, Lookups], set[str]]
    entries: str = ""

    def parted(self, one: SavedLookup) -> tuple[dict[str, Any], dict[str, str]]:
        """One of this kind as a document without its entries, and those."""
        document = one.model_dump(mode="json")
        return document, document.pop(self.entries, {}) if self.entries else {}

    def joined(self, document: Mapping[str, Any], entries: Mapping[str, str]) -> SavedLookup:
        """The same the other way round."""
        own = {self.entries: entries} if self.entries else {}
        return self.model.model_validate({**document, **own})

    def of(self, lookups: Lookups) -> Mapping[str, Any]:
        """Those of this kind, by their names."""
        found: Mapping[str, Any] = getattr(lookups, self.where)
        return found


def _rates(step: Step, lookups: Lookups) -> set[str]:
    if step.do == "exchange":
        return {f"{step.source}/{step.target}"}
    if step.do == "amount" and step.into:
        # Any currency may stand in a row: all rates into the store's go along.
        return {name for name in lookups.rates if name.endswith(f"/{step.into}")}
    return set()


KINDS: tuple[LookupKind, ...] = (
    LookupKind(
        "value_table", ValueTable, "value_tables", lambda one: len(one.entries),
        lambda step, _: {step.table} if step.do == "value_table" else set(),
        entries="entries",
    ),
    LookupKind(
        "category_table", CategoryTable, "category_tables", lambda one: len(one.placements),
        lambda step, _: {step.table} if step.do == "category_table" else set(),
        entries="placements",
    ),
    LookupKind(
        "ladder", Ladder, "ladders", lambda one: len(one.rungs),
        lambda step, _: {step.ladder} if step.do == "ladder" else set(),
    ),
    LookupKind("rate", Rate, "rates", lambda one: 1, _rates),
    LookupKind(
        "chain", Chain, "chains", lambda one: len(one.steps),
        lambda step, _: {step.chain} if step.do == "chain" else set(),
    ),
)  # fmt: skip


def kind_of(one: SavedLookup) -> LookupKind:
    """The kind that a saved look-up is of."""
    return next(kind for kind in KINDS if isinstance(one, kind.model))


def named_by(crosswalk: Crosswalk, lookups: Lookups) -> dict[str, set[str]]:
    """The look-ups that the steps name, by kind; those within saved chains as well."""
    found: dict[str, set[str]] = {kind.name: set() for kind in KINDS}
    waiting = [step for fill in crosswalk.fills.values() for step in fill.steps]
    while waiting:
        step = waiting.pop()
        for kind in KINDS:
            found[kind.name] |= kind.named(step, lookups)
        if step.do == "chain" and (saved := lookups.chains.get(step.chain)):
            waiting += saved.steps
    return found
