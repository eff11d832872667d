"""Work in Python that is done once for each different text."""

from __future__ import annotations

from collections.abc import Callable

import polars as pl


def each_distinct(
    text: pl.Expr, change: Callable[[str], str], needs: str, *, but: bool = False
) -> pl.Expr:
    """``change`` once for each distinct text in which the pattern ``needs`` is found, or with
    ``but`` in which it is not."""

    def all_of(texts: pl.Series) -> pl.Series:
        touched = texts.filter(texts.str.contains(needs) ^ but).unique().drop_nulls()
        if touched.len() == 0:
            return texts
        made = pl.Series([change(t) for t in touched], dtype=pl.String)
        return texts.replace(touched, made)

    # Not as elementwise, or each thread would get a part and work on the same texts again.
    return text.map_batches(all_of, return_dtype=pl.String)
