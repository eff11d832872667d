"""What a catalog holds, beside rows that are about its products."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import polars as pl

from nomotax.core.changes.marks import MOVED_BY, OLD, OWNER
from nomotax.core.changes.states import STATE
from nomotax.core.places import Places

_PIECE = 100_000
_ABOUT = (OWNER, MOVED_BY, STATE)


def held_columns(fields: Sequence[str]) -> dict[str, type[pl.DataType]]:
    """The columns of products that are held: key, owner's name, the feed whose run gave it its
    state, ``old:<field>`` of each field, and the state, which is null of a live one."""
    values = dict.fromkeys((OLD + field for field in fields), pl.String)
    return {"key": pl.String, OWNER: pl.String, MOVED_BY: pl.Int64, **values, STATE: pl.String}


class Held:
    """The products of a catalog, those that were taken out among them."""

    def __init__(self, products: pl.DataFrame) -> None:
        """``products`` as ``held_columns``, each key once."""
        self._products = products.rechunk()
        self._places = Places(products["key"])

    def beside(self, keys: pl.Series, fields: Sequence[str]) -> pl.DataFrame:
        """owner, state and ``old:<field>`` of the product of each key, in their order; null where
        there is none."""
        at = self._places.of(keys)
        wanted = (*_ABOUT, *(OLD + field for field in fields))
        return pl.DataFrame([self._products[name].gather(at) for name in wanted])

    def values(self, field: str) -> pl.Series:
        """What each product holds in a field; those that were taken out among them."""
        return self._products[OLD + field]

    def pieces(
        self, fields: Sequence[str], keys: pl.Series | None = None
    ) -> Iterator[pl.DataFrame]:
        """All products, or those of some keys, piece by piece; at least one piece."""
        found = self._products.select("key", *_ABOUT, *(OLD + field for field in fields))
        if keys is not None:
            found = found.join(keys.alias("key").to_frame(), on="key", how="semi")
        for start in range(0, max(1, found.height), _PIECE):
            yield found.slice(start, _PIECE)
