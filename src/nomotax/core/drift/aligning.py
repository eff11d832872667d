"""Which row of the last delivery is which of this one."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nomotax.core.drift.imprint import ColumnImprint, Imprint, Table

Rows = NDArray[np.int64]

#: A column tells rows apart where nearly all of its cells are filled and different.
_FILLED, _DIFFERENT = 0.8, 0.9
#: So much better must another column be than one that stands before it.
_BETTER = 0.05


@dataclass(frozen=True)
class Aligned:
    """Rows that are the same article: ``at_new`` and ``at_old`` are of one length, ``exact`` says
    which were found by the key as it is written. ``fresh`` and ``gone`` are the others. ``key`` is
    the last delivery's column, ``key_now`` what it is called in this one ("" if it is not
    there)."""

    key: str
    key_now: str
    at_new: Rows
    at_old: Rows
    exact: NDArray[np.bool_]
    fresh: Rows
    gone: Rows


def candidates(of: Imprint) -> list[str]:
    """Columns that may tell rows apart, in their order. Plain numbers are amounts or measures, as
    long as there is anything else."""
    apart = [c for c in of.columns if _tells_apart(c, of.rows)]
    sure = [c.name for c in apart if c.number < 0.5 or c.coded]
    return sure or [c.name for c in apart if c.whole >= 0.999 and c.distinct == c.filled][:1]


def _tells_apart(column: ColumnImprint, rows: int) -> bool:
    filled = column.filled >= max(1, _FILLED * rows)
    return filled and column.distinct >= _DIFFERENT * column.filled and column.date < 0.5


def key_of(last: Table, was: Imprint, new: Table) -> str:
    """The column of the last delivery by which its articles are known: the one by which most rows
    of the new one are found again, of equals the foremost. "" where no column tells rows apart."""
    names = candidates(was)
    if was.key in names:
        return was.key
    scores = {name: _overlap(last[name], new[name]) for name in names if name in new.columns}
    if not scores:
        return names[0] if names else ""
    best = max(scores.values())
    return next(n for n, score in scores.items() if score >= best - _BETTER)


def _overlap(old: pl.Series, new: pl.Series) -> float:
    """The share of new cells that were there before."""
    filled = new.drop_nulls()
    return float(filled.is_in(old.implode()).mean() or 0.0) if filled.len() else 0.0  # type: ignore[arg-type]


def align(last: Table, was: Imprint, new: Table, now: Imprint) -> Aligned:
    """Find the rows of the last delivery in the new one: by the key as it is, then by the key
    without its writing (zeros, signs, letters before it), then by other columns that tell rows
    apart, where those have kept their names."""
    key = key_of(last, was, new)
    key_now = key if key in new.columns else _renamed_key(key, last, new, now)
    found = _Finding(last.rows, new.rows)
    if key_now:
        old_cells, new_cells = last[key], new[key_now]
        found.join(old_cells, new_cells)
        found.exact = len(found.at_new)
        for way in WRITINGS:
            if not found.open:
                break
            found.join(old_cells, new_cells, way)
    others = [c for c in candidates(was) if c != key]
    for name in others:
        if not found.open:
            break
        now_called = name if name in new.columns else ("" if key_now else name)
        if now_called in new.columns:
            found.join(last[name], new[now_called])
    if not key and not others:
        found.by_place()
    return found.done(key, key_now)


def _renamed_key(key: str, last: Table, new: Table, now: Imprint) -> str:
    """A column of the new delivery that holds the keys of the last one."""
    if not key:
        return ""
    old = last[key]
    scores = {
        c.name: _overlap(old, new[c.name])
        for c in now.columns
        if c.distinct >= 0.5 * max(1, now.rows)
    }
    best = max(scores, key=lambda n: scores[n], default="")
    return best if best and scores[best] >= 0.5 else ""


def _bare(cells: pl.Expr) -> pl.Expr:
    """Letters and digits alone, in one case, without zeros in front and a decimal part."""
    plain = cells.str.replace(r"[.,]0+$", "").str.to_uppercase()
    return plain.str.replace_all(r"[^\p{L}\p{N}]", "").str.strip_chars_start("0")


def _digits(cells: pl.Expr) -> pl.Expr:
    """Its digits alone, where there are enough of them."""
    only = cells.str.replace_all(r"\D", "")
    return pl.when(only.str.len_chars() >= 3).then(only.str.strip_chars_start("0"))


#: How a key may be written otherwise, the strictest first.
_Way = Callable[[pl.Expr], pl.Expr]
WRITINGS: tuple[_Way, ...] = (_bare, _digits)


def _by(way: _Way, cells: pl.Series) -> pl.Series:
    made = pl.DataFrame({"k": cells}).select(way(pl.col("k")).alias("k")).to_series()
    return made.set(made == "", None)


class _Finding:
    """Pairs found so far, and the rows that are still open."""

    def __init__(self, old_rows: int, new_rows: int) -> None:
        self.at_old = np.empty(0, dtype=np.int64)
        self.at_new = np.empty(0, dtype=np.int64)
        self.old = np.arange(old_rows)
        self.new = np.arange(new_rows)
        self.exact = 0

    @property
    def open(self) -> bool:
        return bool(len(self.old) and len(self.new))

    def join(self, old_keys: pl.Series, new_keys: pl.Series, way: _Way | None = None) -> None:
        """Pair open rows of equal keys, or of keys that are equal when written in one ``way``; the
        second of a repeated one with the second."""
        old = _numbered(old_keys.gather(self.old), self.old, way)
        new = _numbered(new_keys.gather(self.new), self.new, way)
        both = new.join(old, on=["k", "n"], how="inner", suffix="_old")
        self._take(both["at_old"].to_numpy(), both["at"].to_numpy())

    def by_place(self) -> None:
        """Pair rows by where they stand, when nothing tells them apart."""
        most = min(len(self.old), len(self.new))
        self._take(self.old[:most], self.new[:most])

    def _take(self, old: Rows, new: Rows) -> None:
        self.at_old = np.concatenate([self.at_old, old])
        self.at_new = np.concatenate([self.at_new, new])
        self.old = np.setdiff1d(self.old, old, assume_unique=True)
        self.new = np.setdiff1d(self.new, new, assume_unique=True)

    def done(self, key: str, key_now: str) -> Aligned:
        exact = np.arange(len(self.at_new)) < self.exact
        order = np.argsort(self.at_new, kind="stable")
        return Aligned(
            key=key,
            key_now=key_now,
            at_new=self.at_new[order],
            at_old=self.at_old[order],
            exact=exact[order],
            fresh=self.new,
            gone=self.old,
        )


def _numbered(keys: pl.Series, at: Rows, way: _Way | None) -> pl.DataFrame:
    """Open rows with their key, and which of its repetitions they are."""
    frame = pl.DataFrame({"k": _by(way, keys) if way else keys, "at": at}).drop_nulls("k")
    if frame["k"].n_unique() == frame.height:
        return frame.with_columns(pl.lit(0, dtype=pl.Int64).alias("n"))
    return frame.with_columns(pl.int_range(pl.len()).over("k").alias("n"))


def repeated(cells: Iterable[pl.Series]) -> int:
    """Rows beyond the first of each key."""
    columns = list(cells)
    if not columns:
        return 0
    frame = pl.DataFrame({str(i): c for i, c in enumerate(columns)}).drop_nulls()
    return frame.height - frame.n_unique()
