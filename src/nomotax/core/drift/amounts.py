"""Amounts that are not what they were: another scale, unit or currency, prices that moved, and
single ones far off.

What is compared are logarithms of ratios: a factor is a shift of them, whatever the amounts are.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from nomotax.core.drift.cells import Figures, Mask, figures
from nomotax.core.drift.chance import FEW_ROWS, crowd, high, middle, unusual
from nomotax.core.drift.model import DriftFinding, Severity, percent, times
from nomotax.core.drift.moves import ORDINARY
from nomotax.core.drift.week import Beside, Week

#: Decimal places slip by whole powers of ten.
_TENS = tuple(k * math.log(10) for k in (-6, -4, -3, -2, -1, 1, 2, 3, 4, 6))
#: Between measures (length, mass, volume) as they are used in trade.
_UNITS = tuple(
    sign * math.log(factor)
    for factor in (25.4, 2.54, 12, 30.48, 3.28084, 39.37008, 2.204623, 28.34952, 16, 453.5924)
    for sign in (1, -1)
)
#: How near a slip of the decimal mark is: a week's price changes are in it.
_NEAR = 0.12
#: No factor between units or of ten is nearer to one.
_LEAST = 0.7
#: How close ratios of one factor are to each other.
_TIGHT = 0.012
#: A single amount that moves by more is told; by more than the second it is surely wrong.
_OUT, _WRONG = math.log(2.2), math.log(6)
#: Quantities are told when they are five times what they were.
_MULTIPLE = math.log(5)
#: What has never moved, and moves by more than this, is of another scale.
_MUCH = math.log(2.5)
#: A promotion takes off less than this.
_PROMOTION = 0.6
#: So many fresh rows tell of a scale.
_FEW = 4


@dataclass(frozen=True)
class Shift:
    """Rows of a column that moved by one factor."""

    column: str
    factor: float
    rows: Mask
    tight: bool
    whole: bool


def amounts(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """What is strange in a column of amounts; at most one finding of a kind."""
    if not (one.was.numeric and one.now.numeric) or one.was.coded or one.few:
        return
    if one.quantity:
        yield from _multiplied(week, one)
        return
    ratios = one.ratios
    known = np.isfinite(ratios)
    if known.sum() < 3:
        return
    found = whole_shift(one, ratios)
    if found is not None:
        yield _told(week, one, found)
        rest = np.where(known, ratios - math.log(found.factor), np.nan)
    else:
        rest = np.where(known, ratios - middle(ratios[known]), np.nan)
        part = part_shift(week, one, rest)
        if part is not None:
            yield _told(week, one, part)
            rest = np.where(_near(rest, part.factor), np.nan, rest)
        else:
            yield from _spread(week, one, rest)
    yield from _outliers(week, one, rest)
    yield from _zeros(week, one)
    yield from _fresh(week, one)


def _multiplied(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Quantities that are all so many times what they were, as when packs are counted."""
    ratios = one.ratios
    known = ratios[np.isfinite(ratios)]
    shift = middle(known)
    if len(known) < 5 or abs(shift) < max(_MULTIPLE, 2.5 * one.usual.middle + 0.7):
        return
    # Where goods have come in, what had little has many times as much, and the others have not.
    if high(np.abs(known - shift), 0.75) > 0.45:
        return
    yield _told(week, one, Shift(one.name, math.exp(shift), np.isfinite(ratios), True, whole=True))


def _near(rest: Figures, factor: float) -> Mask:
    """Rows that moved by about a factor: what part of it a promotion is cannot be told."""
    found: Mask = np.abs(np.nan_to_num(rest, nan=99.0) - math.log(factor)) < _PROMOTION
    return found


def whole_shift(one: Beside, ratios: Figures) -> Shift | None:
    """The factor by which the middle one of all amounts moved, where that is no ordinary week."""
    known = ratios[np.isfinite(ratios)]
    shift = middle(known)
    # Of a feed's second delivery nobody knows yet how far its prices move in a week.
    least = ORDINARY if one.usual.weeks else 2 * ORDINARY
    if abs(shift) <= max(least, 1.15 * one.usual.middle + 0.02) or len(known) < 4:
        return None
    spread = high(np.abs(known - shift), 0.75)
    return Shift(one.name, math.exp(shift), np.isfinite(ratios), spread < 2 * _TIGHT, whole=True)


