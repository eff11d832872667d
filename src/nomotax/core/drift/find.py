"""The front door: a delivery beside the last ones, and what is strange in it."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from nomotax.core.at_once import each_of
from nomotax.core.drift.aligning import align, repeated
from nomotax.core.drift.amounts import amounts
from nomotax.core.drift.cells import Figures
from nomotax.core.drift.chance import high, middle
from nomotax.core.drift.columns import gone_and_new, paired, renamed, shuffled
from nomotax.core.drift.filling import constant, emptied
from nomotax.core.drift.imprint import Imprint, Table, imprint
from nomotax.core.drift.labels import (
    currencies,
    currency_labels,
    in_headings,
    marks_in_cells,
    unit_labels,
    units,
)
from nomotax.core.drift.model import DriftFinding, DriftKind
from nomotax.core.drift.moves import ORDINARY, ColumnMoves, Moves
from nomotax.core.drift.rows import keys, rekeyed, repeated_keys, sizes, stale, wrong_file
from nomotax.core.drift.stocks import stocks
from nomotax.core.drift.texts import Harm, damage, harm, language
from nomotax.core.drift.week import Beside, Week
from nomotax.core.drift.words import new_words, unseen_cells
from nomotax.core.drift.writing import dates, days_moved, decimal_style, kinds

#: A column of which fewer cells have changed is not compared with the others.
_MOVED = 0.02
_Look = Callable[[Week, Beside], Iterator[DriftFinding]]
#: What is asked of each column by itself.
LOOKS: tuple[_Look, ...] = (
    kinds, decimal_style, dates, marks_in_cells, emptied, constant, stocks, amounts, keys,
)  # fmt: skip


@dataclass(frozen=True)
class Beheld:
    """What was found, worst first, and the imprint by which later deliveries are measured."""

    findings: list[DriftFinding]
    imprint: Imprint


@dataclass(frozen=True)
class _Looked:
    """What a look at one column brings: ``ratios`` of amounts, and the column itself where others
    are compared with it."""

    findings: list[DriftFinding]
    called: str
    moves: ColumnMoves
    same: bool
    harm: Harm | None = None
    ratios: Figures | None = None
    label: Beside | None = None
    moved: Beside | None = None


def first(table: Table) -> Imprint:
    """The imprint of a feed's first delivery."""
    return imprint(table)


def behold(table: Table, last: Table, before: Sequence[Imprint], cut: bool = False) -> Beheld:
    """Hold a delivery beside the ``last`` one and the imprints of all ``before`` (the oldest
    first, the last one's among them). ``cut`` says that its file broke off."""
    was, now = before[-1], imprint(table)
    aligned = align(last, was, table, now)
    key = [table[aligned.key_now]] if aligned.key_now else []
    now = now.model_copy(update={"key": aligned.key_now, "repeated": repeated(key)})
    pairs = paired(last, was, table, now, aligned)
    week = Week(table, now, last, _with_key(was, last, aligned.key), before, aligned, pairs)
    another = wrong_file(week)
    if another is not None:
        found = [another, *renamed(week), *gone_and_new(week)]
        return Beheld(_ordered(found), now)
    # Two columns at a time: no more of them are in memory than that.
    looked = list(each_of(partial(_look, week), week.pairs))
    moves = Moves(
        both=week.both,
        fresh=len(aligned.fresh),
        gone=len(aligned.gone),
        same=all(o.same for o in looked) and not len(aligned.fresh) and not len(aligned.gone),
        columns={one.called: one.moves for one in looked},
    )
    own = [finding for one in looked for finding in one.findings]
    found = [*_whole(week, moves.same, cut), *own, *_across(week, looked)]
    return Beheld(_ordered(_without_consequences(found)), now.model_copy(update={"moves": moves}))


def _with_key(was: Imprint, last: Table, key: str) -> Imprint:
    """The last delivery's imprint with the key that is only known since there are two."""
    if was.key == key or not key:
        return was
    return was.model_copy(update={"key": key, "repeated": repeated([last[key]])})


def _whole(week: Week, same: bool, cut: bool) -> Iterator[DriftFinding]:
    yield from sizes(week, cut)
    yield from stale(week, same)
    yield from repeated_keys(week)
    yield from renamed(week)
    yield from gone_and_new(week)
    yield from rekeyed(week)
    yield from in_headings(week)


def _look(week: Week, name: str) -> _Looked:
    """One column by itself."""
    one = week.beside(name)
    changed = int(one.changed.sum())
    if not changed and not one.fresh.len():
        still = ColumnMoves(compared=one.old.len(), ratios=one.old.len())
        return _Looked([], one.called, still, same=True, ratios=_ratios(one))
    hurt = harm(one)
    findings = [finding for look in LOOKS for finding in look(week, one)]
    findings += [*language(week, one, hurt.rows), *new_words(week, one, hurt.rows)]
    dated = one.was.distinct <= 1 and one.now.distinct <= 1
    labels = currency_labels(one) or unit_labels(one)
    return _Looked(
        findings,
        one.called,
        _moves(one),
        same=not changed or dated,
        harm=hurt if hurt else None,
        ratios=_ratios(one),
        label=one if labels else None,
        moved=one if changed >= max(3, _MOVED * week.both) else None,
    )


