"""Which lines of a changeset are other than a person saw them, after it was prepared again."""

from __future__ import annotations

import polars as pl

AGAIN = "again"


def with_again(changeset: pl.DataFrame, seen: pl.DataFrame) -> pl.DataFrame:
    """The changeset with a column ``again``: whether the line stood otherwise, or not at all, in
    the one that was seen."""
    seen = seen.drop(AGAIN, strict=False)
    columns = sorted({*changeset.columns, *seen.columns})

    def marks(frame: pl.DataFrame) -> pl.Series:
        shape = frame.with_columns(
            pl.lit(None, pl.String).alias(c) for c in columns if c not in frame.columns
        )
        lists = [c for c, kind in shape.schema.items() if kind == pl.List]
        texts = [pl.col(c).list.join("\n") if c in lists else c for c in columns]
        return shape.select(pl.struct(texts).hash()).to_series()

    return changeset.with_columns((~marks(changeset).is_in(marks(seen).implode())).alias(AGAIN))
