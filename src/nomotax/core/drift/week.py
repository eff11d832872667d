"""A delivery beside the last one: what a detector looks at."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import polars as pl

from nomotax.core.drift.aligning import Aligned
from nomotax.core.drift.cells import Figures, Mask, counted, figures
from nomotax.core.drift.imprint import ColumnImprint, Imprint, Table
from nomotax.core.drift.model import percent
from nomotax.core.drift.moves import Moves, Usual, usual

#: A column of so few words divides the goods into parts.
_PARTS = 60


@dataclass(frozen=True)
class Beside:
    """The cells of one column: ``old`` and ``new`` of the rows that are in both deliveries, and
    those of ``fresh`` rows. ``was`` is what it has been in the last delivery, ``earlier`` in those
    before, the newest last; ``usual`` how it has moved."""

    name: str
    called: str
    old: pl.Series
    new: pl.Series
    fresh: pl.Series
    was: ColumnImprint
    now: ColumnImprint
    earlier: Sequence[ColumnImprint]
    usual: Usual

    @cached_property
    def changed(self) -> Mask:
        return self.old.ne_missing(self.new).to_numpy()

    @cached_property
    def emptied(self) -> Mask:
        return (self.old.is_not_null() & self.new.is_null()).to_numpy()

    @cached_property
    def coming(self) -> pl.Series:
        """Filled cells that were not there before: changed ones and those of fresh rows."""
        changed = self.new.filter(pl.Series(self.changed))
        return pl.concat([changed, self.fresh]).drop_nulls()

    @cached_property
    def filled(self) -> int:
        """Filled cells of the new delivery, in all rows looked at."""
        return self.now.filled

    @cached_property
    def figures(self) -> tuple[Figures, Figures]:
        """The numbers before and now. What has not changed is the number that it was."""
        old = figures(self.old, self.was.mark)
        if self.was.mark != self.now.mark:
            return old, figures(self.new, self.now.mark)
        new, changed = old.copy(), np.flatnonzero(self.changed)
        new[changed] = figures(self.new.gather(changed), self.now.mark)
        return old, new

    @cached_property
    def ratios(self) -> Figures:
        """The logarithms of now over before, not-a-number where one is not above zero. What is
        only a matter of rounding (one unit of the last place) has not moved."""
        old, new = self.figures
        with np.errstate(divide="ignore", invalid="ignore"):
            found = np.log(new) - np.log(old)
        found[~((old > 0) & (new > 0))] = np.nan
        unit = 10.0 ** -max(self.was.places, self.now.places)
        with np.errstate(invalid="ignore"):
            found[np.abs(new - old) <= 1.01 * unit] = 0.0
        return found

    @cached_property
    def known(self) -> frozenset[str] | None:
        """Every word that was ever there, folded; None where there were too many."""
        seen: set[str] = set()
        for one in self.earlier:
            if one.words is None:
                return None
            seen.update(w.casefold() for w in one.words)
        return frozenset(seen)

    @cached_property
    def quantity(self) -> bool:
        """Whether its numbers count pieces: whole ones that jump from week to week, as stocks
        do and prices never."""
        if not self.was.numeric or self.was.whole < 0.98 or self.was.places > 0:
            return False
        ever_zero = any(c.zero > 0 for c in self.earlier)
        if self.usual.weeks and self.usual.changed > 0:
            leaps = self.usual.farthest > 1.2 or self.usual.changed > 0.4
            return self.usual.steps >= 0.14 and (ever_zero or leaps)
        return ever_zero or self._scattered

    @cached_property
    def few(self) -> bool:
        """Whether its numbers are a list of a few: rates of tax, sizes of packs, yes and no as 1
        and 0. They are words, and no amounts."""
        few = self.was.distinct <= 6 and self.was.filled >= 5 * self.was.distinct
        whole = self.was.numeric and self.was.whole > 0.99
        return few and whole and self.usual.unseen < 0.01 and not self.quantity

    @property
    def _scattered(self) -> bool:
        """Whether many of its numbers moved, each by a factor of its own."""
        moved = self.ratios[np.isfinite(self.ratios) & (self.ratios != 0)]
        if len(moved) < max(3, 0.15 * self.old.len()):
            return False
        return float(np.quantile(np.abs(moved - np.median(moved)), 0.75)) > 0.09


@dataclass(frozen=True)
class Week:
    """The new delivery (``table``, ``now``), the ``last`` one (``was``), what is known of all
    ``before`` (the oldest first, the last among them), how rows are ``aligned``, and which column
    is which (``pairs``: the last one's name to the new one's)."""

    table: Table
    now: Imprint
    last: Table
    was: Imprint
    before: Sequence[Imprint]
    aligned: Aligned
    pairs: Mapping[str, str] = field(default_factory=dict)

    @cached_property
    def moves(self) -> list[Moves]:
        """How earlier deliveries were to those before them."""
        return [one.moves for one in self.before if one.moves is not None]

    @property
    def both(self) -> int:
        return len(self.aligned.at_new)

    @cached_property
    def known(self) -> float:
        """The share of rows whose article the last delivery had, too."""
        return self.both / self.now.rows if self.now.rows else 0.0

    def beside(self, name: str) -> Beside:
        """One column of the last delivery and what it is by now."""
        called = self.pairs[name]
        cells = self.table[called]
        return Beside(
            name=name,
            called=called,
            old=self.last[name].gather(self.aligned.at_old),
            new=cells.gather(self.aligned.at_new),
            fresh=cells.gather(self.aligned.fresh),
            was=self.was.by_name[name],
            now=self.now.by_name[called],
            earlier=[one.by_name[name] for one in self.before if name in one.by_name],
            usual=usual(name, self.moves),
        )

    @cached_property
    def parts(self) -> list[tuple[str, pl.Series]]:
        """Columns that divide the goods, with the words of aligned rows as they were before."""
        found = []
        for one in self.was.columns:
            few = 2 <= one.distinct <= min(_PARTS, max(3, one.filled // 3))
            if few and one.number < 0.5 and one.date < 0.5 and one.name in self.pairs:
                found.append((one.name, self.last[one.name].gather(self.aligned.at_old)))
        return found

    def part_of(self, hit: Mask, among: Mask | None = None) -> str:
        """The part of the goods that ``hit`` (of aligned rows) is nearly all of, in words; ""
        where it is spread over them, or all there is. ``among`` are the rows that could be hit."""
        if not hit.any() or hit.mean() > 0.9:
            return ""
        for name, words in self.parts:
            inside = words.filter(pl.Series(hit)).drop_nulls()
            if not inside.len():
                continue
            word, n = counted(inside)[0]
            inside_part = (words == word).fill_null(value=False).to_numpy()
            there = int((inside_part if among is None else inside_part & among).sum())
            if n >= 0.9 * hit.sum() and n >= 0.8 * there and n >= 3:
                return f"{name} '{word}'"
        return ""

    def in_part(self, hit: Mask, among: Mask | None = None) -> str:
        """The same as the end of a sentence."""
        part = self.part_of(hit, among)
        return f", all of them with {part}" if part else ""

    def of_rows(self, n: int) -> str:
        """A number of rows, and which share of all that is."""
        if n == self.now.rows:
            return f"all {n:,} rows"
        return f"{n:,} of {self.now.rows:,} rows ({percent(n, self.now.rows)})"
