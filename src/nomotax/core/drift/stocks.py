"""Stocks that run out all at once."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from nomotax.core.drift.chance import LIKELY, unusual
from nomotax.core.drift.model import DriftFinding
from nomotax.core.drift.week import Beside, Week


def stocks(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Far more than ever of what was there is gone."""
    whole = one.was.numeric and one.was.whole >= 0.98 and one.was.places == 0
    if not whole or not (one.quantity or one.was.zero > 0 or one.usual.changed > 0.02):
        return
    old, new = one.figures
    with np.errstate(invalid="ignore"):
        there = old > 0
        hit = there & (new <= 0)
    hits, of = int(hit.sum()), int(there.sum())
    if hits < 4 or hits < (2 * one.usual.zeroed + 0.1) * of:
        return
    # What is sold out as a part of the goods is told sooner than what is spread over them.
    part = week.in_part(hit, there)
    if not unusual(hits, of, max(1.5 * one.usual.zeroed, 0.05), 1e-3 if part else LIKELY):
        return
    yield DriftFinding(
        kind="stock_emptied",
        severity="hold" if hits > 0.3 * of else "warn",
        column=one.name,
        rows=hits,
        said=f"'{one.name}' is nothing for {hits:,} of {of:,} articles that had some"
        f"{part}. As it stands they would be sold out; ask the supplier.",
    )
