"""What people decide of the lines of a changeset: a short list of rules, the later before the
earlier, whatever the size of the run."""

from __future__ import annotations

from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.changes.later import LATER

#: The names of what a line does not write.
DECLINED = "declined"
_WHOLE, _NO = "__whole", "__no:"


class Chosen(BaseModel):
    """Lines: of products by their ``keys``, or all that a filter shows."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    keys: tuple[str, ...] | None = Field(default=None, max_length=20_000)
    status: str = ""
    field: str = ""
    search: str = ""
    again: bool = False
    later: bool = False


class Verdict(BaseModel):
    """Lines are written, or not; with ``field`` this one of what they change. A new product is
    decided as a whole: what is said of a field says nothing of it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    verdict: Literal["accept", "decline"]
    of: Chosen
    field: str = ""

    @model_validator(mode="after")
    def _something(self) -> Verdict:
        if self.of.keys == ():
            raise ValueError("a decision names products, or a filter")
        return self


class Verdicts:
    """Rules over a changeset of ``height`` lines. Of a field the last rule counts that is about it,
    or about the whole line."""

    def __init__(self, height: int) -> None:
        """None yet."""
        #: How many lines each rule is about.
        self.lines: list[int] = []
        self._declines = np.array([False])
        self._none = np.full(height, -1, dtype=np.int32)
        #: The last rule about each line, by the field that it is about ("" for all); -1 for none.
        self._last: dict[str, np.ndarray] = {}

    def after(self, rule: Verdict, places: pl.Series) -> Verdicts:
        """The same with one rule more, about the lines at these places."""
        made = Verdicts(0)
        made._none, made.lines = self._none, [*self.lines, places.len()]
        made._declines = np.array([*self._declines[:-1], rule.verdict == "decline", False])
        last = self._last.get(rule.field, self._none).copy()
        last[places.to_numpy()] = len(self.lines)
        made._last = self._last | {rule.field: last}
        return made

    def __bool__(self) -> bool:
        """Whether anything is declined."""
        return bool(self._declines.any())

    def declined(self, field: str = "") -> pl.Series:
        """Whether each line may not write a field; of "" whether it is declined as a whole."""
        whole = self._last.get("", self._none)
        own = self._last.get(field, self._none) if field else whole
        return pl.Series(self._declines[np.maximum(whole, own)])

    def apart(self) -> pl.Series:
        """Where lines stand of which a field is decided by itself."""
        own = [last >= 0 for field, last in self._last.items() if field]
        mask = np.logical_or.reduce(own) if own else np.zeros(self._none.size, dtype=bool)
        return pl.Series(np.flatnonzero(mask))

    def left(self, lines: pl.DataFrame, at: pl.Series) -> pl.DataFrame:
        """Lines, which stand ``at`` these places, with what they still write in ``fields`` and
        ``later``, and in ``declined`` what they do not."""
        lists = [c for c in ("fields", LATER) if c in lines.columns]
        names = sorted({n for c in lists for n in lines[c].explode().drop_nulls().unique()})
        marks = [self.declined().gather(at).alias(_WHOLE)]
        marks += [self.declined(n).gather(at).alias(_NO + n) for n in names if n in self._last]
        there = {mark.name for mark in marks}

        def declines(name: str) -> pl.Expr:
            if _NO + name not in there:
                return pl.col(_WHOLE)
            return pl.when(pl.col("status") == "new").then(_WHOLE).otherwise(_NO + name)

        def writes(name: str) -> pl.Expr:
            return pl.any_horizontal(pl.col(c).list.contains(name).fill_null(False) for c in lists)

        told = [pl.when(writes(n) & declines(n)).then(pl.lit(n)) for n in names]
        none = pl.lit([], pl.List(pl.String))
        marked = lines.with_columns(*marks).with_columns(
            (pl.concat_list(told).list.drop_nulls() if told else none).alias(DECLINED)
        )
        return marked.with_columns(
            pl.col(c).list.set_difference(DECLINED).alias(c) for c in lists
        ).select(*lines.columns, DECLINED)
