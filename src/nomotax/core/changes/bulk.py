"""One change of one field of many products: a value, a text in the place of another, a formula."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.changes.by_hand import refusal
from nomotax.core.changes.cells import WRITTEN, cells_written
from nomotax.core.crosswalk.compiler import Plan, as_text, compile_plan
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.policy import Policy
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.crosswalk.steps.formulas import Formula
from nomotax.core.errors import UnfitValue
from nomotax.core.flow.context import Context
from nomotax.core.schema.model import StoreSchema
from nomotax.core.table import FAULT, ROW


class BulkChange(BaseModel):
    """*set* has the field hold ``value``, "" for nothing; *replace* puts ``value`` wherever
    ``find`` stands in it; *formula* works it out by ``formula``, of which columns are the store's
    fields by their labels."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    field: str
    do: Literal["set", "replace", "formula"]
    value: str = Field(default="", max_length=200_000)
    find: str = Field(default="", max_length=2_000)
    formula: str = Field(default="", max_length=8_000)

    @model_validator(mode="after")
    def _something(self) -> BulkChange:
        if self.do == "replace" and not self.find:
            raise ValueError("what is to be replaced is not said")
        if self.do == "formula" and not self.formula.strip():
            raise ValueError("the formula is empty")
        return self

    def said(self, label: str) -> str:
        """The change in words."""
        if self.do == "set":
            return f"{label}: {self.value}" if self.value.strip() else f"{label} emptied"
        if self.do == "replace":
            return f"{label}: '{self.find}' becomes '{self.value}'"
        return f"{label} = {self.formula.strip()}"


def labels_of(schema: StoreSchema) -> dict[str, str]:
    """What fields are called in a formula: by their labels, or by their names where two share
    one."""
    labels = [one.label for one in schema.fields]
    return {
        one.name: one.label if labels.count(one.label) == 1 else one.name for one in schema.fields
    }


def plan_of(change: BulkChange, schema: StoreSchema, categories: frozenset[str]) -> Plan:
    """What works a formula out over rows whose columns are the store's fields. Raises
    ``CrosswalkError`` for one that is none."""
    labels = labels_of(schema)
    fills = {
        schema.key: Fill(parts=(Part(column=labels[schema.key]),)),
        change.field: Fill(
            parts=(Part(column=labels[change.field]),), steps=(Formula(formula=change.formula),)
        ),
    }
    crosswalk = Crosswalk(fills=fills, policy=Policy(products="change"))
    context = Context(categories=categories)
    return compile_plan(crosswalk, schema, context, list(labels.values()))


def refuse_unwritten(change: BulkChange, schema: StoreSchema) -> None:
    """Raises ``UnfitValue`` for a field that nobody writes, or that must not be empty."""
    empties = change.do == "set" and not change.value.strip()
    why = refusal(schema, change.field, empties)
    if why is not None:
        raise UnfitValue(why, where=change.field)


def changed_cells(
    change: BulkChange, schema: StoreSchema, products: pl.DataFrame, categories: frozenset[str]
) -> pl.DataFrame:
    """``WRITTEN``: the field of all products that it is about. ``products`` have the field ``key``
    names and, as text, all fields that the formula may ask for, by their names."""
    if change.do == "formula":
        return _worked_out(change, schema, products, categories)
    old = pl.col(change.field)
    touched, value = pl.lit(True), pl.lit(change.value)
    if change.do == "replace":
        touched = old.str.contains(change.find, literal=True).fill_null(False)
        value = old.str.replace_all(change.find, change.value, literal=True)
    cells = products.filter(touched).select(
        pl.col(schema.key).alias("key"), pl.lit(change.field).alias("field"), value.alias("value")
    )
    if change.do == "set":
        one = cells_written(schema, cells.head(1), categories)
        return cells.with_columns(
            pl.lit(one[name][0] if one.height else None, pl.String).alias(name)
            for name in ("written", "why")
        ).select(*WRITTEN)
    return cells_written(schema, cells, categories)


def _worked_out(
    change: BulkChange, schema: StoreSchema, products: pl.DataFrame, categories: frozenset[str]
) -> pl.DataFrame:
    plan, field = plan_of(change, schema, categories), schema[change.field]
    labels = labels_of(schema)
    frame = products.select(
        pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW),
        pl.lit(None, pl.String).alias(FAULT),
        *(pl.col(name).alias(label) for name, label in labels.items()),
    )
    filled = plan.fill(frame)
    problems = problems_of(filled, plan, frame).filter(pl.col("field") == field.name)
    said = problems.group_by("row").agg(pl.col("message").first().alias("why"))
    told = filled.select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        products[schema.key].alias("key"),
        pl.lit(field.name).alias("field"),
        as_text(field, pl.col(field.name)).alias("value"),
    ).join(said, on="row", how="left", maintain_order="left")
    # A result that is nothing leaves what the product has; to empty it is to set it to nothing.
    there = told.filter(pl.col("value").is_not_null() | pl.col("why").is_not_null())
    return there.with_columns(
        pl.when(pl.col("why").is_null()).then("value").alias("written")
    ).select(*WRITTEN)
