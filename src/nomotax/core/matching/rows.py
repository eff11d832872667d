"""Filled rows with the products that they are about, and why some wait."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import polars as pl

from nomotax.core.crosswalk.compiler import ARTICLE, TOLD, Plan
from nomotax.core.crosswalk.identity import Identity
from nomotax.core.crosswalk.problems import (
    PROBLEM_SCHEMA,
    across_rows,
    narrow,
    own_problems,
    without_missing,
)
from nomotax.core.matching.finder import DECIDED, FOUND, SHOWN, Finder
from nomotax.core.matching.numbering import in_words, places, without_means
from nomotax.core.table import ROW

#: Problems of rows that wait to find their products, and what such rows do.
WAITING = {
    "several_products": "find several",
    "unpaired": "find none",
    "pairing_lost": "are paired with one that is gone",
}
#: What becomes of a row, as ``fated`` tells.
MATCHED = "__matched"
#: Products that are named in a sentence.
_NAMED = 3


@dataclass(frozen=True)
class Matched:
    """``rows`` as they were filled, with ``__found``, the key of the product that each is about, as
    their key, too, where there is one; a row for several products stands there for each.

    ``problems`` say why rows wait or are not taken; ``keyless`` are the numbers of rows of which
    no key is asked; ``meant`` the keys of products that rows which wait may be about.
    """

    rows: pl.DataFrame
    problems: pl.DataFrame
    keyless: pl.Series
    meant: pl.Series

    def asked(self, problems: pl.DataFrame, plan: Plan) -> pl.DataFrame:
        """Problems that rows have by themselves, without those of keys that are not asked."""
        of_key = pl.col("field") == plan.schema.key
        return problems.filter(~(of_key & pl.col("row").is_in(self.keyless.implode())))


def match(filled: pl.DataFrame, plan: Plan, finder: Finder) -> Matched:
    """Find the products of filled rows."""
    rows = fated(filled, plan, finder)
    problems = pl.concat([pl.DataFrame(schema=PROBLEM_SCHEMA), *_problems(rows, plan)])
    numbered = pl.lit(plan.numbers_keys) & pl.col(plan.schema.key).is_null()
    keyless = rows.filter((pl.col(MATCHED) != "new") | numbered)[ROW].cast(pl.UInt32)
    meant = rows.filter(pl.col(MATCHED) == "doubled")[FOUND].explode(empty_as_null=False)
    return Matched(_with_keys(rows, plan), problems, keyless, meant)


def problems_of_matched(
    filled: pl.DataFrame, plan: Plan, arriving: pl.DataFrame, finder: Finder
) -> pl.DataFrame:
    """Every problem of a filled frame whose rows find their products: as ``problems_of`` tells
    them; those of the catalog's own products keep what a required field leaves empty."""
    matched = match(filled, plan, finder)
    own = matched.asked(own_problems(filled, plan, arriving), plan)
    said = pl.concat([own, matched.problems])
    unsound = said.filter(pl.col("severity") != "skipped")["row"]
    across = across_rows(narrow(matched.rows, plan), plan, unsound)
    every = pl.concat([said, in_words(across, plan)])
    known = matched.rows.filter(pl.col(FOUND).is_not_null())[ROW].cast(pl.UInt32)
    return without_missing(every, known, plan).sort("row", maintain_order=True)


def fated(filled: pl.DataFrame, plan: Plan, finder: Finder) -> pl.DataFrame:
    """Filled rows with what a finder tells of them, and ``__matched``: *found*; *doubled*, found
    several and waits; *left out*, as was decided; *lost*, its product is gone and it waits;
    *waits*, found none; *none*, the same and not taken; or *new*."""
    rows = pl.concat([filled, finder.find(filled)], how="horizontal")
    return rows.with_columns(_fate(plan).alias(MATCHED))


def _fate(plan: Plan) -> pl.Expr:
    many = pl.col(FOUND).list.len() > 1
    undecided = pl.lit("waits" if plan.identity.unmatched == "wait" else "new")
    none = pl.lit("none") if plan.policy.products == "change" else undecided
    if plan.identity.several == "wait":
        found = pl.when(many).then(pl.lit("doubled")).otherwise(pl.lit("found"))
    else:
        found = pl.lit("found")
    return (
        pl.when(pl.col(FOUND).is_not_null())
        .then(found)
        .when(pl.col(DECIDED) == "leave")
        .then(pl.lit("left out"))
        .when(pl.col(DECIDED) == "lost")
        .then(pl.lit("lost"))
        .when((pl.col(DECIDED) == "new") & (plan.policy.products != "change"))
        .then(pl.lit("new"))
        .otherwise(none)
    )


