"""What a catalog holds, as the database writes it down: decoded as it is asked for, so that a
million products need not stand in memory field by field."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import polars as pl

from nomotax.core.changes.marks import MOVED_BY, OLD, OWNER
from nomotax.core.changes.states import STATE

#: Key, owner's name, the feed whose run gave it its state, and content (a JSON object of texts) of
#: each product.
RAW = {"key": pl.String, "owner": pl.String, "moved_by": pl.Int64, "content": pl.String}
_PIECE = 100_000


def decoded(raw: pl.DataFrame, fields: Sequence[str]) -> pl.DataFrame:
    """key, owner, ``__moved_by``, state and ``old:<field>`` of each, all text but ``__moved_by``.
    Of a live product the state is null."""
    shape = pl.Struct(dict.fromkeys([*fields, STATE], pl.String))
    named = [OLD + field for field in fields]
    content = pl.col("content").str.json_decode(shape).struct.rename_fields([*named, STATE])
    own = pl.col("owner").alias(OWNER), pl.col("moved_by").alias(MOVED_BY)
    return raw.select("key", *own, content).unnest("content")


class Held:
    """The products of a catalog, those that were taken out among them."""

    def __init__(self, raw: pl.DataFrame) -> None:
        self.raw = raw
        self._places = raw.select("key").with_row_index("at")

    def beside(self, keys: pl.Series, fields: Sequence[str]) -> pl.DataFrame:
        """owner, state and ``old:<field>`` of the product of each key, in their order; null where
        there is none."""
        asked = keys.alias("key").to_frame()
        at = asked.join(self._places, on="key", how="left", maintain_order="left")["at"]
        rows = self.raw.select(pl.col(name).gather(at) for name in RAW)
        return decoded(rows, fields).drop("key")

    def pieces(
        self, fields: Sequence[str], keys: pl.Series | None = None
    ) -> Iterator[pl.DataFrame]:
        """All products, or those of some keys, decoded piece by piece; at least one piece."""
        raw = self.raw
        if keys is not None:
            raw = raw.join(keys.alias("key").to_frame(), on="key", how="semi")
        for start in range(0, max(1, raw.height), _PIECE):
            yield decoded(raw.slice(start, _PIECE), fields)
