"""Names every table carries besides the supplier's own columns, and tables in pieces."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

#: Running number of the data row in the delivery, from 1.
ROW = "__row"
#: Why the row cannot be trusted as read, or null.
FAULT = "__fault"

HIDDEN = (ROW, FAULT)


def in_pieces(table: pl.LazyFrame, rows: int) -> Iterator[pl.DataFrame]:
    """The table, so many rows at a time, in their order; of one without rows an empty piece."""
    pieces = table.collect_batches(chunk_size=rows, maintain_order=True)
    first = next(pieces, None)
    yield table.head(0).collect() if first is None else first
    yield from pieces
