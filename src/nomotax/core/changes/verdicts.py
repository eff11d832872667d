"""What people decide of the lines of a changeset: a short list of rules, the later before the
earlier, whatever the size of the run."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Literal

import numpy as np
import polars as pl
from pydantic import BaseModel, ConfigDict, Field, model_validator

from nomotax.core.changes.later import LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.offers import OF_ARTICLE
from nomotax.core.changes.remembered import ARTICLES, REMEMBERED, said_by

#: The names of what a line does not write, and whether a guard holds all of it.
DECLINED, HELD = "declined", "held"
_WHOLE, _NO = "__whole", "__no:"


class Chosen(BaseModel):
    """Lines: of products by their ``keys``, or all that a filter shows; ``guard`` are those that a
    finding is about, ``reason`` those of rows with such a problem, ``least`` and ``most`` bound by
    how many percent ``field`` moves. With ``by``, a field or ``file:`` and a column that arrived,
    they are those that hold ``word`` there, "" where they hold nothing."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    keys: tuple[str, ...] | None = Field(default=None, max_length=20_000)
    status: str = ""
    field: str = ""
    search: str = ""
    guard: str = ""
    reason: str = ""
    by: str = ""
    word: str = ""
    again: bool = False
    later: bool = False
    least: Decimal | None = Field(default=None, max_digits=12, decimal_places=2)
    most: Decimal | None = Field(default=None, max_digits=12, decimal_places=2)


