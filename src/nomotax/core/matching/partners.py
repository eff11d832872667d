"""Products that an article without one is likely to be, and why."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
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
#: What more counts for.
_MORE = 10.0
#: Values of which fewer are different are of kinds of products rather than of products.
_DISTINCT = 0.8
#: What is shorter is alike by chance.
_SHORTEST = 4
#: Names less alike than this are no reason.
_LEAST = 35.0
LIKELY = {"row": pl.UInt32, "key": pl.String, "score": pl.Float64, "why": pl.String}


@dataclass(frozen=True)
class Partners:
    """``products`` have key and ``__told:<field>``, for the field that they are called by
    (``title``, "" for none), and those of ``labels``: the names that people read. A field that
    many products share a value of, as the brand, tells none; it speaks for one that is likely."""

    products: pl.DataFrame
    title: str
    labels: Mapping[str, str]

    def likely(self, rows: pl.DataFrame, most: int = 5) -> pl.DataFrame:
        """The likeliest products of each row, as ``LIKELY``: by the row's number, the best first.
        ``rows`` have row, ``__article`` and ``__told:<field>``, null where there is none."""
        reasons = [self._alike_names(rows)] if self.title else []
        for field in self._telling:
            label = self.labels[field]
            reasons.append(self._same(rows, TOLD + field, field, f"same {label}"))
            reasons.append(self._same(rows, ARTICLE, field, f"their number is its {label}"))
        every = pl.concat([pl.DataFrame(schema=LIKELY), *reasons])
        every = every.unique(["row", "key", "why"], maintain_order=True)
        every = pl.concat([every, *self._shared(rows, every.select("row", "key").unique())])
        whole = every.sort("score", descending=True, maintain_order=True).group_by(
            "row", "key", maintain_order=True
        ).agg(pl.col("score").sum(), pl.col("why").str.join(", "))  # fmt: skip
        best = whole.sort(["row", "score", "key"], descending=[False, True, False])
        return best.group_by("row", maintain_order=True).head(most).select(*LIKELY)

    @cached_property
    def _telling(self) -> list[str]:
        """The fields whose values mostly are of one product."""
        values = {f: self.products[TOLD + f].drop_nulls() for f in self.labels}
        return [f for f, v in values.items() if _tells(v)]

    def _shared(self, rows: pl.DataFrame, likely: pl.DataFrame) -> Iterator[pl.DataFrame]:
        """What more speaks for products that are likely."""
        for field in self.labels.keys() - {*self._telling}:
            own = alike(pl.col(TOLD + field), _LOOSE).alias("told")
            asked = likely.join(rows.select("row", own), on="row")
            held = self.products.select("key", own)
            yield asked.join(held, on=["key", "told"]).select(
                pl.col("row").cast(pl.UInt32), "key",
                pl.lit(_MORE).alias("score"), pl.lit(f"same {self.labels[field]}").alias("why"),
            )  # fmt: skip

    def _same(self, rows: pl.DataFrame, asked: str, held: str, why: str) -> pl.DataFrame:
        wanted = rows.select("row", alike(pl.col(asked), _LOOSE).alias("told")).filter(
            pl.col("told").str.len_chars() >= _SHORTEST
        )
        told = self.products.select("key", alike(pl.col(TOLD + held), _LOOSE).alias("told"))
        found = wanted.join(told, on="told").filter(pl.len().over("row") <= _COMMON)
        return found.select(
            pl.col("row").cast(pl.UInt32), "key",
            pl.lit(_SAME).alias("score"), pl.lit(why).alias("why"),
        )  # fmt: skip

    @cached_property
    def _words(self) -> pl.DataFrame:
        """Each word of each product's title, with what it weighs: the rarer, the more."""
        title = pl.col(TOLD + self.title).alias("title")
        words = _words_of(self.products.select("key", title), "key")
        heavy = (1 + self.products.height / pl.len().over("word")).log()
        whole = words.with_columns(heavy.alias("weight"), pl.len().over("word").alias("often"))
        return whole.with_columns(pl.col("weight").sum().over("key").alias("whole"))

    def _alike_names(self, rows: pl.DataFrame) -> pl.DataFrame:
        """By how much of both names, word by word, is in the other (the coefficient of Dice, each
        word as heavy as it is rare)."""
        title = pl.col(TOLD + self.title).alias("title")
        asked = _words_of(rows.select("row", title), "row")
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


def _tells(values: pl.Series) -> bool:
    """Whether they mostly are of one product each, and no amounts."""
    amounts = values.str.contains(r"^\d+[.,]\d{1,3}$").sum()
    return values.n_unique() >= _DISTINCT * values.len() and amounts * 2 < values.len()


def _words_of(titles: pl.DataFrame, by: str) -> pl.DataFrame:
    """The words of titles, each once."""
    plain = pl.col("title").str.normalize("NFKD").str.replace_all(r"\p{M}", "").str.to_lowercase()
    words = plain.str.extract_all(r"[\p{L}\p{N}]+").list.unique()
    found = titles.select(by, words.alias("word")).explode("word", empty_as_null=False)
    return found.drop_nulls("word")
