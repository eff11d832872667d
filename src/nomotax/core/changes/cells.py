"""Cells of many products that a person writes at once, as from a spreadsheet: the good ones are
taken, of each of the others it is said what is wrong."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from nomotax.core.changes.by_hand import plan_by_hand, refusal
from nomotax.core.crosswalk.compiler import as_text
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW

#: What is written: of which product, into which field, null or blank to empty it.
CELLS = {"key": pl.String, "field": pl.String, "value": pl.String}
#: The value in the store's writing, or why there is none.
WRITTEN = CELLS | {"written": pl.String, "why": pl.String}
_AT = "__at"
_AS_THEY_ARE = (FieldKind.TEXT, FieldKind.RICH_TEXT, FieldKind.IDENTIFIER, FieldKind.CHOICE)


def cells_written(
    schema: StoreSchema, cells: pl.DataFrame, categories: frozenset[str] = frozenset()
) -> pl.DataFrame:
    """``CELLS`` as ``WRITTEN``, in their order. Each is read by itself, as if it were the only one:
    what stands beside it says nothing about its decimal mark."""
    placed = cells.select(*CELLS).with_row_index(_AT)
    parts = [_of_field(schema, str(name), own, categories)
             for (name,), own in placed.group_by("field", maintain_order=True)]  # fmt: skip
    none = pl.DataFrame(schema={_AT: pl.UInt32, "written": pl.String, "why": pl.String})
    told = placed.join(pl.concat([none, *parts]), on=_AT, how="left", maintain_order="left")
    return told.select(*WRITTEN)


def _of_field(
    schema: StoreSchema, name: str, own: pl.DataFrame, categories: frozenset[str]
) -> pl.DataFrame:
    """``__at``, written and why of the cells of one field."""
    blank = pl.col("value").str.strip_chars().fill_null("") == ""
    empty, full = own.filter(blank), own.filter(~blank)
    both = [
        part.select(_AT, pl.lit(None, pl.String).alias("written"),
                    pl.lit(refusal(schema, name, empties), pl.String).alias("why"))
        for part, empties in ((empty, True), (full, False))
    ]  # fmt: skip
    if full.is_empty() or refusal(schema, name, False) is not None:
        return pl.concat(both)
    taken = (_read(schema, schema[name], part, categories) for part in _alike(schema[name], full))
    return pl.concat([both[0], *taken])


def _alike(field: StoreField, cells: pl.DataFrame) -> Iterator[pl.DataFrame]:
    """Cells whose values are written in one way, with the same signs at the same places: each of
    them says what all do. Texts are taken as they are, and say nothing of each other."""
    if field.kind in _AS_THEY_ARE:
        yield cells
        return
    value = pl.col("value").str.strip_chars()
    shape = value.str.replace_all(r"\d", "9").str.replace_all(r"\p{L}+", "a")
    by = value if field.kind is FieldKind.YES_NO else shape
    for _, part in cells.group_by(by, maintain_order=True):
        yield part


def _read(
    schema: StoreSchema, field: StoreField, cells: pl.DataFrame, categories: frozenset[str]
) -> pl.DataFrame:
    frame = cells.select(
        pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW),
        pl.lit(None, pl.String).alias(FAULT),
        pl.col("value").alias(field.name),
    )
    plan = plan_by_hand(schema, frame, [field.name], categories)
    filled = plan.fill(frame)
    problems = problems_of(filled, plan, frame).filter(pl.col("field") == field.name)
    said = problems.group_by("row").agg(pl.col("message").first().alias("why"))
    read = filled.select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        as_text(field, pl.col(field.name)).alias("written"),
    )
    told = read.join(said, on="row", how="left").sort("row")
    return pl.concat([cells.select(_AT), told.select("written", "why")], how="horizontal").select(
        _AT, pl.when(pl.col("why").is_null()).then("written").alias("written"), "why"
    )
