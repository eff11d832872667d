"""Rows and the products that they are about: a join over what tells products apart."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from copy import copy
from dataclasses import dataclass

import polars as pl

from nomotax.core.at_once import each_of
from nomotax.core.crosswalk.compiler import ARTICLE, TOLD
from nomotax.core.crosswalk.identity import Identity, Way
from nomotax.core.matching.alike import told_by
from nomotax.core.places import Places

#: How a product was found: the number of the way, from 0; by a pairing; null where none was.
BY = "__by"
PAIRED = -1
#: The keys of the products that were found: one as a rule, several where a value is theirs all.
FOUND = "__found"
#: What was decided of an article without a product.
DECIDED = "__decided"
#: Products that are told of a row that waits since it found several; one more is kept.
SHOWN = 50

#: What is decided of an article: paired with the product ``key``, a product of its own (``new``),
#: or not taken in (``leave``); ``lost`` is one whose product is no longer in the catalog.
PAIRINGS = {"article": pl.String, "decision": pl.String, "key": pl.String}


@dataclass(frozen=True)
class Known:
    """What is known of the products of a catalog: ``key``, ``there`` (not taken out), and
    ``__told:<field>`` for each field that may tell one."""

    products: pl.DataFrame

    @classmethod
    def of(cls, pieces: Iterable[pl.DataFrame], fields: Sequence[str]) -> Known:
        """Out of frames with these."""
        told = [TOLD + f for f in fields]
        return cls(pl.concat(p.select("key", "there", *told) for p in pieces))


class Finder:
    """Finds the products of rows, in any order and any pieces of them."""

    def __init__(
        self, identity: Identity, known: Known, pairings: pl.DataFrame | None = None
    ) -> None:
        """``pairings`` as ``PAIRINGS``, each article once."""
        self.identity = identity
        self.keys = known.products["key"]
        most = None if identity.several == "each" else SHOWN + 1
        products = known.products.sort("key")
        indexes = each_of(lambda way: _index(products, way, most), identity.ways)
        self._ways = list(zip(identity.ways, indexes, strict=True))
        self._pairings = pairings if pairings is not None else pl.DataFrame(schema=PAIRINGS)

    def beside(self, pairings: pl.DataFrame) -> Finder:
        """The same with other pairings."""
        other = copy(self)
        other._pairings = pairings
        return other

    def find(self, rows: pl.DataFrame) -> pl.DataFrame:
        """``__by``, ``__found`` and ``__decided`` of each row, in their order. ``rows`` have
        ``__told:<field>`` of the ways, and ``__article`` where the identity names one.

        A pairing comes before all ways. Of the ways the first decides that finds a product; one
        is passed over where the row has no value for a field of it. A product that was taken out
        is found only where none that is in the catalog is.
        """
        found = [self._paired(rows)]
        for way, index in self._ways:
            told = told_by([pl.col(TOLD + f) for f in way.fields], way.ignore).alias("told")
            found.append(index.look_up(rows.select(told).to_series()).alias(FOUND).to_frame())
        aside = pl.concat(
            [one.rename({FOUND: f"found {n}"}) for n, one in enumerate(found)], how="horizontal"
        )
        settled = pl.col(DECIDED).is_not_null()
        by, products = pl.lit(None, pl.Int8), pl.lit(None, pl.List(pl.String))
        for n in reversed(range(1, len(found))):
            there = pl.col(f"found {n}").is_not_null()
            by = pl.when(there).then(pl.lit(n - 1, pl.Int8)).otherwise(by)
            products = pl.when(there).then(f"found {n}").otherwise(products)
        paired = pl.col("found 0").is_not_null()
        return aside.select(
            pl.when(paired).then(pl.lit(PAIRED, pl.Int8)).when(~settled).then(by).alias(BY),
            pl.when(paired).then("found 0").when(~settled).then(products).alias(FOUND),
            pl.when(~paired).then(DECIDED).alias(DECIDED),
        )

    def _paired(self, rows: pl.DataFrame) -> pl.DataFrame:
        if ARTICLE not in rows.columns:
            nothing = pl.Series(FOUND, [None], pl.List(pl.String)).new_from_index(0, rows.height)
            return pl.DataFrame([nothing]).with_columns(pl.lit(None, pl.String).alias(DECIDED))
        asked = rows.select(pl.col(ARTICLE).alias("article"))
        known = asked.join(self._pairings, on="article", how="left", maintain_order="left")
        one = pl.concat_list("key")
        product = pl.when(pl.col("decision") == "product").then(one)
        return known.select(pl.col("decision").alias(DECIDED), product.alias(FOUND))


class _Index:
    """The keys of products by what tells them."""

    def __init__(self, told: pl.DataFrame) -> None:
        """``told`` has each text that tells products once, and ``__found``."""
        self._places, self._found = Places(told["told"]), told[FOUND].rechunk()

    def look_up(self, told: pl.Series) -> pl.Series:
        """``__found`` of each text, null where it tells none."""
        return self._found.gather(self._places.of(told))


def _index(products: pl.DataFrame, way: Way, most: int | None) -> _Index:
    """The keys of the products, all or so many, by what tells them; of those taken out only where
    no other is."""
    told = products.select(
        "key", "there", told_by([pl.col(TOLD + f) for f in way.fields], way.ignore).alias("told")
    ).drop_nulls("told")
    there = _keys(told.filter("there"), most)
    out = _keys(told.filter(~pl.col("there")).join(there, on="told", how="anti"), most)
    return _Index(pl.concat([there, out]))


def _keys(told: pl.DataFrame, most: int | None) -> pl.DataFrame:
    """Of each text its keys, in their order in the frame."""
    keys = pl.col("key") if most is None else pl.col("key").head(most)
    alone = told["told"].is_unique()
    shared = told.filter(~alone).group_by("told").agg(keys.alias(FOUND))
    single = told.filter(alone).select("told", pl.concat_list("key").alias(FOUND))
    return pl.concat([single, shared])
