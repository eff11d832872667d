"""Values that a person writes into a product: taken as the store's own writing, and checked as a
delivery's are."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.crosswalk.compiler import Plan, as_text, compile_plan
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
        why = refusal(schema, name, name not in given)
        if why is not None:
            raise UnfitValue(why, where=name)
    made = _filled(schema, key, given, categories) if given else {}
    return {name: made.get(name) for name in values}


def refusal(schema: StoreSchema, name: str, empties: bool) -> str | None:
    """Why a person writes nothing into a field, or does not empty it; None where nothing is in the
    way."""
    if name not in schema:
        return f"The store has no field {name!r}."
    if name == schema.key:
        return "The key is what a product is known by; it stays."
    if empties and schema[name].required:
        return f"{schema[name].label} must not be empty."
    return None


def _filled(
    schema: StoreSchema, key: str, given: Mapping[str, str], categories: frozenset[str]
) -> dict[str, str]:
    frame = pl.DataFrame(
        {ROW: [1], FAULT: [None], **{name: [value] for name, value in given.items()}},
        schema_overrides={ROW: pl.UInt32, FAULT: pl.String},
    )
    plan = plan_by_hand(schema, frame, list(given), categories, key)
    filled = plan.fill(frame)
    for problem in problems_of(filled, plan, frame).iter_rows(named=True):
        raise UnfitValue(problem["message"], where=problem["field"])
    texts = filled.select(as_text(schema[name], pl.col(name)).alias(name) for name in given)
    return texts.row(0, named=True)


def plan_by_hand(
    schema: StoreSchema,
    frame: pl.DataFrame,
    names: Sequence[str],
    categories: frozenset[str],
    key: str = "",
) -> Plan:
    """What reads the columns of a frame, that are called as fields are, as a person's writing; all
    rows are of products that are there, by their ``key`` if it is one."""
    columns = {profile.name: profile for profile in profile_columns(frame.lazy())}
    evidence = Evidence("", list(columns.values()), own_export=True, categories=categories)
    fills = {name: _fill(schema[name], columns[name], evidence) for name in names}
    fills[schema.key] = Fill(parts=(Part(text=key),))
    crosswalk = Crosswalk(fills=fills, policy=Policy(products="change"))
    return compile_plan(crosswalk, schema, Context(categories=categories), list(names))


def _fill(field: StoreField, column: ColumnProfile, evidence: Evidence) -> Fill:
    """What is written is a word or a path of the store itself, or is none."""
    made = make_fill(field, column, evidence)
    if any(step.do in _LOOKED_UP for step in made.steps):
        return made.model_copy(update={"steps": (Trim(),), "assumptions": ()})
    return made


def changeset_of(
    edits: Sequence[tuple[str, str, Mapping[str, str], Mapping[str, str | None]]],
) -> pl.DataFrame:
    """Edits (key, title, before and after of what is written) in the shape of a changeset."""
    names = list(dict.fromkeys(name for *_, after in edits for name in after))
    values = [side + name for name in names for side in (NEW, OLD)]
    shape: dict[str, pl.DataType] = {
        "row": pl.Int64(),
        "fields": pl.List(pl.String),
        **dict.fromkeys(("key", "title", "status", "reason", *values), pl.String()),
    }
    rows = [
        {"row": None, "key": key, "title": title, "status": "changed", "reason": None,
         "fields": list(after)}
        | {NEW + f: v for f, v in after.items()} | {OLD + f: before.get(f) for f in after}
        for key, title, before, after in edits
    ]  # fmt: skip
    return pl.DataFrame(rows, schema=shape).select(
        "row", "key", "title", "status", "reason", "fields", *values
    )
