"""Products that an article without one is likely to be, and why."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import get_args

import polars as pl

from nomotax.core.crosswalk.compiler import ARTICLE, TOLD
from nomotax.core.crosswalk.identity import Ignored
from nomotax.core.matching.alike import alike

_LOOSE: tuple[Ignored, ...] = get_args(Ignored)
#: A word that more products than these have says little of which one is meant.
_COMMON = 5_000
#: What the same value in a field that tells products counts for, beside names alike in all words.
_SAME = 100.0
#: Names less alike than this are no reason.
_LEAST = 35.0
LIKELY = {"row": pl.UInt32, "key": pl.String, "score": pl.Float64, "why": pl.String}


@dataclass(frozen=True)
class Partners:
    """``products`` have key, title, and ``__told:<field>`` for the fields of ``labels``: the names
    that people read."""

    products: pl.DataFrame
    labels: Mapping[str, str]

    def likely(self, rows: pl.DataFrame, most: int = 5) -> pl.DataFrame:
        """The likeliest products of each row, as ``LIKELY``: by the row's number, the best first.
        ``rows`` have row, title, ``__article`` and ``__told:<field>``, null where there is
        none."""
        reasons = [self._alike_names(rows)]
        reasons += [
            self._same(rows, TOLD + f, f, f"same {label}") for f, label in self.labels.items()
        ]
        reasons += [
            self._same(rows, ARTICLE, f, f"their number is its {label}")
            for f, label in self.labels.items()
        ]
        every = pl.concat(reasons).unique(["row", "key", "why"], maintain_order=True)
        whole = every.sort("score", descending=True, maintain_order=True).group_by(
            "row", "key", maintain_order=True
        ).agg(pl.col("score").sum(), pl.col("why").str.join(", "))  # fmt: skip
        best = whole.sort(["row", "score", "key"], descending=[False, True, False])
        return best.group_by("row", maintain_order=True).head(most).select(*LIKELY)

    def _same(self, rows: pl.DataFrame, asked: str, held: str, why: str) -> pl.DataFrame:
        wanted = rows.select("row", alike(pl.col(asked), _LOOSE).alias("told")).drop_nulls()
        told = self.products.select("key", alike(pl.col(TOLD + held), _LOOSE).alias("told"))
        found = wanted.join(told, on="told").filter(pl.len().over("row") <= _COMMON)
        return found.select(
            pl.col("row").cast(pl.UInt32), "key",
            pl.lit(_SAME).alias("score"), pl.lit(why).alias("why"),
        )  # fmt: skip

    @cached_property
    def _words(self) -> pl.DataFrame:
        """Each word of each product's title, with what it weighs: the rarer, the more."""
        words = _words_of(self.products.select("key", "title"), "key")
        heavy = (1 + self.products.height / pl.len().over("word")).log()
        whole = words.with_columns(heavy.alias("weight"), pl.len().over("word").alias("often"))
        return whole.with_columns(pl.col("weight").sum().over("key").alias("whole"))

    def _alike_names(self, rows: pl.DataFrame) -> pl.DataFrame:
        """By how much of both names, word by word, is in the other (the coefficient of Dice, each
        word as heavy as it is rare)."""
        asked = _words_of(rows.select("row", "title"), "row")
        known = self._words.select("word", "weight", "often").unique("word")
        heaviest = pl.lit(float(self.products.height + 1)).log()
        asked = asked.join(known, on="word", how="left").with_columns(
            pl.col("weight").fill_null(heaviest)
        )
        asked = asked.with_columns(pl.col("weight").sum().over("row").alias("asked"))
        telling = asked.filter(pl.col("often") <= _COMMON).select("row", "word", "asked")
        shared = telling.join(self._words, on="word").group_by("row", "key").agg(
            pl.col("weight").sum(), pl.col("asked").first(), pl.col("whole").first()
        )  # fmt: skip
        score = 200 * pl.col("weight") / (pl.col("asked") + pl.col("whole"))
        found = shared.select(pl.col("row").cast(pl.UInt32), "key", score.alias("score"))
        return found.filter(pl.col("score") >= _LEAST).with_columns(
            pl.when(pl.col("score") > 99)
            .then(pl.lit("same name"))
            .otherwise(pl.lit("similar name"))
            .alias("why")
        )


def _words_of(titles: pl.DataFrame, by: str) -> pl.DataFrame:
    """The words of titles, each once."""
    plain = pl.col("title").str.normalize("NFKD").str.replace_all(r"\p{M}", "").str.to_lowercase()
    words = plain.str.extract_all(r"[\p{L}\p{N}]+").list.unique()
    found = titles.select(by, words.alias("word")).explode("word", empty_as_null=False)
    return found.drop_nulls("word")
