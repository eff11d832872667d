"""Cells that are written otherwise: another kind of value, decimal style, order of dates."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import polars as pl
from numpy.typing import NDArray

from nomotax.core.drift.cells import (
    COMMA,
    DATE,
    LETTERED,
    NUMBER,
    POINT,
    STAND_IN,
    counted,
    date_parts,
    grouped_by,
    matches,
)
from nomotax.core.drift.chance import unusual
from nomotax.core.drift.model import DriftFinding, Severity
from nomotax.core.drift.week import Beside, Week

#: Cells of a column that are of one kind but for so many.
_PURE = 0.85
_DAYS_ENOUGH = 3
#: Signs that stand for nothing in a column of numbers; a word there is another kind of value.
_SIGNS_ALONE = r"^[-?.]+$"


def kinds(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Words where numbers stood, numbers where words or dates did."""
    coming = one.coming
    if not coming.len() or not one.was.filled:
        return
    found = _words_for_numbers(week, one, coming) or _others(week, one, coming)
    if found is not None:
        yield found


def _words_for_numbers(week: Week, one: Beside, coming: pl.Series) -> DriftFinding | None:
    usually = max((1 - c.number for c in one.earlier if c.filled), default=1.0)
    if one.was.number < 0.6 or one.was.date > 0.5:
        return None
    strange = ~matches(coming, NUMBER) & ~matches(coming, _SIGNS_ALONE)
    if max((c.lettered for c in one.earlier), default=1.0) < 0.01:
        strange |= matches(coming, LETTERED)
    hits = int(strange.sum())
    if not _more_than(hits, coming.len(), usually):
        return None
    words = counted(coming.filter(pl.Series(strange)))
    return _changed(week, one, hits, f"hold {_quoted(words)}", "plain numbers")


def _more_than(hits: int, of: int, usually: float) -> bool:
    if usually < 0.002:
        return hits >= 2 or (hits == 1 and of < 50)
    return hits >= 3 and unusual(hits, of, 1.3 * usually + 0.01)


def _others(week: Week, one: Beside, coming: pl.Series) -> DriftFinding | None:
    """Of a column of dates what is none; numbers among what were words."""
    if one.was.date >= _PURE:
        strange = ~matches(coming, DATE) & ~matches(coming, STAND_IN)
        usually, was = max(1 - c.date for c in one.earlier if c.filled), "dates"
    elif max((c.number for c in one.earlier), default=1.0) < 0.02 and one.was.filled >= 5:
        strange = matches(coming, NUMBER)
        usually, was = max(c.number for c in one.earlier), "words"
    else:
        return None
    if was == "words" and one.was.distinct <= 30:
        return None  # words out of a list: those are told as new ones
    hits = int(strange.sum())
    enough = max(3, 0.1 * one.filled) if was == "words" else 2
    if hits < enough or not _more_than(hits, coming.len(), usually):
        return None
    words = counted(coming.filter(pl.Series(strange)))
    return _changed(week, one, hits, f"hold {_quoted(words)}", was)


def _changed(week: Week, one: Beside, hits: int, what: str, was: str) -> DriftFinding:
    share = hits / max(1, one.filled)
    severity: Severity = "hold" if share > 0.5 else "warn" if hits >= 3 or share > 0.05 else "note"
    return DriftFinding(
        kind="kind_changed",
        severity=severity,
        column=one.name,
        rows=hits,
        said=f"{hits:,} of {one.filled:,} cells of '{one.name}' {what}, where there were {was}. "
        "Those cannot be read as before; ask the supplier, or say what they stand for.",
    )


def _quoted(words: list[tuple[str, int]]) -> str:
    return ", ".join(f"'{word[:24]}'" for word, _ in words[:3])


