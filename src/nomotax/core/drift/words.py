"""Words that were never there: of a kind, a unit, a category."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import polars as pl

from nomotax.core.drift.cells import Mask, counted
from nomotax.core.drift.chance import unusual
from nomotax.core.drift.model import DriftFinding, Severity
from nomotax.core.drift.week import Beside, Week
from nomotax.core.units.table import find_unit

#: A word of a list stands in so many rows on average.
_REPEATS = 1.8
_PATH = r"\s*(>|/|\||»|→|\\|::)\s*"


def new_words(week: Week, one: Beside, spared: Mask) -> Iterator[DriftFinding]:
    """Cells with a word that no earlier delivery had, in a column of few words. ``spared`` rows
    are explained otherwise."""
    if not _listed(one) or one.known is None:
        return
    unseen = unseen_cells(one) & ~spared
    fresh = _unseen_fresh(one)
    hits = int(unseen.sum())
    of = int(one.new.is_not_null().sum())
    strange = hits >= 3 and unusual(hits, of, max(1.5 * one.usual.unseen, 0.01))
    total = hits + fresh
    if not strange and total < max(3, 0.1 * one.filled):
        return
    share = hits / max(1, of)
    severity: Severity = "warn" if strange and share >= 0.06 and not _same_unit(one) else "note"
    words = _which(one, unseen)
    path = _is_path(one)
    yield DriftFinding(
        kind="new_categories" if path else "new_words",
        severity=severity,
        column=one.name,
        rows=total,
        said=f"{total:,} of {one.filled:,} cells of '{one.name}' hold "
        f"{'categories' if path else 'words'} never seen before{week.in_part(unseen)}, as {words}. "
        "They have no place in the store yet; place them, or ask whether they are meant.",
    )


def _listed(one: Beside) -> bool:
    """Whether a column holds words out of a list, and no codes or texts."""
    if one.was.date > 0.3 or one.was.filled < 4 or one.was.words is None:
        return False
    if one.was.number > 0.6:
        return one.few
    return one.was.filled >= _REPEATS * one.was.distinct or one.was.distinct <= 3


def _same_unit(one: Beside) -> bool:
    """Whether all that is new are other ways to write units that were there."""
    known = one.known or frozenset()
    units = {unit.code for word in known if (unit := find_unit(word))}
    new = [find_unit(word) for word in one.now.words or {} if word.casefold() not in known]
    return bool(units) and all(unit is not None and unit.code in units for unit in new)


def unseen_cells(one: Beside) -> Mask:
    """Rows in both deliveries whose cell has become a word that was never there."""
    known = one.known or frozenset()
    words = {w for w in (one.now.words or {}) if w.casefold() not in known}
    hit = one.new.is_in(list(words)).fill_null(value=False).to_numpy()
    found: Mask = hit & one.changed
    return found


def _unseen_fresh(one: Beside) -> int:
    known = one.known or frozenset()
    return sum(n for w, n in counted(one.fresh) if w.casefold() not in known)


def _which(one: Beside, unseen: Mask) -> str:
    cells = one.new.filter(pl.Series(unseen)) if unseen.any() else one.fresh.drop_nulls()
    known = one.known or frozenset()
    words = [word for word, _ in counted(cells) if word.casefold() not in known]
    return ", ".join(f"'{word[:40]}'" for word in words[:3])


def _is_path(one: Beside) -> bool:
    """Paths, or the parts in which all goods lie: the first column of words that goods share."""
    words = pl.Series(list(one.was.words or {}), dtype=pl.String)
    return bool(words.len()) and float(np.mean(words.str.contains(_PATH).to_numpy())) > 0.25
