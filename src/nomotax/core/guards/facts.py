"""What guards look at: a changeset, and what the deliveries before it were like."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import polars as pl

from nomotax.core.changes.later import LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.contract.checking import Breach
from nomotax.core.drift.model import DriftFinding
from nomotax.core.kinds import FieldKind
from nomotax.core.numbers import NUMBER
from nomotax.core.schema.model import Role, StoreField, StoreSchema

#: Where a line stands in its changeset.
PLACE = "place"
#: Of fewer values than these nothing is told.
_FEW = 5
#: A field holds words rather than texts where its values are so short and of so few kinds.
_SHORT, _KINDS = 60, 5
#: So many values tell what kind of field it is.
_SAMPLE = 20_000
#: Lines of products that the store has.
KNOWN = pl.col("status").is_in(["changed", "same"])
#: Lines that write something, where their fields are any.
WRITES = pl.col("status").is_in(["new", "changed", "gone"])


@dataclass(frozen=True)
class Earlier:
    """A delivery of the same feed that was applied: its rows, and in how many a field was filled;
    empty where that was not counted."""

    rows: int
    filled: Mapping[str, int] = field(default_factory=dict)


class Strange(NamedTuple):
    """Words of a field that are new to the store, and where the lines stand that have them."""

    field: StoreField
    words: pl.Series
    places: pl.Series


@dataclass(frozen=True)
class Facts:
    """A changeset of ``lines`` as ``Comparison.judge`` gives them, its ``counts`` by status, and in
    how many rows each field was ``filled``. ``earlier`` are the deliveries applied before it, the
    newest first. ``words`` gives the values that products of the store have in some fields; None
    where that is not known any more. A ``trial`` has only some of the rows. ``unusual`` is what the
    delivery has been found to be beside those before it, ``breaches`` in what it breaks its feed's
    contract."""

    lines: pl.LazyFrame
    schema: StoreSchema
    counts: Mapping[str, int]
    filled: Mapping[str, int]
    earlier: Sequence[Earlier] = ()
    words: Callable[[Sequence[str]], Mapping[str, pl.Series]] | None = None
    trial: bool = False
    unusual: Sequence[DriftFinding] = ()
    breaches: Sequence[Breach] = ()

    @cached_property
    def columns(self) -> list[str]:
        return self.lines.collect_schema().names()

    @property
    def rows(self) -> int:
        """Rows that arrived, each counted for every product that it is about."""
        return sum(n for status, n in self.counts.items() if status != "gone")

    def both(self, one: StoreField) -> bool:
        """Whether there is something to compare of a field."""
        return {OLD + one.name, NEW + one.name} <= {*self.columns}

    def with_role(self, role: Role) -> StoreField | None:
        """The field that plays a role, where the changeset has it."""
        one = self.schema.with_role(role)
        return one if one is not None and self.both(one) else None

    def compared(self, of: Callable[[StoreField], bool]) -> Iterator[StoreField]:
        """The fields of which the changeset has old and new values, and that some line writes."""
        return (
            f for f in self.schema.fields if of(f) and self.both(f) and self.touched.get(f.name)
        )

    @cached_property
    def strange(self) -> list[Strange]:
        """By field, the words that lines would write and no product of the store has; nothing of a
        feed's first delivery, all of which may be new."""
        if self.words is None or not self.earlier:
            return []
        written = self.touched if not self.counts.get("new") else self.schema
        asked = [one for one in self.schema.fields if _may_hold_words(one) and self.both(one)]
        asked = [one for one in asked if one.name in written]
        known = self.words([one.name for one in asked])
        found = (self._strange(one, known[one.name]) for one in asked)
        return [one for one in found if one is not None and one.words.len()]

    def _strange(self, one: StoreField, known: pl.Series) -> Strange | None:
        if not _are_words(one, known):
            return None
        there = known.drop_nulls().unique()
        strange = pl.col(NEW + one.name).is_in(there.implode()).not_()
        found = self.take(
            pl.col(NEW + one.name).alias("word"),
            where=WRITES & self.touches(one.name) & strange,
        )
        return Strange(one, found["word"].drop_nulls().unique(maintain_order=True), found[PLACE])

    @cached_property
    def _lists(self) -> list[str]:
        return [c for c in ("fields", LATER) if c in self.columns]

    @property
    def _all_new(self) -> bool:
        """Nothing of what the store has is written: the names of fields, the most of a changeset,
        need not be read."""
        return not any(self.counts.get(status) for status in ("changed", "gone"))

    @cached_property
    def touched(self) -> Mapping[str, int]:
        """How many lines of products that are there write each field, now or on its day: what none
        does is not looked at. A new product writes all that it has."""
        counts: dict[str, int] = {}
        if self._all_new:
            return counts
        for column in self._lists:
            there = self.lines.filter(pl.col("status") != "new")
            names = there.select(pl.col(column).explode().alias("name")).drop_nulls()
            for name, count in names.group_by("name").len().collect().iter_rows():
                counts[name] = counts.get(name, 0) + count
        return counts

    def touches(self, name: str) -> pl.Expr:
        """Whether a line that writes something writes a field, now or on its day."""
        if self._all_new:
            return pl.lit(True)
        return pl.any_horizontal(
            pl.col(c).list.contains(name).fill_null(False) for c in self._lists
        )

    def take(self, *what: pl.Expr, where: pl.Expr) -> pl.DataFrame:
        """These of the lines, with the place of each."""
        placed = self.lines.with_row_index(PLACE)
        return placed.filter(where).select(PLACE, *what).collect()


def _may_hold_words(one: StoreField) -> bool:
    return one.kind in (FieldKind.TEXT, FieldKind.CATEGORY, FieldKind.CHOICE) and not one.unique


def _are_words(one: StoreField, values: pl.Series) -> bool:
    """Whether the values of a field are words that many products share, as a maker's name is."""
    if one.kind is not FieldKind.TEXT:
        return True
    there = values.drop_nulls()
    there = there.gather_every(max(1, there.len() // _SAMPLE))
    if there.len() < _FEW or one.role is not None:
        return False
    longest = there.str.len_chars().quantile(0.9) or 0
    return there.n_unique() * _KINDS <= there.len() and longest <= _SHORT


def number(column: str) -> pl.Expr:
    """A column of texts as exact numbers, null where it holds none."""
    return pl.col(column).cast(NUMBER, strict=False)


def whole(column: str) -> pl.Expr:
    """The same in whole units of the last place that a number keeps, in 128 bits: what is worked
    out of them is exact up to a thousand million million."""
    return number(column).to_physical()


def rough(column: str) -> pl.Expr:
    """The same as floats, for what is statistics."""
    return pl.col(column).cast(pl.Float64, strict=False)
