"""Lists in a cell: JSON arrays of texts, null where an entry is empty."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from typing import Any

import polars as pl


def list_text(items: Iterable[Any]) -> str:
    """A list as it stands in a cell."""
    return json.dumps(list(items), ensure_ascii=False, separators=(",", ":"))


def list_items(cell: str | None, separator: str = "") -> list[str | None]:
    """The entries of a cell: of a JSON array, or of text cut at ``separator``. A cell that is
    neither is a list of one; an entry that is a list itself stays one, as text."""
    if cell is None:
        return []
    if separator:
        return [part.strip() or None for part in cell.split(separator)]
    if cell.startswith("["):
        try:
            found = json.loads(cell)
        except ValueError:
            return [cell]
        return [e if e is None or isinstance(e, str) else list_text(e) for e in found]
    return [cell]


#: How a list begins that stands in a cell.
OPENED = r'^\[("|null)'


def in_words(text: pl.Expr, between: str = ", ") -> pl.Expr:
    """Texts, those that are lists with their entries joined: ``["A4","A5"]`` as ``A4, A5``."""

    def joined(texts: pl.Series) -> pl.Series:
        opened = texts.str.starts_with("[")
        if not opened.any():
            return texts
        some = texts.filter(opened.fill_null(False))
        lists = some.filter(some.str.contains(OPENED)).unique()
        if lists.len() == 0:
            return texts
        made = [between.join(e for e in list_items(t) if e) for t in lists]
        return texts.replace(lists, pl.Series(made, dtype=pl.String))

    return text.map_batches(joined, return_dtype=pl.String, is_elementwise=True)


def as_lists(column: str, separator: str = "") -> pl.Expr:
    """A column of cells as a column of lists of text."""
    dtype = pl.List(pl.String)
    return pl.col(column).map_batches(
        lambda cells: pl.Series([list_items(c, separator) for c in cells], dtype=dtype),
        return_dtype=dtype,
    )


def list_cells(lists: pl.Expr) -> pl.Expr:
    """Lists of text as cells; an empty list is an empty cell."""
    text = pl.struct(lists.alias("l")).struct.json_encode()
    return pl.when(lists.list.len() > 0).then(text.str.slice(5).str.strip_suffix("}"))


def wrapped(column: str) -> pl.Expr:
    """Texts as lists of one entry."""
    one: Callable[[pl.Series], pl.Series] = lambda cells: pl.Series(  # noqa: E731
        [None if c is None else list_text([c]) for c in cells], dtype=pl.String
    )
    return pl.col(column).map_batches(one, return_dtype=pl.String)
