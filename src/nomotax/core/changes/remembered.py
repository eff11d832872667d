"""Values of a feed's that people have declined until its supplier says something else."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from nomotax.core.changes.marks import NEW, OLD

#: A value that a feed would have for a field of a product, and a person would not.
REMEMBERED = {"key": pl.String, "field": pl.String, "value": pl.String}
#: What a line says of such a value.
DECLINED_BEFORE = "declined_before"
_VALUE, _THERE = "__declined", "__is_declined"


def without_declined(
    rows: pl.DataFrame, remembered: pl.DataFrame, fields: Sequence[str], labels: Sequence[str]
) -> pl.DataFrame:
    """Rows beside what the catalog holds, in which a value of these ``fields`` that was declined
    is left as it is there; with ``declined_before``, a note that names them by their ``labels``,
    null where none was. ``remembered`` is as ``REMEMBERED``, each field of a product once."""
    notes = []
    for field, label in zip(fields, labels, strict=True):
        own = remembered.filter(pl.col("field") == field)
        if not own.height or not {OLD + field, NEW + field} <= {*rows.columns}:
            continue
        new, old = pl.col(NEW + field), pl.col(OLD + field)
        beside = own.select("key", pl.col("value").alias(_VALUE), pl.lit(True).alias(_THERE))
        rows = rows.join(beside, on="key", how="left", maintain_order="left")
        stays = pl.col(_THERE).fill_null(False) & new.eq_missing(pl.col(_VALUE))
        note = pl.when(stays & new.ne_missing(old)).then(
            pl.format("{} {}", pl.lit(label), new.fill_null("empty"))
        )
        rows = rows.with_columns(
            pl.when(stays).then(old).otherwise(new).alias(NEW + field),
            note.alias(f"{DECLINED_BEFORE}:{field}"),
        ).drop(_VALUE, _THERE)
        notes.append(f"{DECLINED_BEFORE}:{field}")
    if not notes:
        return rows.with_columns(pl.lit(None, pl.String).alias(DECLINED_BEFORE))
    said = pl.concat_str(notes, separator=", ", ignore_nulls=True).replace("", None)
    return rows.with_columns((pl.lit("declined before: ") + said).alias(DECLINED_BEFORE)).drop(
        notes
    )
