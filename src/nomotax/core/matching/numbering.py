"""Keys out of a range of numbers, for products that a delivery makes without one of their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl

from nomotax.core.crosswalk.compiler import ARTICLE, TOLD, Plan
from nomotax.core.crosswalk.identity import KeyRule
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.table import ROW

#: Before what stands for a key until all rows are seen; stands in no value that was typed.
_PLACE = "\x1f"
#: What stands for a key, and the key that it is given.
GIVEN = {"place": pl.String, "given": pl.String}


@dataclass(frozen=True)
class Numbers:
    """A range of numbers, of which ``free`` is the first that no product has."""

    rule: KeyRule
    free: int

    def give(self, seen: pl.DataFrame, plan: Plan, unsound: pl.Series) -> pl.DataFrame:
        """Keys, as ``GIVEN``, for what stands for one in the rows that are sound: in the order of
        the rows, none for those behind the end of the range."""
        asked = _asked(seen, plan, unsound)[plan.schema.key].unique(maintain_order=True)
        last = self.rule.last
        left = asked.len() if last is None else max(0, last - self.free + 1)
        numbers = pl.int_range(self.free, self.free + asked.len(), eager=True)
        found = pl.DataFrame({"place": asked.cast(pl.String), "number": numbers}).head(left)
        return found.select("place", self.rule.written(pl.col("number")).alias("given"))

    def used_up(
        self, seen: pl.DataFrame, plan: Plan, unsound: pl.Series, given: pl.DataFrame
    ) -> pl.DataFrame:
        """Sound rows that no number is left for, as problems."""
        left = ~pl.col(plan.schema.key).is_in(given["place"].implode())
        label = plan.schema[plan.schema.key].label
        said = f"{label}: the numbers for new products end at {self.rule.last}"
        rows = _asked(seen, plan, unsound).filter(left)
        return _refused(rows, plan, "numbers_used_up", pl.lit(said))


def places(plan: Plan) -> pl.Expr:
    """What stands for the key of rows that make a product and have none: the same for those of one
    article. Null where nothing would find them again, and where products are not numbered."""
    if not plan.numbers_keys:
        return pl.lit(None, pl.String)
    ways = [w.fields for w in plan.identity.ways if plan.schema.key not in w.fields]
    told = [pl.all_horizontal(pl.col(TOLD + f).is_not_null() for f in fields) for fields in ways]
    number = pl.when(pl.any_horizontal([pl.lit(False), *told])).then(pl.col(ROW).cast(pl.String))
    alone = pl.lit(_PLACE * 2) + number
    if plan.identity.article is None:
        return alone
    article = pl.when(pl.col(ARTICLE) != "").then(pl.col(ARTICLE))
    return pl.coalesce(pl.lit(_PLACE) + article, alone)


def without_means(rows: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """Of rows that make products those that would get a number, and that nothing would find the
    next time, as problems."""
    lost = rows.filter(pl.col(plan.schema.key).is_null() & places(plan).is_null())
    label = plan.schema[plan.schema.key].label
    said = f"{label}: none, and no number of the supplier's that finds the product the next time"
    return _refused(lost, plan, "nothing_finds_it", pl.lit(said))


def unfit_keys(
    seen: pl.DataFrame, plan: Plan, given: pl.DataFrame, flaws: pl.DataFrame
) -> pl.DataFrame:
    """Rows whose keys, as they were given, the store does not take, as problems; ``flaws`` has
    those keys, each with a ``message``."""
    wrong = given.join(flaws, left_on="given", right_on="key").select("place", "message")
    rows = seen.select(ROW, pl.col(plan.schema.key).cast(pl.String).alias("place"))
    told = rows.join(wrong, on="place", maintain_order="left")
    why = pl.col("message") + pl.lit("; it is a number of the rule for new products")
    return _refused(told, plan, "number_unfit", why)


def in_words(problems: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """Problems with the article where they name what stands for a key."""
    label = plan.schema[plan.schema.key].label
    named = pl.col("message").str.replace(f"{label}: '{_PLACE}", "Article '", literal=True)
    return problems.with_columns(pl.col("seen").str.strip_prefix(_PLACE), named.alias("message"))


def with_given(lines: pl.DataFrame, given: pl.DataFrame, columns: Sequence[str]) -> pl.DataFrame:
    """Lines with the keys that were given; none where only something stood for one."""
    for name in columns:
        own = lines.select(pl.col(name).alias("place")).join(
            given, on="place", how="left", maintain_order="left"
        )
        real = pl.when(~pl.col("place").str.starts_with(_PLACE)).then("place")
        lines = lines.with_columns(own.select(pl.coalesce(real, "given").alias(name)).to_series())
    return lines


def _asked(seen: pl.DataFrame, plan: Plan, unsound: pl.Series) -> pl.DataFrame:
    placed = pl.col(plan.schema.key).cast(pl.String).str.starts_with(_PLACE)
    return seen.filter(placed & ~pl.col(ROW).is_in(unsound.implode())).sort(ROW)


def _refused(rows: pl.DataFrame, plan: Plan, kind: str, said: pl.Expr) -> pl.DataFrame:
    shaped = rows.select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.lit(plan.schema.key).alias("field"),
        pl.lit(kind).alias("kind"),
        pl.lit("refuse").alias("severity"),
        pl.lit("").alias("seen"),
        said.alias("message"),
    )
    return pl.concat([pl.DataFrame(schema=PROBLEM_SCHEMA), shaped])