class Verdict(BaseModel):
    """Lines are written, or not; with ``field`` this one of what they change. A new product is
    decided as a whole: what is said of a field says nothing of it.

    What guards hold is written only once it is let through (*release*), for a ``reason``: by one
    guard where the lines are those of its finding, by all otherwise. *correct* has a ``field`` of
    these products hold another ``value``, null for none; with ``keep`` it is kept by hand. What is
    declined with ``remember`` stays so in the deliveries to come, until they say another value.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    verdict: Literal["accept", "decline", "release", "correct"]
    of: Chosen
    field: str = ""
    reason: str = Field(default="", max_length=500)
    value: str | None = None
    keep: bool = False
    remember: bool = False

    @model_validator(mode="after")
    def _something(self) -> Verdict:
        if self.of.keys == ():
            raise ValueError("a decision names products, or a filter")
        if self.verdict == "release" and not self.reason.strip():
            raise ValueError("what a guard holds is let through for a reason")
        if self.verdict == "correct" and not (self.field and self.of.keys):
            raise ValueError("a value is corrected in a field of products that are named")
        return self


class Verdicts:
    """Rules over a changeset of ``height`` lines, of which guards hold those at the places in
    ``held``. Of a field the last rule counts that is about it, or about the whole line."""

    def __init__(self, height: int, held: Mapping[str, pl.Series] | None = None) -> None:
        """None yet."""
        #: How many lines each rule is about.
        self.lines: list[int] = []
        self._rules: list[Verdict] = []
        self._declines = np.array([False])
        self._none = np.full(height, -1, dtype=np.int32)
        #: The last rule about each line, by the field that it is about ("" for all); -1 for none.
        self._last: dict[str, np.ndarray] = {}
        #: The same of corrections.
        self._corrected: dict[str, np.ndarray] = {}
        #: Which lines each guard still holds.
        self._held = {guard: self._mask(places) for guard, places in (held or {}).items()}

    def _mask(self, places: pl.Series) -> np.ndarray:
        mask = np.zeros(self._none.size, dtype=bool)
        mask[places.to_numpy()] = True
        return mask

    def after(self, rule: Verdict, places: pl.Series) -> Verdicts:
        """The same with one rule more, about the lines at these places."""
        made = Verdicts(0)
        made._none, made.lines = self._none, [*self.lines, places.len()]
        made._rules = [*self._rules, rule]
        made._declines = np.array([*self._declines[:-1], rule.verdict == "decline", False])
        made._last, made._corrected, made._held = self._last, self._corrected, self._held
        if rule.verdict == "release":
            through, own = ~self._mask(places), rule.of.guard
            made._held = {
                guard: held & through if own in ("", guard) else held
                for guard, held in self._held.items()
            }
            return made
        made._last = self._numbered(self._last, rule, places)
        if rule.verdict == "correct":
            made._corrected = self._numbered(self._corrected, rule, places)
        return made

    def _numbered(
        self, of: dict[str, np.ndarray], rule: Verdict, places: pl.Series
    ) -> dict[str, np.ndarray]:
        last = of.get(rule.field, self._none).copy()
        last[places.to_numpy()] = len(self.lines)
        return of | {rule.field: last}

    def __bool__(self) -> bool:
        """Whether anything is written otherwise than it was prepared."""
        return bool(self._declines.any() or self._corrected) or any(
            held.any() for held in self._held.values()
        )

    def declined(self, field: str = "") -> pl.Series:
        """Whether each line may not write a field; of "" whether it is declined as a whole."""
        whole = self._last.get("", self._none)
        own = self._last.get(field, self._none) if field else whole
        return pl.Series(self._declines[np.maximum(whole, own)])

    def held(self, guard: str = "") -> pl.Series:
        """Whether each line is held by a guard; of "" by any."""
        own = [held for name, held in self._held.items() if guard in ("", name)]
        none = np.zeros(self._none.size, dtype=bool)
        return pl.Series(np.logical_or.reduce([none, *own]))

    def apart(self) -> pl.Series:
        """Where lines stand of which a field is decided by itself."""
        own = [last >= 0 for field, last in self._last.items() if field]
        mask = np.logical_or.reduce(own) if own else np.zeros(self._none.size, dtype=bool)
        return pl.Series(np.flatnonzero(mask))

    @property
    def corrects(self) -> list[str]:
        """The fields of which values are corrected."""
        return list(self._corrected)

    def corrected(self, lines: pl.DataFrame, at: pl.Series) -> pl.DataFrame:
        """Lines, which stand ``at`` these places, with the values that people would have instead
        of those prepared, of what is new or changed. They have ``old:`` and ``new:`` of all fields
        in ``corrects`` that the changeset has."""
        for field, rules in self._corrected.items():
            if NEW + field not in lines.columns:
                continue
            rule = pl.Series("__rule", rules).gather(at)
            values = pl.Series([one.value for one in self._rules], dtype=pl.String)
            told = values.gather(rule.set(rule < 0, None)).alias("__value")
            own = pl.col("__own") & pl.col("status").is_in(["new", "changed"])
            lines = lines.with_columns(told, (rule >= 0).alias("__own"))
            lines = lines.with_columns(
                pl.when(own).then("__value").otherwise(NEW + field).alias(NEW + field),
                # A day is of the value that was to come.
                *(
                    pl.when(own).then(pl.col(LATER).list.set_difference([field]))
                    .otherwise(LATER).alias(LATER)
                    for _ in [0] if LATER in lines.columns
                ),
            )  # fmt: skip
            differs = pl.col(NEW + field).ne_missing(pl.col(OLD + field))
            others = pl.col("fields").list.set_difference([field])
            with_it = others.list.concat(pl.lit([field], pl.List(pl.String)))
            both = pl.when(differs).then(with_it).otherwise(others)
            lines = lines.with_columns(pl.when(own).then(both).otherwise("fields").alias("fields"))
            lines = lines.drop("__value", "__own")
        return lines

    def kept(self) -> list[tuple[str, tuple[str, ...]]]:
        """Fields, and the products in which their corrections are kept by hand."""
        return [
            (rule.field, rule.of.keys or ())
            for rule in self._rules
            if rule.verdict == "correct" and rule.keep
        ]

    def remembered(self, lines: pl.DataFrame, at: pl.Series) -> pl.DataFrame:
        """Of lines as they were prepared, which stand ``at`` these places: the values of products
        that are there, declined until another comes, as ``remembered.REMEMBERED``."""
        until = self._until
        nothing = pl.DataFrame(schema=REMEMBERED)
        if not until.any():
            return nothing
        lists = [c for c in ("fields", LATER) if c in lines.columns]
        there = pl.col("status") == "changed"
        found = [nothing]
        for name in sorted({n for c in lists for n in lines[c].explode().drop_nulls().unique()}):
            last = np.maximum(self._last.get("", self._none), self._last.get(name, self._none))
            own = pl.Series(until[last]).gather(at)
            writes = pl.any_horizontal(
                pl.col(c).list.contains(name).fill_null(False) for c in lists
            )
            value = pl.col(NEW + name).alias("value")
            told = lines.filter(own).filter(there & writes)
            found.append(told.select("key", pl.lit(name).alias("field"), value))
        return pl.concat(found)

    @property
    def _until(self) -> np.ndarray:
        """Which rules decline until another value comes; none about a line at the end."""
        return np.array([*(r.verdict == "decline" and r.remember for r in self._rules), False])

    def not_made(self, lines: pl.DataFrame, at: pl.Series, key: str) -> pl.DataFrame:
        """Of the same lines the articles whose products are not to be made, as
        ``remembered.ARTICLES``; those without a number cannot be told again."""
        own = pl.Series(self._until[self._last.get("", self._none)]).gather(at)
        told = lines.filter(own).filter(pl.col("status") == "new").drop_nulls(OF_ARTICLE)
        if not told.height:
            return pl.DataFrame(schema=ARTICLES)
        return told.select(pl.col(OF_ARTICLE).alias("article"), said_by(told, key))

    def left(self, lines: pl.DataFrame, at: pl.Series) -> pl.DataFrame:
        """Lines, which stand ``at`` these places, with what they still write in ``fields`` and
        ``later``, in ``declined`` what they do not, and whether they are ``held``."""
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
        marked = lines.with_columns(*marks, self.held().gather(at).alias(HELD)).with_columns(
            (pl.concat_list(told).list.drop_nulls() if told else none).alias(DECLINED)
        )
        return marked.with_columns(
            pl.when(HELD).then(none).otherwise(pl.col(c).list.set_difference(DECLINED)).alias(c)
            for c in lists
        ).select(*lines.columns, DECLINED, HELD)
