"""What the policy of a feed keeps its rows from doing."""

from __future__ import annotations

from collections.abc import Collection, Iterator

import polars as pl

from nomotax.core.changes.later import touches
from nomotax.core.changes.marks import NEW, OWNER
from nomotax.core.changes.offers import OF_ARTICLE, searched, texts_of
from nomotax.core.changes.picking import OF, Picked
from nomotax.core.changes.states import STATE, TAKEN_OUT
from nomotax.core.crosswalk.compiler import Plan
from nomotax.core.matching.finder import FOUND
from nomotax.core.table import ROW


def not_allowed(
    joined: pl.DataFrame, plan: Plan, owners: Collection[str]
) -> Iterator[pl.DataFrame]:
    """Rows for products that the policy keeps the feed from making or changing, as problems: where
    it says so those of others than the ``owners``."""
    if not plan.by_key:
        strange = key_of_another()
        said = "is the key of a product that this row is not about, as nothing else agrees"
        yield _refused(joined.filter(strange), plan, "key_taken", "refuse", said)
        joined = joined.filter(~strange)
    if plan.policy.others == "refuse":
        yield _foreign(joined, plan, owners)
    there = pl.col(OWNER).is_not_null() & pl.col(STATE).ne_missing(TAKEN_OUT)
    if plan.policy.products == "change":
        said = "is not in the catalog; this feed only completes products that are"
        # Of rows that find their products in another way that has been said.
        lost = ~there if plan.by_key else ~there & pl.col(FOUND).is_not_null()
        yield _refused(joined.filter(lost), plan, "not_in_catalog", "refuse", said)
    elif plan.policy.products == "make":
        said = "is in the catalog already; this feed only makes new products"
        yield _refused(joined.filter(there), plan, "in_catalog", "leave_out", said)


def key_of_another() -> pl.Expr:
    """Whether a row that finds no product has the key of one."""
    return pl.col(OWNER).is_not_null() & pl.col(FOUND).is_null()


def unpicked(
    rows: pl.DataFrame, joined: pl.DataFrame, plan: Plan, picked: Picked | None, every: bool
) -> pl.DataFrame:
    """Rows that would make a product, or all of them with ``every``, and are not picked for it;
    ``rows`` are those of ``joined`` as the feed says them."""
    if picked is None or not (every or plan.policy.products == "picked"):
        return joined.clear()
    asked = rows.select(OF_ARTICLE, *_told_of_article(plan, picked))
    others = ~picked.of(asked)
    return joined.filter(others if every else ~_there(joined) & others)


def not_picked(rows: pl.DataFrame, plan: Plan, every: bool) -> pl.DataFrame:
    """Rows of articles that are not picked, as problems."""
    said = "an article of the range that is not picked"
    said += "; this run takes those that are" if every else ""
    return rows.select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.lit(plan.schema.key).alias("field"),
        pl.lit("not_picked").alias("kind"),
        pl.lit("leave_out").alias("severity"),
        pl.col(OF_ARTICLE).alias("seen"),
        pl.lit(said).alias("message"),
    )


def _there(joined: pl.DataFrame) -> pl.Series:
    """Whether the catalog has the product of a row."""
    there = pl.col(OWNER).is_not_null() & pl.col(STATE).ne_missing(TAKEN_OUT)
    return joined.select(there.alias("there")).to_series()


def _told_of_article(plan: Plan, picked: Picked) -> list[pl.Expr]:
    """What rules pick by."""
    category = plan.schema.category_field
    placed = category is not None and category.name in plan.fields
    branch = pl.col(NEW + category.name) if category and placed else pl.lit(None, pl.String)
    values = [pl.col(NEW + name) for name in searched(plan.schema, plan.fields)]
    others = [
        (pl.col(NEW + name) if name in plan.fields else pl.lit(None, pl.String)).alias(OF + name)
        for name in picked.fields
    ]
    return [branch.alias("category"), texts_of(pl.col(OF_ARTICLE), values), *others]


def _foreign(joined: pl.DataFrame, plan: Plan, owners: Collection[str]) -> pl.DataFrame:
    """Rows that would change another supplier's product, as problems. One that changes nothing is
    the same, whoever the product is of."""
    label = plan.schema[plan.schema.key].label
    message = (
        pl.lit(f"{label}: '")
        + pl.col("key")
        + pl.lit("' belongs to ")
        + pl.col(OWNER)
        + pl.lit("; a feed changes only its own products, unless its rules allow others")
    )
    return joined.filter(~pl.col(OWNER).is_in(list(owners)) & touches(joined)).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.lit(plan.schema.key).alias("field"),
        pl.lit("not_own_product").alias("kind"),
        pl.lit("refuse").alias("severity"),
        pl.col("key").alias("seen"),
        message.alias("message"),
    )


def _refused(rows: pl.DataFrame, plan: Plan, kind: str, severity: str, said: str) -> pl.DataFrame:
    label = plan.schema[plan.schema.key].label
    return rows.filter(pl.col("key").is_not_null()).select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.lit(plan.schema.key).alias("field"),
        pl.lit(kind).alias("kind"),
        pl.lit(severity).alias("severity"),
        pl.col("key").alias("seen"),
        (pl.lit(f"{label}: '") + pl.col("key") + pl.lit(f"' {said}")).alias("message"),
    )
