"""What enters the look-up steps of a crosswalk, counted over the sample of a delivery."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import polars as pl

from nomotax.core.crosswalk.model import Fill
from nomotax.core.crosswalk.steps.lookups import UseCategoryTable
from nomotax.core.flow.flow import LIST_SIGN
from nomotax.core.kinds import FieldKind
from nomotax.core.lookups.tables import CategoryTable
from nomotax.core.schema.model import Role
from nomotax.core.suggest.sayings import Arriving
from nomotax.flows.workbench import Workbench

Path = tuple[str, ...]
#: Titles of products beneath a path that are looked at.
_TITLES = 8


def entering(bench: Workbench, name: str, fill: Fill, step_kind: type) -> pl.DataFrame | None:
    """What enters a look-up step: columns ``value``, ``count`` (most first) and ``titles`` of
    some of its products; None where the field has no such step."""
    on = [s for s in fill.steps if not s.off]
    at = next((i for i, s in enumerate(on) if isinstance(s, step_kind)), None)
    if at is None or name not in bench.plan.fields:
        return None
    stages = bench.plan.stages(bench.sample, name)
    values = pl.col(f"stage {at}")
    if bench.plan[name].stages[at].listed:
        values = values.str.split(LIST_SIGN)
    cells = stages.select(values.alias("value"), _titles(bench).alias("title"))
    if bench.plan[name].stages[at].listed:
        cells = cells.explode("value")
    return (
        cells.with_columns(pl.col("value").str.strip_chars())
        .filter(pl.col("value") != "")
        .group_by("value")
        .agg(pl.len().alias("count"), pl.col("title").drop_nulls().head(_TITLES).alias("titles"))
        .sort("count", "value", descending=[True, False])
    )


def _titles(bench: Workbench) -> pl.Series:
    """The title of each product, as it is filled, else as the likeliest column has it."""
    field = next((n for n in bench.schema.names if bench.schema[n].role is Role.TITLE), None)
    if field is None:
        return pl.Series([None] * bench.sample.height, dtype=pl.String)
    if field in bench.filled.columns:
        return pl.Series(bench.filled[field].cast(pl.String))
    likely = next((s.column for s in bench.ranking if s.field == field), None)
    if likely is None:
        return pl.Series([None] * bench.sample.height, dtype=pl.String)
    return bench.sample[likely]


@dataclass(frozen=True)
class ArrivingTree:
    """The paths that fill a field through a category table: ``own`` counts the products of each,
    ``titles`` are some of theirs; ``branches`` are all paths and what is above them, in order."""

    field: str
    table: CategoryTable
    own: Mapping[Path, int]
    titles: Mapping[Path, tuple[str, ...]]
    branches: tuple[Path, ...]

    @property
    def arriving(self) -> list[Arriving]:
        """The branches as they are compared with the store's categories."""
        return [Arriving(path, self.titles.get(path, ())) for path in self.branches]

    @property
    def total(self) -> dict[Path, int]:
        """Products in each branch and below it."""
        total = dict.fromkeys(self.branches, 0)
        for path, count in self.own.items():
            for depth in range(1, len(path) + 1):
                total[path[:depth]] += count
        return total


def arriving_trees(bench: Workbench) -> list[ArrivingTree]:
    """One for each field that is filled through a category table: the main category first."""
    return bench.remembered("arriving trees", lambda: list(_trees(bench)))


def _trees(bench: Workbench) -> Iterator[ArrivingTree]:
    for kind in (FieldKind.CATEGORY, FieldKind.CATEGORIES):
        for field in bench.schema.of_kind(kind):
            fill = bench.runnable.fills.get(field.name, Fill())
            step = next((s for s in fill.steps if isinstance(s, UseCategoryTable)), None)
            counts = entering(bench, field.name, fill, UseCategoryTable)
            if step is not None and counts is not None:
                yield _tree(field.name, bench.lookups.category_tables[step.table], counts)


def _tree(field: str, table: CategoryTable, counts: pl.DataFrame) -> ArrivingTree:
    own: dict[Path, int] = {}
    titles: dict[Path, tuple[str, ...]] = {}
    for value, count, beneath in counts.iter_rows():
        path = table.split(value)
        own[path] = own.get(path, 0) + count
        titles[path] = (*titles.get(path, ()), *beneath)[:_TITLES]
    branches = {path[:depth] for path in own for depth in range(1, len(path) + 1)}
    return ArrivingTree(field, table, own, titles, tuple(sorted(branches)))