def _ratios(one: Beside) -> Figures | None:
    return one.ratios if one.was.numeric and not one.quantity else None


def _across(week: Week, looked: Sequence[_Looked]) -> Iterator[DriftFinding]:
    """What only shows where columns are held beside each other."""
    yield from damage(week, [one.harm for one in looked if one.harm is not None])
    yield from shuffled(week, [one.moved for one in looked if one.moved is not None])
    ratios = {one.called: one.ratios for one in looked if one.ratios is not None}
    for one in looked:
        if one.label is not None:
            yield from currencies(week, one.label, ratios)
            yield from units(week, one.label, ratios)


def _moves(one: Beside) -> ColumnMoves:
    """How the column has moved, for the weeks to come."""
    base = {
        "compared": one.old.len(),
        "changed": int(one.changed.sum()),
        "emptied": int(one.emptied.sum()),
        "unseen": int(unseen_cells(one).sum()) if one.known is not None else 0,
        "days": days_moved(one),
    }
    if not (one.was.numeric and one.now.numeric):
        return ColumnMoves.model_validate(base)
    known = one.ratios[np.isfinite(one.ratios)]
    size = np.abs(known)
    old, new = one.figures
    with np.errstate(invalid="ignore"):
        there = old > 0
        zeroed = float(np.mean(new[there] <= 0)) if there.any() else 0.0
    shift = middle(known)
    return ColumnMoves(
        **base,
        ratios=len(known),
        middle=shift,
        spread=high(size, 0.95),
        steps=high(size[size > 0], 0.75),
        far=float(np.mean(np.abs(known - shift) > ORDINARY)) if len(known) else 0.0,
        farthest=float(size.max()) if len(size) else 0.0,
        zeroed=zeroed,
    )


#: What follows from a finding about the same column, and is not told beside it.
_FOLLOWS: dict[DriftKind, frozenset[DriftKind]] = {
    "shuffled_columns": frozenset(
        ("prices_moved", "scale_shifted", "outliers", "kind_changed", "new_words",
         "new_categories", "language_changed", "keys_reformatted", "constant_column",
         "decimal_style_changed", "fill_dropped", "dates_shifted", "stock_emptied")
    ),
    "currency_changed": frozenset(("new_words", "constant_column", "prices_moved", "outliers")),
    "unit_changed": frozenset(("new_words", "constant_column", "scale_shifted")),
    "language_changed": frozenset(("new_words", "new_categories")),
    "constant_column": frozenset(
        ("prices_moved", "outliers", "new_words", "new_categories", "scale_shifted")
    ),
    "kind_changed": frozenset(("new_words", "new_categories", "fill_dropped", "constant_column")),
    "decimal_style_changed": frozenset(("kind_changed",)),
    "keys_reformatted": frozenset(("kind_changed", "constant_column", "new_words")),
    "scale_shifted": frozenset(("prices_moved",)),
}  # fmt: skip


def _without_consequences(found: list[DriftFinding]) -> list[DriftFinding]:
    """Without what only follows from something else that is told."""
    kept = []
    for one in found:
        causes = [o for o in found if o is not one and one.kind in _FOLLOWS.get(o.kind, ())]
        if any(_same_place(one, cause) for cause in causes):
            continue
        if one.kind in ("prices_moved", "scale_shifted") and _by_label(one, found):
            continue
        kept.append(one)
    return _each_once(kept)


def _same_place(one: DriftFinding, cause: DriftFinding) -> bool:
    there = {cause.column, cause.to} if cause.kind == "shuffled_columns" else {cause.column}
    return one.column in there


def _by_label(one: DriftFinding, found: Sequence[DriftFinding]) -> bool:
    """Whether a label beside the amounts says why they moved."""
    for other in found:
        if other.kind not in ("currency_changed", "unit_changed") or other is one:
            continue
        if other.factor and one.factor and abs(math.log(one.factor / other.factor)) < 0.1:
            return True
    return False


def _each_once(found: list[DriftFinding]) -> list[DriftFinding]:
    """One finding of a kind for a column: the worst."""
    best: dict[tuple[str, str], DriftFinding] = {}
    for one in found:
        known = best.get((one.kind, one.column))
        if known is None or (one.rank, one.rows) > (known.rank, known.rows):
            best[one.kind, one.column] = one
    return list(best.values())


def _ordered(found: Sequence[DriftFinding]) -> list[DriftFinding]:
    return sorted(found, key=lambda one: (-one.rank, -one.rows))
