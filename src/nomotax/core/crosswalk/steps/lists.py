"""Steps on lists: made by a split, kept as entries along the chain, written out at its end."""

from __future__ import annotations

from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.crosswalk.flow import LIST_SIGN, Context, Flow
from nomotax.core.crosswalk.steps.base import BaseStep
from nomotax.core.reading.lists import list_items


def as_list(flow: Flow, at: str = "") -> pl.Expr:
    """The entries of a value, trimmed, without empty ones: of a list as it arrives, or of text
    cut at ``at``."""
    if flow.listed:
        return flow.value
    text = flow.text
    arrived = text.map_batches(_arrived, return_dtype=pl.List(pl.String), is_elementwise=True)
    cut = text.str.split(at) if at else arrived
    entries = pl.when(text.str.starts_with('["')).then(arrived).otherwise(cut)
    trimmed = entries.list.eval(pl.element().str.strip_chars())
    return trimmed.list.eval(pl.element().filter(pl.element() != ""))


def _arrived(texts: pl.Series) -> pl.Series:
    cells = [list_items(t) if t and t.startswith("[") else ([t] if t else []) for t in texts]
    return pl.Series(cells, dtype=pl.List(pl.String))


class Split(BaseStep):
    """Makes a list: of text, cut at ``at``, or of a list as it arrives. Empty entries go."""

    do: Literal["split"] = "split"
    at: str = Field(default=",", min_length=1)

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        return flow.to(as_list(flow, self.at), numeric=False, listed=True)

    def describe(self) -> str:
        return f"split at '{self.at}'"


class Join(BaseStep):
    """Writes a list as one text."""

    do: Literal["join"] = "join"
    between: str = ", "

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        joined = as_list(flow, LIST_SIGN.strip()).list.join(self.between)
        return flow.to(pl.when(joined != "").then(joined), numeric=False)

    def describe(self) -> str:
        return f"join with '{self.between}'"


class TakeEntries(BaseStep):
    """Keeps ``count`` entries from the one at ``start`` on; a start of -1 is the last. A count of
    0 keeps all that follow."""

    do: Literal["take"] = "take"
    start: int = 1
    count: int = Field(default=1, ge=0)

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        begin = self.start - 1 if self.start > 0 else self.start
        taken = as_list(flow, LIST_SIGN.strip()).list.slice(begin, self.count or None)
        return flow.to(taken, numeric=False, listed=True)

    def describe(self) -> str:
        return f"entries from {self.start}" + (f", {self.count}" if self.count else " on")


class DropEntries(BaseStep):
    """Leaves out entries that are one of ``words``, ignoring case."""

    do: Literal["drop"] = "drop"
    words: tuple[str, ...] = ()

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        unwanted = [w.strip().lower() for w in self.words]
        keep = ~pl.element().str.to_lowercase().is_in(unwanted)
        kept = as_list(flow, LIST_SIGN.strip()).list.eval(pl.element().filter(keep))
        return flow.to(kept, numeric=False, listed=True)

    def describe(self) -> str:
        return f"without {', '.join(self.words)}"


class UniqueEntries(BaseStep):
    """Keeps the first of entries that are the same."""

    do: Literal["unique"] = "unique"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        once = as_list(flow, LIST_SIGN.strip()).list.unique(maintain_order=True)
        return flow.to(once, numeric=False, listed=True)

    def describe(self) -> str:
        return "each entry once"


class OrderEntries(BaseStep):
    """Puts the entries in the order of the alphabet, or turns them round."""

    do: Literal["order"] = "order"
    by: Literal["rising", "falling", "reversed"] = "rising"

    def apply(self, flow: Flow, ctx: Context) -> Flow:
        entries = as_list(flow, LIST_SIGN.strip())
        if self.by == "reversed":
            made = entries.list.reverse()
        else:
            made = entries.list.sort(descending=self.by == "falling")
        return flow.to(made, numeric=False, listed=True)

    def describe(self) -> str:
        return f"order {self.by}"
