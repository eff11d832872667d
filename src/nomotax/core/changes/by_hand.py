"""Values that a person writes into a product: taken as the store's own writing, and checked as a
delivery's are."""

from __future__ import annotations

from collections.abc import Mapping

import polars as pl

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.crosswalk.compiler import as_text, compile_plan
from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.crosswalk.making import make_fill
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.policy import Policy
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.crosswalk.steps.text import Trim
from nomotax.core.errors import UnfitValue
from nomotax.core.flow.context import Context
from nomotax.core.reading.profile import ColumnProfile, profile_columns
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW

_LOOKED_UP = ("value_table", "category_table")


def as_written(
    schema: StoreSchema,
    key: str,
    values: Mapping[str, str | None],
    categories: frozenset[str] = frozenset(),
) -> dict[str, str | None]:
    """The values of a product's fields in the store's writing, ``None`` for those emptied.

    Raises ``UnfitValue`` naming the field for a value that it does not take, for the key, and for
    a field that must not be empty.
    """
    given = {name: value for name, value in values.items() if value and value.strip()}
    for name in values:
        if name not in schema:
            raise UnfitValue(f"The store has no field {name!r}.", where=name)
        if name == schema.key:
            raise UnfitValue("The key is what a product is known by; it stays.", where=name)
        if name not in given and schema[name].required:
            raise UnfitValue(f"{schema[name].label} must not be empty.", where=name)
    made = _filled(schema, key, given, categories) if given else {}
    return {name: made.get(name) for name in values}


def _filled(
    schema: StoreSchema, key: str, given: Mapping[str, str], categories: frozenset[str]
) -> dict[str, str]:
    frame = pl.DataFrame(
        {ROW: [1], FAULT: [None], **{name: [value] for name, value in given.items()}},
        schema_overrides={ROW: pl.UInt32, FAULT: pl.String},
    )
    columns = {profile.name: profile for profile in profile_columns(frame.lazy())}
    evidence = Evidence("", list(columns.values()), own_export=True, categories=categories)
    fills = {name: _fill(schema[name], columns[name], evidence) for name in given}
    fills[schema.key] = Fill(parts=(Part(text=key),))
    crosswalk = Crosswalk(fills=fills, policy=Policy(products="change"))
    plan = compile_plan(crosswalk, schema, Context(categories=categories), list(given))
    filled = plan.fill(frame)
    for problem in problems_of(filled, plan, frame).iter_rows(named=True):
        raise UnfitValue(problem["message"], where=problem["field"])
    texts = filled.select(as_text(schema[name], pl.col(name)).alias(name) for name in given)
    return texts.row(0, named=True)


def _fill(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Fill:
    """What is written is a word or a path of the store itself, or is none."""
    made = make_fill(field, column, evidence)
    if any(step.do in _LOOKED_UP for step in made.steps):
        return made.model_copy(update={"steps": (Trim(),), "assumptions": ()})
    return made


def changeset_of(
    key: str, title: str, before: Mapping[str, str], after: Mapping[str, str | None]
) -> pl.DataFrame:
    """One product's edit in the shape of a changeset."""
    values = {NEW + f: v for f, v in after.items()} | {OLD + f: before.get(f) for f in after}
    shape: dict[str, pl.DataType] = {
        "row": pl.Int64(),
        "fields": pl.List(pl.String),
        **dict.fromkeys(("key", "title", "status", "reason", *values), pl.String()),
    }
    row = {"row": None, "key": key, "title": title, "status": "changed", "reason": None,
           "fields": list(after), **values}  # fmt: skip
    return pl.DataFrame([row], schema=shape).select(
        "row", "key", "title", "status", "reason", "fields", *values
    )