def part_shift(week: Week, one: Beside, rest: Figures) -> Shift | None:
    """A factor by which part of the rows moved: a power of ten, one between units, or any other
    where ratios crowd as closely as promotions never do."""
    far = np.flatnonzero(np.abs(np.nan_to_num(rest)) > _LEAST)
    values = rest[far]
    for slip in _TENS:
        hit = np.abs(values - slip) < _NEAR
        if _counts(one, int(hit.sum()), slip):
            return _part(one, rest, far[hit])
    if one.usual.changed < 0.02:
        for slip in _UNITS:
            hit = np.abs(values - slip) < 0.03
            if hit.sum() >= max(3, 0.01 * len(rest)):
                return _part(one, rest, far[hit])
    return _crowded(week, one, rest)


def _part(one: Beside, rest: Figures, at: NDArray[np.int64]) -> Shift:
    rows = np.zeros(len(rest), dtype=bool)
    rows[at] = True
    return Shift(one.name, math.exp(middle(rest[at])), rows, tight=True, whole=False)


def _counts(one: Beside, hits: int, slip: float) -> bool:
    """A slip of the mark is told from two rows on; where amounts are known to jump as far, only
    when it happens far more often."""
    if one.usual.farthest > abs(slip) - _NEAR:
        return hits >= max(4, (2 * one.usual.far + 0.05) * one.old.len())
    return hits >= 2


def _crowded(week: Week, one: Beside, rest: Figures) -> Shift | None:
    far = np.isfinite(rest) & (np.abs(np.nan_to_num(rest)) > ORDINARY + 0.012)
    if far.sum() < 5:
        return None
    found = crowd(rest[far], 2 * _TIGHT)
    if found is None or found.size < 5:
        return None
    # Each has its own small change of the week besides.
    shift = _part(one, rest, np.flatnonzero(far & (np.abs(rest - found.middle) < 4 * _TIGHT)))
    hit = shift.rows
    share = found.size / np.isfinite(rest).sum()
    usual = 1.5 * one.usual.far + 0.03
    by_part = bool(week.part_of(hit)) and found.middle > -0.05 and share > usual
    if not by_part and share < max(0.15, usual + 0.1):
        return None
    return shift


def _is_slip(one: Beside, shift: Shift) -> bool:
    log = math.log(shift.factor)
    if any(abs(log - slip) < _NEAR for slip in _TENS):
        return True
    static = one.usual.weeks > 0 and one.usual.changed < 0.02
    near = any(abs(log - slip) < 0.03 for slip in _UNITS)
    return (static and near) or abs(log) > math.log(5) or (static and abs(log) > _MUCH)


def _told(week: Week, one: Beside, shift: Shift) -> DriftFinding:
    hits = int(shift.rows.sum())
    where = week.in_part(shift.rows)
    if _is_slip(one, shift):
        return DriftFinding(
            kind="scale_shifted",
            severity="hold" if shift.whole or shift.rows.mean() > 0.5 else "warn",
            column=one.name,
            factor=shift.factor,
            rows=hits,
            said=f"'{one.name}' is {times(shift.factor)} what it was in {week.of_rows(hits)}"
            f"{where}, as when a decimal mark is lost or another unit is meant. Ask the supplier "
            "which it is before anything is applied.",
        )
    up = "higher" if shift.factor > 1 else "lower"
    severity: Severity = "hold" if shift.whole and abs(math.log(shift.factor)) > 0.26 else "warn"
    usually = math.exp(one.usual.middle) - 1
    known = f"; in earlier weeks it was at most {percent(usually, 1)}" if usually > 0.005 else ""
    same = ", each by the same factor, as in another currency" if shift.tight else ""
    return DriftFinding(
        kind="prices_moved",
        severity=severity,
        column=one.name,
        factor=shift.factor,
        rows=hits,
        said=f"'{one.name}' is {percent(abs(shift.factor - 1), 1)} {up} in "
        f"{week.of_rows(hits)}{where}{same}{known}. Look at the prices before they are applied.",
    )