def decimal_style(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Another decimal mark, or another sign between thousands, than ever."""
    if not one.was.numeric or not one.coming.len():
        return
    coming = one.coming
    commas = max(c.commas for c in one.earlier)
    points = max(c.points for c in one.earlier)
    for before, other, pattern, name in (
        (commas, points, POINT, "point"),
        (points, commas, COMMA, "comma"),
    ):
        if before <= 0.05 or other >= 0.01:
            continue
        strange = matches(coming, pattern) & matches(coming, NUMBER)
        hits = int(strange.sum())
        if hits >= 2:
            share = hits / max(1, one.filled)
            yield DriftFinding(
                kind="decimal_style_changed",
                severity="hold" if share > 0.5 else "warn",
                column=one.name,
                to=name,
                rows=hits,
                said=f"{hits:,} numbers of '{one.name}' are written with a decimal {name}, as in "
                f"{coming.filter(pl.Series(strange))[0]}. Read as before, they would be refused or "
                "be others; change how this file is read.",
            )
            return
    yield from _grouping(week, one)


_SIGNS = {".": "points", ",": "commas", " ": "blanks", "'": "apostrophes"}


def _grouping(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Thousands that are grouped now and were not, though there were some."""
    ever = {sign for c in one.earlier for sign in c.grouped}
    ungrouped = sum(c.ungrouped for c in one.earlier)
    for sign, n in grouped_by(one.coming, one.now.mark).items():
        if sign in ever or n < 2 or (not ever and ungrouped < 2):
            continue
        if sign in ".," and one.was.commas + one.was.points < 0.05:
            continue
        yield DriftFinding(
            kind="decimal_style_changed",
            severity="warn",
            column=one.name,
            to=_SIGNS[sign],
            rows=n,
            said=f"{n:,} numbers of '{one.name}' have {_SIGNS[sign]} between their thousands; "
            "earlier deliveries had none. Look whether they are read as they are meant.",
        )
        return


def dates(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Day and month in the other order, dates written otherwise, or all moved by the same days."""
    if one.was.date < 0.5:
        return
    old, old_first = date_parts(one.old)
    new, new_first = date_parts(one.new)
    both = (old[:, 1] > 0) & (new[:, 1] > 0)
    if both.sum() < _DAYS_ENOUGH:
        return
    if (old_first != new_first)[both].mean() > 0.3 and not old_first[both].any():
        yield _dates(week, one, both & (old_first != new_first), "are written year first")
        return
    if (old_first != new_first)[both].mean() > 0.3:
        yield _dates(week, one, both & (old_first != new_first), "are written day or month first")
        return
    swapped = both & (old[:, 1] == new[:, 2]) & (old[:, 2] == new[:, 1])
    swapped &= (old[:, 0] == new[:, 0]) & (old[:, 1] != old[:, 2])
    if swapped.sum() >= max(_DAYS_ENOUGH, 0.03 * both.sum()):
        yield _dates(week, one, swapped, "have day and month in the other order", "warn")
        return
    yield from _moved(week, one, both, old, new)


def _moved(
    week: Week, one: Beside, both: NDArray[np.bool_], old: NDArray[np.int64], new: NDArray[np.int64]
) -> Iterator[DriftFinding]:
    days = _days(new) - _days(old)
    days[~both] = 0
    moved = both & (days != 0) & (np.abs(days) < 40000)
    if moved.sum() < max(_DAYS_ENOUGH, 0.3 * both.sum()):
        return
    values, counts = np.unique(days[moved], return_counts=True)
    by = int(values[counts.argmax()])
    # A month is as long as it is: dates that moved by one moved by 28 to 31 days.
    hit = moved & (np.abs(days - by) <= (2 if abs(by) >= 28 else 0))
    ordinary = by in one.usual.days or one.was.distinct <= 2
    if ordinary or hit.sum() < 0.6 * moved.sum():
        return
    severity: Severity = "note" if abs(by) <= 1 else "warn"
    said = (
        f"are {abs(by):,} day{'s' * (abs(by) > 1)} {'later' if by > 0 else 'earlier'} than before"
    )
    yield _dates(week, one, hit, said, severity)


def _days(parts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Days since 1970; of two numbers beside the year the one over 12 is the day."""
    year = np.where(parts[:, 0] < 100, parts[:, 0] + 2000, parts[:, 0])
    swap = (parts[:, 1] > 12).any() and not (parts[:, 2] > 12).any()
    month, day = (parts[:, 2], parts[:, 1]) if swap else (parts[:, 1], parts[:, 2])
    ok = (year > 1800) & (year < 2300) & (month >= 1) & (month <= 12)
    first = (np.where(ok, year, 1970) - 1970).astype("datetime64[Y]").astype("datetime64[M]")
    months = first + (np.where(ok, month, 1) - 1).astype("timedelta64[M]")
    found: NDArray[np.int64] = months.astype("datetime64[D]").astype(np.int64) + day - 1
    return found


def days_moved(one: Beside) -> int:
    """The days by which most changed dates moved, 0 where they did not together."""
    if one.was.date < 0.5:
        return 0
    old, _ = date_parts(one.old)
    new, _ = date_parts(one.new)
    both = (old[:, 1] > 0) & (new[:, 1] > 0)
    days = (_days(new) - _days(old))[both]
    moved = days[days != 0]
    if len(moved) < _DAYS_ENOUGH:
        return 0
    values, counts = np.unique(moved, return_counts=True)
    return int(values[counts.argmax()]) if counts.max() >= 0.6 * len(moved) else 0


def _dates(
    week: Week, one: Beside, hit: NDArray[np.bool_], what: str, severity: Severity = "warn"
) -> DriftFinding:
    at = int(np.argmax(hit))
    hits = int(hit.sum())
    return DriftFinding(
        kind="dates_shifted",
        severity=severity,
        column=one.name,
        rows=hits,
        said=f"{hits:,} dates of '{one.name}' {what}: {one.old[at]} came as {one.new[at]}. Read as "
        "before, they would be others.",
    )
