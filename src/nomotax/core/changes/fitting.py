"""Values that were taken once, and whether the store still takes them."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from nomotax.core.changes.marks import NEW
from nomotax.core.crosswalk.compiler import as_text, compile_plan
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.problems import own_problems, problems_of
from nomotax.core.flow.context import Context
from nomotax.core.numbers import NUMBER
from nomotax.core.schema.model import Role, StoreSchema
from nomotax.core.table import FAULT, ROW

FLAW = {"key": pl.String, "field": pl.String, "message": pl.String}


def unfit(
    rows: pl.DataFrame,
    schema: StoreSchema,
    names: Sequence[str],
    categories: frozenset[str],
    alone: bool = False,
) -> pl.DataFrame:
    """Values that the store does not take as they are, of rows of ``key`` and ``new:<field>``: as
    ``FLAW``. Where the rows are only a part of those that could be alike, each is looked at
    ``alone``."""
    frame = rows.select(pl.col(NEW + f).alias(f) for f in names).with_row_index(ROW, 1)
    frame = frame.with_columns(pl.lit(None, pl.String).alias(FAULT))
    crosswalk = Crosswalk(fills={f: Fill(parts=(Part(column=f),)) for f in names})
    plan = compile_plan(crosswalk, schema, Context(categories=categories), names)
    filled = plan.fill(frame)
    found = own_problems(filled, plan, frame) if alone else problems_of(filled, plan, frame)
    problems = found.select("row", "field", "message")
    texts = filled.select(
        pl.col(ROW).cast(pl.UInt32), *(as_text(schema[f], pl.col(f)) for f in names)
    )
    for name in names:
        other = texts[name].ne_missing(frame[name])
        strange = (
            texts.filter(other)
            .select(
                pl.col(ROW).alias("row"),
                pl.lit(name).alias("field"),
                pl.lit(f"{schema[name].label}: its value is not one as the store writes it").alias(
                    "message"
                ),
            )
            .join(problems, on=["row", "field"], how="anti")
        )
        problems = problems.vstack(strange)
    keys = rows.select("key").with_row_index("row", 1)
    return problems.join(keys, on="row").select(*FLAW)


def flaws(rows: pl.DataFrame, schema: StoreSchema, categories: frozenset[str]) -> pl.DataFrame:
    """What is wrong with products by themselves, of rows of ``key`` and ``new:<field>`` of every
    field: values that the store does not take, and a price under the cost. As ``FLAW``."""
    found = [unfit(rows, schema, schema.names, categories, alone=True)]
    price, cost = schema.with_role(Role.PRICE), schema.with_role(Role.COST)
    if price is not None and cost is not None and price.currency == cost.currency:
        own, pays = (pl.col(NEW + f.name).cast(NUMBER, strict=False) for f in (price, cost))
        shown = (pl.lit(price.label), NEW + price.name, NEW + cost.name)
        message = pl.format("{}: {} is under the cost of {}", *shown)
        under = rows.filter((own < pays) & (pays > 0))
        found.append(under.select("key", pl.lit(price.name).alias("field"),
                                  message.alias("message")))  # fmt: skip
    return pl.concat(found)


def still_fit(rows: pl.DataFrame, schema: StoreSchema, categories: frozenset[str]) -> pl.DataFrame:
    """Rows of ``key`` and ``new:<field>``, each key once, without the values that the store does
    not take any more."""
    names = [c.removeprefix(NEW) for c in rows.columns if c.startswith(NEW)]
    whole = rows.with_columns(pl.col("key").alias(NEW + schema.key))
    flaws = unfit(whole, schema, [schema.key, *names], categories)
    bad = {str(name): own["key"].implode() for (name,), own in flaws.group_by("field")}
    return rows.with_columns(
        pl.when(~pl.col("key").is_in(keys)).then(NEW + name).alias(NEW + name)
        for name, keys in bad.items()
        if name in names
    )