def _with_keys(rows: pl.DataFrame, plan: Plan) -> pl.DataFrame:
    """The rows with the keys of what was found; without any where that is not known yet. What is
    to be numbered has what stands for its key."""
    key, new = plan.schema.key, pl.col(MATCHED) == "new"
    one = rows.with_columns(pl.when(pl.col(MATCHED) == "found").then(FOUND).alias(FOUND))
    if one.select((pl.col(FOUND).list.len() > 1).any()).item():
        one = one.explode(FOUND)
    else:
        one = one.with_columns(pl.col(FOUND).list.first())
    own = pl.when(new).then(pl.coalesce(pl.col(key).cast(pl.String), places(plan)))
    return one.with_columns(pl.coalesce(FOUND, own).alias(key)).drop(MATCHED)


def _problems(rows: pl.DataFrame, plan: Plan) -> Iterator[pl.DataFrame]:
    names = pl.col(FOUND).list.head(_NAMED).list.join(", ")
    count = pl.col(FOUND).list.len()
    more = (
        pl.when(count > SHOWN)
        .then(pl.format(" and more than {} others", pl.lit(SHOWN - _NAMED)))
        .when(count > _NAMED)
        .then(pl.format(" and {} more", count - _NAMED))
        .otherwise(pl.lit(""))
    )
    exactly = count.cast(pl.String)
    told = pl.when(count > SHOWN).then(pl.lit(f"more than {SHOWN}")).otherwise(exactly)
    doubled = pl.format("is that of {} products: {}{}", told, names, more)
    yield _problem(rows, plan, "doubled", "question", doubled)
    said = "is that of no product in the catalog"
    yield _problem(rows, plan, "none", "refuse", pl.lit(f"{said}; this feed only completes those"))
    yield _problem(rows, plan, "waits", "question", pl.lit(f"{said}; it waits to be paired"))
    if plan.numbers_keys:
        yield without_means(rows.filter(pl.col(MATCHED) == "new"), plan)
    if plan.identity.article is not None:
        article = pl.col(ARTICLE).fill_null("")
        whose = f"{plan.identity.article}: '"
        gone = pl.lit("' is paired with a product that is no longer in the catalog")
        yield _shaped(rows.filter(pl.col(MATCHED) == "lost"), plan, "pairing_lost", "question",
                      article, pl.lit(whose) + article + gone)  # fmt: skip
        left = pl.lit("' is left out, as was decided")
        yield _shaped(rows.filter(pl.col(MATCHED) == "left out"), plan, "left_out", "leave_out",
                      article, pl.lit(whose) + article + left)  # fmt: skip


_KINDS = {"doubled": "several_products", "none": "not_in_catalog", "waits": "unpaired"}


def _problem(
    rows: pl.DataFrame, plan: Plan, fate: str, severity: str, said: pl.Expr
) -> pl.DataFrame:
    seen = _seen(plan.identity)
    label = _told_by(plan)
    empty = pl.lit(f"{label}: nothing of it tells a product")
    told = pl.lit(f"{label}: '") + seen + pl.lit("' ") + said
    message = pl.when(seen == "").then(empty).otherwise(told)
    own = rows.filter(pl.col(MATCHED) == fate)
    return _shaped(own, plan, _KINDS[fate], severity, seen, message)


def _told_by(plan: Plan) -> str:
    """The fields that tell products, as they are read."""
    schema = plan.schema
    return " / ".join(schema[f].label if f in schema else f for f in plan.identity.fields)


def _seen(identity: Identity) -> pl.Expr:
    return pl.concat_str(
        [pl.col(TOLD + f) for f in identity.fields], separator=" / ", ignore_nulls=True
    )


def _shaped(
    rows: pl.DataFrame, plan: Plan, kind: str, severity: str, seen: pl.Expr, message: pl.Expr
) -> pl.DataFrame:
    return rows.select(
        pl.col(ROW).cast(pl.UInt32).alias("row"),
        pl.lit(plan.identity.fields[0]).alias("field"),
        pl.lit(kind).alias("kind"),
        pl.lit(severity).alias("severity"),
        seen.alias("seen"),
        message.alias("message"),
    )
