"""The sign between the levels of arriving category paths: found in what enters a category table,
or a person's word."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from nomotax.core.crosswalk.model import Crosswalk, Fill
from nomotax.core.crosswalk.stating import state
from nomotax.core.crosswalk.steps.lookups import UseCategoryTable
from nomotax.core.flow.context import Lookups
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.reading.shapes import LEVEL_SIGNS, level_sign
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.flows.entering import entering
from nomotax.flows.workbench import Workbench, open_workbench


def table_of(fill: Fill) -> str:
    """The category table that a fill goes through, "" for none."""
    steps = (s for s in fill.steps if isinstance(s, UseCategoryTable) and not s.off)
    return next((step.table for step in steps), "")


def signs(bench: Workbench, field: StoreField) -> list[str]:
    """The signs that the paths of a field can be cut at: that of its table, those that stand in
    what arrives, and none."""
    fill = bench.runnable.fills.get(field.name, Fill())
    table = bench.lookups.category_tables.get(table_of(fill))
    found = [table.separator] if table is not None else []
    words = _words(bench, field.name, fill)
    found += [s for s in LEVEL_SIGNS if any(s in word for word in words)]
    return list(dict.fromkeys([*found, ""]))


def _words(bench: Workbench, name: str, fill: Fill) -> list[str]:
    counts = entering(bench, name, fill, UseCategoryTable)
    return [] if counts is None else counts["value"].to_list()


def with_levels(feed_id: int, crosswalk: Crosswalk) -> tuple[Crosswalk, dict[str, str]]:
    """A crosswalk that is about to be kept, with what is found of the paths that enter its category
    tables, and the sign of each such table. Fills that are as they were are left alone, and so is
    a sign that a person has chosen or that placements hang on."""
    asked = [fill for fill in crosswalk.fills.values() if table_of(fill)]
    if not asked:
        return crosswalk, {}
    bench = open_workbench(feed_id)
    known = bench.lookups.category_tables
    fresh = [
        name
        for name, fill in crosswalk.fills.items()
        if table_of(fill)
        and fill != bench.crosswalk.fills.get(name)
        and not _is_settled(fill, known.get(table_of(fill)))
    ]
    if not fresh or not bench.source.delivery.table_artifact:
        return crosswalk, {}
    trial = _trying(bench, crosswalk, [table_of(fill) for fill in asked])
    fills, cut = dict(crosswalk.fills), {}
    for name in fresh:
        words = _words(trial, name, fills[name])
        if words and name in bench.schema:
            cut[table_of(fills[name])] = sign = level_sign(words)
            fills[name] = _found(fills[name], bench.schema[name], sign)
    return crosswalk.model_copy(update={"fills": fills}), cut


def _is_settled(fill: Fill, table: CategoryTable | None) -> bool:
    said = any(a.about == "path" and a.state == "confirmed" for a in fill.assumptions)
    return said or (table is not None and bool(table.placements))


def _trying(bench: Workbench, crosswalk: Crosswalk, tables: list[str]) -> Workbench:
    """The workbench with another crosswalk, as if its tables were there."""
    held = bench.lookups
    new = {name: CategoryTable(name=name, separator="") for name in tables}
    lookups = Lookups(
        held.value_tables, new | dict(held.category_tables), held.ladders, held.rates, held.chains
    )
    return replace(
        bench,
        crosswalk=crosswalk.within(bench.schema),
        target=replace(bench.target, lookups=lookups),
    )


def _found(fill: Fill, field: StoreField, sign: str) -> Fill:
    """The fill with what was found of its paths."""
    made = state(fill, field, "path", sign)
    said = made.assumptions[-1]
    says = f"'{sign.strip()}' stands between the levels" if sign else (
        "each cell is one level: no sign between levels was found"
    )  # fmt: skip
    taken = said.model_copy(update={"says": says, "state": "taken"})
    return made.model_copy(update={"assumptions": (*made.assumptions[:-1], taken)})


def with_sign(crosswalk: Crosswalk, schema: StoreSchema, cut: Mapping[str, str]) -> Crosswalk:
    """The crosswalk with a person's word for the signs of these tables."""
    fills = {
        name: state(fill, schema[name], "path", cut[table_of(fill)])
        if name in schema and table_of(fill) in cut
        else fill
        for name, fill in crosswalk.fills.items()
    }
    return crosswalk.model_copy(update={"fills": fills})
