"""Fields in which all products of a store differ."""

from __future__ import annotations

import polars as pl

from nomotax.core.changes.marks import NEW
from nomotax.core.crosswalk.compiler import FilledField, Plan
from nomotax.core.table import ROW

#: The key of a row as text.
KEY_OF = "__key"


def must_differ(one: FilledField, plan: Plan) -> bool:
    """Whether no two products may have the same value of a field, but for their key."""
    return one.field.unique and one.field.name != plan.schema.key


def not_unique(seen: pl.DataFrame, holders: pl.DataFrame, one: FilledField) -> pl.DataFrame:
    """Rows whose value of a field that all products must differ in is another row's too, or
    another product's, as problems."""
    name = one.field.name
    wanted = seen.filter(pl.col(NEW + name).is_not_null() & pl.col(KEY_OF).is_not_null()).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.col(KEY_OF).alias("key"),
        pl.col(NEW + name).alias("value"),
    )
    # A product that arrives with another value gives its own away.
    left = holders.join(wanted.select(pl.col("key").alias("holder")), on="holder", how="anti")
    held = left.group_by("value").agg(pl.col("holder").first())
    twice = wanted.with_columns(
        alike=pl.col("key").n_unique().over("value") > 1,
        rows=pl.col("row").cast(pl.String).sort().implode().over("value").list.join(", "),
    ).join(held, on="value", how="left", maintain_order="left")
    said = pl.lit(f"{one.field.label}: '") + pl.col("value")
    return twice.filter(pl.col("alike") | pl.col("holder").is_not_null()).select(
        "row",
        pl.lit(name).alias("field"),
        pl.lit("not_unique").alias("kind"),
        pl.lit("refuse").alias("severity"),
        pl.col("value").alias("seen"),
        pl.when("alike")
        .then(said + pl.lit("' stands on several rows (rows ") + pl.col("rows") + pl.lit(")"))
        .otherwise(said + pl.lit("' is that of ") + pl.col("holder") + pl.lit(" already"))
        .alias("message"),
    )
