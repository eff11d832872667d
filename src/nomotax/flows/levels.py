"""The sign between the levels of arriving category paths: found in what enters a category table,
or a person's word."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from nomotax.core.crosswalk.model import Crosswalk, Fill
from nomotax.core.crosswalk.stating import state
from nomotax.core.crosswalk.steps.lookups import UseCategoryTable
from nomotax.core.errors import NotFound
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


def with_levels(
    feed_id: int, before: Crosswalk, crosswalk: Crosswalk
) -> tuple[Crosswalk, dict[str, str]]:
    """A crosswalk that is about to be kept, with what is found of the paths that enter its category
    tables, and the sign of each such table. Fills that are as they were ``before`` are left alone,
    and so is a sign that a person has chosen or that placements hang on."""
    asked = {
        name: table_of(fill)
        for name, fill in crosswalk.fills.items()
        if fill != before.fills.get(name) and table_of(fill)
    }
    if not asked:
        return crosswalk, {}
    try:
        bench = open_workbench(feed_id)
    except NotFound:
        return crosswalk, {}  # nothing has arrived yet
    known, fills = bench.lookups.category_tables, dict(crosswalk.fills)
    trial, cut = _trying(bench, crosswalk), dict[str, str]()
    for name, table in asked.items():
        if name in bench.schema and not _is_settled(fills[name], known.get(table)):
            words = _words(trial, name, fills[name])
            if words:
                cut[table] = level_sign(words)
                fills[name] = _found(fills[name], bench.schema[name], cut[table])
    return crosswalk.model_copy(update={"fills": fills}), cut


def _is_settled(fill: Fill, table: CategoryTable | None) -> bool:
    said = any(a.about == "path" and a.state == "confirmed" for a in fill.assumptions)
    return said or (table is not None and bool(table.placements))


def _trying(bench: Workbench, crosswalk: Crosswalk) -> Workbench:
    """The workbench with another crosswalk, as if its tables were there."""
    held = bench.lookups
    names = {table for fill in crosswalk.fills.values() if (table := table_of(fill))}
    new = {name: CategoryTable(name=name, separator="") for name in names}
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
