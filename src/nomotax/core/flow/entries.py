"""The entries of a value that is a list, or that holds one as text."""

from __future__ import annotations

import polars as pl

from nomotax.core.flow.flow import Flow
from nomotax.core.reading.lists import OPENED, list_items


def as_list(flow: Flow, at: str = "", blanks: bool = False) -> pl.Expr:
    """The entries of a value, trimmed: of a list as it arrives, or of text cut at ``at``. Empty
    ones go, unless ``blanks`` keeps those before the last filled one in their places."""
    if flow.listed:
        return flow.value
    kind = pl.List(pl.String)
    entries = flow.text.map_batches(
        lambda texts: _cut(texts, at), return_dtype=kind, is_elementwise=True
    )
    trimmed = pl.element().str.strip_chars()
    if not blanks:
        return entries.list.eval(trimmed.filter(trimmed != ""))
    filled = (trimmed.fill_null("") != "").cum_sum(reverse=True) > 0
    return entries.list.eval(trimmed.fill_null("").filter(filled))


def _cut(texts: pl.Series, at: str) -> pl.Series:
    """Texts as lists: cut at ``at``, or whole; those that arrive as lists (JSON) as what they
    are."""
    cut = texts.str.split(at) if at else _alone(texts)
    arrived = texts.str.contains(OPENED).fill_null(False)
    if not arrived.any():
        return cut
    read = [
        list_items(t) if is_list else c for t, c, is_list in zip(texts, cut, arrived, strict=True)
    ]
    return pl.Series(read, dtype=cut.dtype)


def _alone(texts: pl.Series) -> pl.Series:
    return texts.to_frame("t").select(pl.concat_list("t")).to_series()
