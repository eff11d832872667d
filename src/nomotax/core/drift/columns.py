"""Columns that are gone, new, called otherwise, or have changed places."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
import polars as pl
from numpy.typing import NDArray
from rapidfuzz import fuzz
from scipy.optimize import linear_sum_assignment

from nomotax.core.drift.aligning import Aligned
from nomotax.core.drift.cells import figures
from nomotax.core.drift.imprint import ColumnImprint, Imprint, Table
from nomotax.core.drift.model import DriftFinding
from nomotax.core.drift.moves import ORDINARY
from nomotax.core.drift.week import Beside, Week

#: So many rows are compared to tell whether a column is another one.
_LOOKED = 4000
#: A column that is filled in less than this says little.
_SELDOM = 0.2
#: So much more alike than by chance are the cells of a column that has another name.
_ALIKE, _ABOVE_CHANCE, _NAMES_ALIKE = 0.5, 0.25, 85.0


def paired(last: Table, was: Imprint, new: Table, now: Imprint, rows: Aligned) -> dict[str, str]:
    """Which column of the new delivery each of the last one is; those that are gone are left out.
    One of another name is known by its cells, which are those of the same articles."""
    pairs = {name: name for name in last.columns if name in new.columns}
    gone = [name for name in last.columns if name not in pairs]
    come = [name for name in new.columns if name not in pairs]
    if gone and come:
        pairs |= _renamed(gone, come, last, was, new, now, rows)
    return {name: pairs[name] for name in last.columns if name in pairs}


def _renamed(
    gone: Sequence[str],
    come: Sequence[str],
    last: Table,
    was: Imprint,
    new: Table,
    now: Imprint,
    rows: Aligned,
) -> Mapping[str, str]:
    step = len(rows.at_old) // _LOOKED + 1
    at_old, at_new = rows.at_old[::step], rows.at_new[::step]
    old = {n: last[n].gather(at_old) for n in gone}
    fresh = {n: new[n].gather(at_new) for n in come}
    scores = np.zeros((len(gone), len(come)))
    for i, one in enumerate(gone):
        for j, other in enumerate(come):
            if one == rows.key and other == rows.key_now:
                scores[i, j] = 3.0
                continue
            two = was.by_name[one], now.by_name[other]
            placed = _same_place(one, other, last.columns, new.columns) and _same_kind(*two)
            scores[i, j] = _alike(old[one], fresh[other], *two, placed)
    pairs: dict[str, str] = {}
    for i, j in zip(*linear_sum_assignment(-scores), strict=True):
        if scores[i, j] > 0:
            pairs[gone[i]] = come[j]
    return pairs


def _alike(
    old: pl.Series,
    new: pl.Series,
    was: ColumnImprint,
    now: ColumnImprint,
    placed: bool,
) -> float:
    """How much a new column is an old one, 0 where it is another. ``placed`` ones stand where the
    old one stood and hold the same kind of cells: a stock is another every week, and is known by
    that."""
    named = fuzz.WRatio(was.name.casefold(), now.name.casefold())
    bonus = 0.2 if named >= _NAMES_ALIKE else 0.0
    filled = (old.is_not_null() | new.is_not_null()).to_numpy()
    if filled.sum() < 3:
        both_empty = was.filled == 0 and now.filled == 0
        return bonus if named >= _NAMES_ALIKE or (both_empty and named >= 60) else 0.0
    same = _same(old, new, was, now)
    alike = float(same[filled].mean())
    turned = _same(old, new.shift(1, fill_value=new[-1]), was, now)
    by_chance = float(turned[filled].mean())
    if alike >= _ALIKE and (alike - by_chance >= _ABOVE_CHANCE or alike >= 0.98):
        return alike + (alike - by_chance) + bonus
    if bonus and alike >= 0.3:
        return alike + bonus
    if placed and (alike - by_chance >= 0.05 or (was.numeric and was.distinct > 3)):
        return 0.1 + alike
    return 0.0


def _same_place(one: str, other: str, before: Sequence[str], after: Sequence[str]) -> bool:
    """Whether two columns stand at one place, or between the same neighbours."""
    i, j = before.index(one), after.index(other)
    left = before[i - 1 : i] == after[j - 1 : j]
    right = before[i + 1 : i + 2] == after[j + 1 : j + 2]
    return (i == j and len(before) == len(after)) or (left and right)


def _same_kind(was: ColumnImprint, now: ColumnImprint) -> bool:
    """Whether two columns hold cells of one kind and about one size."""
    kinds = abs(was.number - now.number) < 0.2 and abs(was.date - now.date) < 0.2
    length = 0.5 < (was.length + 1) / (now.length + 1) < 2
    size = abs(was.middle - now.middle) < 1.2 and abs(was.whole - now.whole) < 0.3
    return kinds and length and size and was.coded == now.coded


def _same(
    old: pl.Series, new: pl.Series, was: ColumnImprint, now: ColumnImprint
) -> NDArray[np.bool_]:
    """Which cells are the same; numbers that moved as prices do, or all by one factor, are."""
    same = (old == new).fill_null(value=False).to_numpy().copy()
    if not (was.numeric and now.numeric) or same.mean() > 0.9:
        return same
    with np.errstate(divide="ignore", invalid="ignore"):
        ratio = np.log(figures(new, now.mark)) - np.log(figures(old, was.mark))
    known = ratio[np.isfinite(ratio)]
    if len(known) >= 3:
        same |= np.nan_to_num(np.abs(ratio - np.median(known)), nan=9.0) < ORDINARY
    return same


def gone_and_new(week: Week) -> Iterator[DriftFinding]:
    """Columns that are there no more, and those that are new."""
    for one in week.was.columns:
        if one.name not in week.pairs:
            yield _gone(week, one)
    taken = set(week.pairs.values())
    for one in week.now.columns:
        if one.name not in taken:
            yield _new(week, one)


def _gone(week: Week, one: ColumnImprint) -> DriftFinding:
    always = all(one.name in imprint.by_name for imprint in week.before)
    filled = max((i.by_name[one.name].filled / max(1, i.rows) for i in week.before
                  if one.name in i.by_name), default=0.0)  # fmt: skip
    key = one.name == week.was.key
    heavy = always and (filled > _SELDOM or key)
    usually = f"; {one.filled:,} rows had something in it" if one.filled else "; it was empty"
    return DriftFinding(
        kind="column_gone",
        severity="hold" if key and heavy else "warn" if heavy else "note",
        column=one.name,
        rows=one.filled,
        said=f"The column '{one.name}' is not there any more{usually}. Ask the supplier whether it "
        "went by mistake, or fill its fields from another column.",
    )


def _new(week: Week, one: ColumnImprint) -> DriftFinding:
    before = any(one.name in imprint.by_name for imprint in week.before)
    known = " It was there in earlier deliveries." if before else ""
    return DriftFinding(
        kind="column_new",
        severity="note",
        column=one.name,
        rows=one.filled,
        said=f"The column '{one.name}' is new; {one.filled:,} rows have something in it.{known}",
    )


def renamed(week: Week) -> Iterator[DriftFinding]:
    """Columns of another name with the same kind of cells."""
    for name, called in week.pairs.items():
        if called != name:
            yield DriftFinding(
                kind="column_renamed",
                severity="hold" if name == week.was.key else "warn",
                column=name,
                to=called,
                rows=week.now.by_name[called].filled,
                said=f"'{name}' is called '{called}' now; its cells are those of before. Take the "
                "new name, and everything goes on as it was.",
            )


def shuffled(week: Week, columns: Sequence[Beside]) -> Iterator[DriftFinding]:
    """Columns whose cells stand in each other's place. ``columns`` are those of which cells have
    changed."""
    moved: dict[tuple[int, int], NDArray[np.bool_]] = {}
    for i, one in enumerate(columns):
        for j, other in enumerate(columns):
            if i != j:
                moved[i, j] = _came_from(one, other)
    told: set[int] = set()
    for i, one in enumerate(columns):
        for j in range(i + 1, len(columns)):
            both = moved[i, j] & moved[j, i]
            if _enough(week, both) and not {i, j} & told:
                told |= {i, j}
                yield _swapped(week, one, columns[j], both)
    yield from _shifted(week, columns, moved, told)


def _enough(week: Week, rows: NDArray[np.bool_]) -> bool:
    return bool(rows.sum() >= max(3, 0.02 * len(rows)))


def _came_from(one: Beside, other: Beside) -> NDArray[np.bool_]:
    """Rows in which a cell of ``one`` holds what was in ``other``, and is not what it was."""
    if one.was.numeric and other.was.numeric:
        new, there, own = one.figures[1], other.figures[0], one.figures[0]
        with np.errstate(divide="ignore", invalid="ignore"):
            near = np.abs(np.log(new) - np.log(there)) < ORDINARY
            far = np.abs(np.log(new) - np.log(own)) > 2 * ORDINARY
            differ = np.abs(np.log(own) - np.log(there)) > 2 * ORDINARY
        found: NDArray[np.bool_] = near & far & differ
        return found if not (one.quantity and other.quantity) else found & (new == there)
    same = (one.new == other.old).fill_null(value=False).to_numpy()
    return same & one.changed


def _swapped(week: Week, one: Beside, other: Beside, rows: NDArray[np.bool_]) -> DriftFinding:
    hits = int(rows.sum())
    return DriftFinding(
        kind="shuffled_columns",
        severity="hold" if rows.mean() > 0.5 else "warn",
        column=one.name,
        to=other.name,
        rows=hits,
        said=f"'{one.name}' and '{other.name}' have changed places in {week.of_rows(hits)}"
        f"{week.in_part(rows)}: each holds what was in the other. Ask for the file anew.",
    )


def _shifted(
    week: Week,
    columns: Sequence[Beside],
    moved: Mapping[tuple[int, int], NDArray[np.bool_]],
    told: set[int],
) -> Iterator[DriftFinding]:
    """Cells that slipped into the next column, as when a delimiter is lost or one too many."""
    slipped = [
        (i, j, rows)
        for (i, j), rows in moved.items()
        if _enough(week, rows) and not {i, j} & told and columns[i].was.distinct > 3
    ]
    if len({i for i, _, _ in slipped}) < 3:
        return
    first = min(i for i, _, _ in slipped)
    rows = np.logical_or.reduce([r for i, _, r in slipped if i == first])
    names = [columns[i].name for i in sorted({i for i, _, _ in slipped})]
    hits = int(rows.sum())
    yield DriftFinding(
        kind="shuffled_columns",
        severity="hold",
        column=names[0],
        to=names[1],
        rows=hits,
        said=f"In {week.of_rows(hits)} cells stand in a neighbouring column, from '{names[0]}' "
        f"to '{names[-1]}'. Ask for the file anew.",
    )