def _spread(week: Week, one: Beside, rest: Figures) -> Iterator[DriftFinding]:
    """Far more amounts than usual moved by more than usual, each by a factor of its own."""
    known = np.isfinite(rest)
    limit = max(ORDINARY, min(one.usual.spread, 0.3))
    far = known & (np.abs(np.nan_to_num(rest)) > limit)
    share = far.sum() / known.sum()
    if share <= max(0.22 if one.usual.weeks else 0.45, 1.8 * one.usual.far + 0.08):
        return
    if not unusual(int(far.sum()), int(known.sum()), max(0.12, 1.5 * one.usual.far), FEW_ROWS):
        return
    factor = math.exp(middle(rest[far]))
    hits = int(far.sum())
    yield DriftFinding(
        kind="prices_moved",
        severity="warn",
        column=one.name,
        factor=factor,
        rows=hits,
        said=f"'{one.name}' has moved by more than usual in {week.of_rows(hits)}"
        f"{week.in_part(far)}, the middle one {times(factor)}. Look at the prices before they are "
        "applied.",
    )


def _outliers(week: Week, one: Beside, rest: Figures) -> Iterator[DriftFinding]:
    limit = max(_OUT, 1.3 * one.usual.farthest + 0.1)
    size = np.abs(np.nan_to_num(rest))
    out = size > limit
    if not out.any():
        return
    worst = int(np.argmax(size))
    old, new = one.old[worst], one.new[worst]
    hits = int(out.sum())
    yield DriftFinding(
        kind="outliers",
        severity="warn" if size[worst] > _WRONG or _placeholder(str(new)) else "note",
        column=one.name,
        rows=hits,
        said=f"{hits:,} of '{one.name}' moved by far more than any other, the farthest from {old} "
        f"to {new}. Look whether it is a slip.",
    )


def _placeholder(cell: str) -> bool:
    """9999.99, 99999: a price that is none."""
    digits = [c for c in cell if c.isdigit()]
    return len(digits) >= 4 and set(digits) == {"9"}


def _zeros(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Amounts that are nothing or less than nothing by now."""
    old, new = one.figures
    with np.errstate(invalid="ignore"):
        hit = (old > 0) & (new <= 0)
    hits = int(hit.sum())
    if hits == 0 or hits / max(1, len(new)) <= 1.5 * one.usual.zeroed:
        return
    yield DriftFinding(
        kind="outliers",
        severity="warn",
        column=one.name,
        rows=hits,
        said=f"'{one.name}' is zero or below in {week.of_rows(hits)}{week.in_part(hit)} where it "
        "was an amount before. Nothing is given away by mistake as long as these wait.",
    )


def _fresh(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Articles that are new, with amounts of another scale than all others have."""
    values = figures(one.fresh, one.now.mark)
    values = values[np.isfinite(values) & (values > 0)]
    old = one.figures[0]
    usual = np.log(old[np.isfinite(old) & (old > 0)])
    if len(values) < _FEW or len(usual) < 2 * _FEW:
        return
    away = np.log(values) - middle(usual)
    width = max(high(np.abs(usual - middle(usual)), 0.95), 0.7)
    shift = middle(away)
    outside = float(np.mean(np.abs(away) > 1.1 * width))
    if abs(shift) < math.log(20) or outside < 0.6:
        return
    factor = 10.0 ** round(shift / math.log(10))
    hits = len(values)
    yield DriftFinding(
        kind="scale_shifted",
        severity="warn",
        column=one.name,
        factor=factor,
        rows=hits,
        said=f"'{one.name}' of {hits:,} new articles is about {times(factor)} what other articles "
        "have, as in another unit. Ask which unit they are in.",
    )
