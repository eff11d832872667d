"""Which articles of a supplier's range are picked for the store."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import polars as pl
from pydantic import BaseModel, ConfigDict, model_validator

from nomotax.core.lookups.tree import SIGN

#: Before the name of a field: what an article's row says of it.
OF = "of:"


class PickRule(BaseModel):
    """A filter that goes on picking: articles that the crosswalk places in a branch of the store's
    categories, in whose texts this one stands, and which say this ``value`` of a ``field``; "" for
    any."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    category: str = ""
    search: str = ""
    field: str = ""
    value: str = ""

    @model_validator(mode="after")
    def _something(self) -> PickRule:
        if not self.category and not self.search and not self.field:
            raise ValueError("a rule names a category, a text or a value; all is picked without")
        if bool(self.field) != bool(self.value):
            raise ValueError("a value is that of a field")
        return self

    def fits(self) -> pl.Expr:
        """Whether rows of category, ``texts`` in lower case and ``of:<field>`` fit."""
        fits = has_text(pl.col("texts"), self.search) if self.search else pl.lit(True)
        if self.category:
            fits &= of_branch(pl.col("category"), self.category)
        return fits & says_value(self.field, self.value) if self.field else fits


def of_branch(category: pl.Expr, branch: str) -> pl.Expr:
    """Whether a category is a branch's, or under it."""
    within = (category == branch) | category.str.starts_with(branch + SIGN)
    return within.fill_null(False)


def has_text(texts: pl.Expr, search: str) -> pl.Expr:
    """Whether a text stands in others, whatever the case; ``texts`` in lower case."""
    return texts.str.contains(search.lower(), literal=True).fill_null(False)


def says_value(field: str, value: str) -> pl.Expr:
    """Whether a value is said of a field, whatever the case."""
    return (pl.col(OF + field).str.to_lowercase() == value.lower()).fill_null(False)


@dataclass(frozen=True)
class Picked:
    """``articles`` that were picked one by one, and ``rules`` that pick others, now and later."""

    articles: pl.Series
    rules: Sequence[PickRule] = ()

    @property
    def fields(self) -> list[str]:
        """Fields that rules look at, each once."""
        return list(dict.fromkeys(rule.field for rule in self.rules if rule.field))

    def of(self, rows: pl.DataFrame) -> pl.Series:
        """Whether each is picked; ``rows`` have article, category, texts in lower case, and
        ``of:<field>`` of the fields that rules look at."""
        picked = pl.col("article").is_in(self.articles.implode()).fill_null(False)
        for rule in self.rules:
            # What has no number of its own cannot be told from others later on.
            picked |= rule.fits() & pl.col("article").is_not_null()
        return rows.select(picked.alias("picked")).to_series()
