"""Cells that are empty where they were not, and columns that say the same everywhere."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import polars as pl

from nomotax.core.drift.cells import STAND_IN, Mask, matches
from nomotax.core.drift.chance import unusual
from nomotax.core.drift.imprint import Imprint
from nomotax.core.drift.model import DriftFinding, Severity
from nomotax.core.drift.week import Beside, Week

#: A share of cells that is much.
_MUCH = 0.12


def emptied(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Cells that were filled and are not any more, and new articles without what others have."""
    stand_ins = _stand_ins(one)
    hit = one.emptied | stand_ins
    hits, filled = int(hit.sum()), one.old.len() - one.old.null_count()
    fresh, of = one.fresh.null_count(), one.fresh.len()
    usual_fill = min(
        c.filled / max(1, i.rows) for c, i in zip(one.earlier, _imprints(week, one), strict=True)
    )
    found = hits >= 3 and unusual(hits, filled, max(1.5 * one.usual.emptied, 0.004))
    new_ones = (
        fresh >= 4
        and usual_fill > 0.5
        and unusual(fresh, of, min(0.98, 1.25 * (1 - usual_fill) + 0.02), 1e-4)
    )
    if not found and not new_ones:
        return
    lost = (hits if found else 0) + (fresh if new_ones else 0)
    share = lost / max(1, filled + of)
    severity: Severity = "warn" if share >= 0.07 or lost >= 0.5 * max(1, of) else "note"
    if share > 0.6 and usual_fill > 0.8:
        severity = "hold"
    nothing = "a stand-in for nothing" if stand_ins.any() else "nothing"
    who = f"{week.of_rows(lost)} have" if found else f"{lost:,} new articles have"
    yield DriftFinding(
        kind="fill_dropped",
        severity=severity,
        column=one.name,
        rows=lost,
        said=f"{who} {nothing} in '{one.name}'{week.in_part(hit)}, where there was something "
        "before. What it fills would be missing; ask the supplier.",
    )


def _imprints(week: Week, one: Beside) -> list[Imprint]:
    return [i for i in week.before if one.name in i.by_name]


def _stand_ins(one: Beside) -> Mask:
    """Cells that were something and hold ``N/A`` or the like now, where nothing such was before."""
    changed = one.changed & ~one.emptied & one.old.is_not_null().to_numpy()
    at = np.flatnonzero(changed)
    hit = np.zeros(len(changed), dtype=bool)
    hit[at] = matches(one.new.gather(at), STAND_IN)
    if not hit.any():
        return hit
    ever = any(
        matches(pl.Series(list(c.words or {}), dtype=pl.String), STAND_IN).any()
        for c in one.earlier
    )
    found: Mask = hit & (not ever)
    return found


def constant(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Nearly all cells are the same, and were not."""
    if one.now.filled < 8 or one.was.distinct < 3 or one.now.words is None:
        return
    word, n = one.now.top()
    usually = max((c.top()[1] / c.filled for c in one.earlier if c.filled and c.words), default=0.0)
    share = n / one.now.filled
    if (
        share < 0.9
        or usually > 0.6
        or (one.was.numeric and word.strip("0.,") == "" and one.quantity)
    ):
        return
    became = int(((one.new == word) & (one.old != word)).sum() or 0)
    if became < max(4, 0.3 * week.both):
        return
    yield DriftFinding(
        kind="constant_column",
        severity="hold" if one.was.numeric and one.was.distinct > 0.3 * one.was.filled else "warn",
        column=one.name,
        to=word,
        rows=n,
        said=f"'{one.name}' is '{word[:40]}' in {week.of_rows(n)}, where it had "
        f"{one.was.distinct:,} different values. Ask the supplier what became of them.",
    )
