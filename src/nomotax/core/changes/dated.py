"""Values whose day has come, over a catalog as it is."""

from __future__ import annotations

import polars as pl

from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import STATE

#: Of each value: its product, its field, what it is to be, from which day, and its number.
DUE = {"key": pl.String, "field": pl.String, "value": pl.String, "day": pl.Date, "id": pl.Int64}


def last_words(due: pl.DataFrame) -> pl.DataFrame:
    """Of several values for one field of a product, that of the latest day, the last one given."""
    return due.sort("day", "id").unique(["key", "field"], keep="last", maintain_order=True)


def with_due(catalog: pl.DataFrame, due: pl.DataFrame) -> pl.DataFrame:
    """What ``catalog`` (key, owner, state and ``old:…``) is to be, in the shape of a snapshot: each
    product as it is, with the values of ``due`` in their fields."""
    wanted = catalog.select(
        "key",
        OWNER,
        *(pl.col(c).alias(NEW + c.removeprefix(OLD)) for c in catalog.columns if c.startswith(OLD)),
        pl.col(STATE).alias(NEW + STATE),
    )
    for (field,), own in last_words(due).group_by("field"):
        column = f"{NEW}{field}"
        if column not in wanted.columns:
            continue
        values = own.select("key", pl.col("value"), given=pl.lit(True))
        wanted = (
            wanted.join(values, on="key", how="left", maintain_order="left")
            .with_columns(pl.when("given").then("value").otherwise(column).alias(column))
            .drop("value", "given")
        )
    return wanted
