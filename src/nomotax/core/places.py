"""Where texts stand in a long list of them."""

from __future__ import annotations

from itertools import count

import polars as pl


class Places:
    """The places of different texts, looked up by a sorted hash: joining would hash all of them
    for each piece of what is asked."""

    def __init__(self, texts: pl.Series) -> None:
        """``texts`` has each once."""
        # So that no text is missed, none shares its hash with another.
        self._seed = next(n for n in count() if texts.hash(n).is_unique().all())
        self._texts = texts.rechunk()
        self._order = self._texts.hash(self._seed).arg_sort()
        self._hashes = self._texts.hash(self._seed).gather(self._order)

    def of(self, asked: pl.Series) -> pl.Series:
        """The place of each, from 0 on; null where it is not among them."""
        if not self._texts.len():
            return self._order.clear(asked.len())
        last = self._texts.len() - 1
        at = self._order.gather(
            self._hashes.search_sorted(asked.hash(self._seed)).clip(upper_bound=last)
        )
        same = (self._texts.gather(at) == asked).fill_null(False)
        place = pl.DataFrame([at.alias("at"), same.alias("same")])
        return place.select(pl.when("same").then("at")).to_series()
