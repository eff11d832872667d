"""Products that one feed does not bring any more, and another offers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import polars as pl

from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.policy import ruled
from nomotax.core.crosswalk.compiler import Plan
from nomotax.core.resolve.offers import TAKEN, Standing


def handed_over(
    lines: pl.DataFrame,
    there: pl.DataFrame,
    plan: Plan,
    standing: Standing,
    kept: Mapping[str, Sequence[str]],
) -> pl.DataFrame:
    """Lines of products that are gone, as the policy has them, with what others offer of them:
    such a product is not missing. ``there`` are the products, as a catalog gives them."""
    offered = standing.without(there["key"])
    fields = [f for f in plan.fields if NEW + f in offered.columns]
    aside = pl.concat([there, offered.select(TAKEN, *(NEW + f for f in fields))], how="horizontal")
    found = aside.with_columns(
        ruled(plan[f], pl.coalesce(NEW + f, OLD + f), kept.get(f, ())) for f in fields
    )
    differs = [pl.when(pl.col(NEW + f).ne_missing(pl.col(OLD + f))).then(pl.lit(f)) for f in fields]
    none = pl.lit([], dtype=pl.List(pl.String))
    changed = pl.concat_list(differs).list.drop_nulls() if differs else none
    said = pl.format("not in this delivery; {}", standing.said())
    whose = found.select(
        TAKEN, changed.alias("fields"), said.alias("reason"), *(NEW + f for f in fields)
    )
    taken = whose[TAKEN].is_not_null()
    return lines.with_columns(
        pl.when(taken).then(whose[name]).otherwise(pl.col(name)).alias(name)
        for name in whose.columns[1:]
    )
