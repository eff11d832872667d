"""Which articles of a supplier's range are picked for the store."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl
from pydantic import BaseModel, ConfigDict, model_validator

from nomotax.core.lookups.tree import SIGN


class PickRule(BaseModel):
    """A filter that goes on picking: articles that the crosswalk places in a branch of the store's
    categories, and in whose texts this one stands; "" for any."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    category: str = ""
    search: str = ""

    @model_validator(mode="after")
    def _something(self) -> PickRule:
        if not self.category and not self.search:
            raise ValueError("a rule names a category or a text; all is picked without one")
        return self


def of_branch(category: pl.Expr, branch: str) -> pl.Expr:
    """Whether a category is a branch's, or under it."""
    within = (category == branch) | category.str.starts_with(branch + SIGN)
    return within.fill_null(False)


def has_text(texts: pl.Expr, search: str) -> pl.Expr:
    """Whether a text stands in others, whatever the case; ``texts`` in lower case."""
    return texts.str.contains(search.lower(), literal=True).fill_null(False)


@dataclass(frozen=True)
class Picked:
    """``articles`` that were picked one by one, and ``rules`` that pick others, now and later."""

    articles: pl.Series
    rules: Sequence[PickRule] = ()

    def of(self, rows: pl.DataFrame) -> pl.Series:
        """Whether each is picked; ``rows`` have article, category, and texts in lower case."""
        picked = pl.col("article").is_in(self.articles.implode()).fill_null(False)
        for rule in self.rules:
            fits = has_text(pl.col("texts"), rule.search) if rule.search else pl.lit(True)
            if rule.category:
                fits &= of_branch(pl.col("category"), rule.category)
            # What has no number of its own cannot be told from others later on.
            picked |= fits & pl.col("article").is_not_null()
        return rows.select(picked.alias("picked")).to_series()
