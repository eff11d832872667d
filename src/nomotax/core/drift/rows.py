"""The rows as a whole: how many, whose, which keys, and whether they are last week's."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import polars as pl

from nomotax.core.drift.aligning import WRITINGS
from nomotax.core.drift.cells import counted
from nomotax.core.drift.chance import FEW_ROWS, unusual
from nomotax.core.drift.model import DriftFinding, Severity, percent
from nomotax.core.drift.week import Beside, Week

#: So much of a list may be gone or new in an ordinary week, whatever was usual.
_ORDINARY = 0.12
_MUCH = 0.3
#: Of fewer articles nothing is held.
_FEW = 5
#: A file that shares less than this with the last one is another one.
_ANOTHER = 0.3


def wrong_file(week: Week) -> DriftFinding | None:
    """A file that is not this feed's: its columns or its articles are others."""
    shared = len(week.pairs) / max(1, len(week.was.columns))
    others = f"{week.both:,} of {week.now.rows:,} articles are known"
    fewest = min((m.both / max(1, m.both + m.fresh) for m in week.moves), default=1.0)
    if week.now.rows == 0:
        return None
    if shared < 0.4 and (week.known < _ANOTHER or len(week.pairs) < 2):
        said = f"Only {len(week.pairs)} of {len(week.was.columns)} columns are those of this feed"
    elif week.aligned.key and week.known < min(_ANOTHER, 0.6 * fewest):
        said = "The columns are those of this feed, the articles are others"
    else:
        return None
    return DriftFinding(
        kind="wrong_file",
        severity="hold",
        rows=week.now.rows,
        said=f"{said}: {others}. It looks like another file; ask the supplier for the right one.",
    )


def sizes(week: Week, cut: bool) -> Iterator[DriftFinding]:
    """Fewer rows than usual, or more. ``cut`` says that the file broke off."""
    gone, had = len(week.aligned.gone), max(1, week.was.rows)
    fresh = len(week.aligned.fresh)
    usual_gone = max((m.gone / max(1, m.both + m.gone) for m in week.moves), default=0.0)
    usual_fresh = max((m.fresh / max(1, m.both) for m in week.moves), default=0.0)
    lost, more = gone / had, fresh / had
    sizes_before = [i.rows for i in week.before]
    within = min(sizes_before) <= week.now.rows <= max(sizes_before)
    extra = week.now.repeated - week.was.repeated
    if cut and gone:
        yield _truncated(week, gone)
    elif (
        lost > max(_ORDINARY, 1.5 * usual_gone + 0.03)
        and not (within and lost < _MUCH)
        and unusual(gone, had, max(usual_gone, 0.05), FEW_ROWS)
    ):
        yield _dropped(week, gone, lost)
    grown = (week.now.rows - extra) / max(1, *sizes_before) - 1
    if (
        more > max(0.15, 1.5 * usual_fresh + 0.03)
        and fresh >= 2
        and grown > _ORDINARY
        and fresh > extra
    ):
        yield _grew(week, fresh, more)


def _truncated(week: Week, gone: int) -> DriftFinding:
    return DriftFinding(
        kind="truncated",
        severity="hold",
        rows=gone,
        said=f"The file breaks off after {week.now.rows:,} rows; {gone:,} articles of the last "
        "delivery are not in it. Fetch it again, or ask the supplier for the whole.",
    )


def _dropped(week: Week, gone: int, lost: float) -> DriftFinding:
    at_end = bool(len(week.aligned.at_old)) and week.aligned.gone.min() > week.aligned.at_old.max()
    end = " All that is missing stood at the end, as when a file breaks off." if at_end else ""
    part = _part_gone(week)
    where = f", nearly all with {part}" if part else ""
    return DriftFinding(
        kind="rows_dropped",
        severity="hold" if lost > _MUCH - 0.02 and gone >= _FEW else "warn",
        rows=gone,
        said=f"{gone:,} of {week.was.rows:,} articles of the last delivery are missing "
        f"({percent(gone, week.was.rows)}){where}.{end} If they are applied as gone, the store "
        "loses them; ask whether this is the whole list.",
    )


def _part_gone(week: Week) -> str:
    """The part of the goods that is missing as a whole, in words."""
    for one in week.was.columns:
        if not one.words or not 2 <= one.distinct <= 60 or one.number > 0.5:
            continue
        cells = week.last[one.name]
        gone = cells.gather(week.aligned.gone).drop_nulls()
        if gone.len():
            word, n = counted(gone)[0]
            if n >= 0.8 * len(week.aligned.gone) and n >= 0.8 * one.words.get(word, 0):
                return f"{one.name} '{word}'"
    return ""


def _grew(week: Week, fresh: int, more: float) -> DriftFinding:
    return DriftFinding(
        kind="rows_grew",
        severity="hold" if more > 1.5 else "warn",
        rows=fresh,
        said=f"{fresh:,} articles are new, {percent(fresh, week.was.rows)} of what the last "
        "delivery had. Look whether they are meant for this store.",
    )


@dataclass(frozen=True)
class _Rewritten:
    rows: int
    how: str


def keys(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Codes of the same articles, written otherwise."""
    key = one.name == week.aligned.key
    tells_apart = one.was.distinct >= 0.9 * max(1, one.was.filled) and one.was.filled >= 5
    if not key and not (tells_apart and _code(one)):
        return
    changed = one.changed & one.old.is_not_null().to_numpy() & one.new.is_not_null().to_numpy()
    if not changed.any():
        return
    found = _rewritten(one, changed)
    share = found.rows / max(1, one.old.len())
    if found.rows < 2 or (one.usual.weeks and found.rows <= 2 * one.usual.changed * one.old.len()):
        return
    at = int(np.argmax(changed))
    severity: Severity = "note" if found.how == "zeros" and not key else "warn"
    if severity == "warn" and share > (0.1 if key else 0.5):
        severity = "hold"
    yield DriftFinding(
        kind="keys_reformatted",
        severity=severity,
        column=one.name,
        rows=found.rows,
        said=f"{found.rows:,} codes of '{one.name}' are written otherwise, as {one.new[at]} for "
        f"{one.old[at]}. "
        + (
            "Taken as they are, these would be new articles and the old ones gone."
            if key else "Look whether they still are the codes that the store has."
        ),
    )  # fmt: skip


def _code(one: Beside) -> bool:
    """Whether a column holds codes, and no names or texts."""
    if one.was.number > 0.5 and not one.was.coded:
        return False
    words = one.old.drop_nulls()
    blanks = words.head(2000).str.contains(r"\s").mean() or 0.0
    digits = words.head(2000).str.contains(r"\d").mean() or 0.0
    return float(blanks) < 0.2 and float(digits) > 0.7 and one.was.places == 0  # type: ignore[arg-type]


def _rewritten(one: Beside, changed: np.ndarray) -> _Rewritten:
    mask = pl.Series(changed)
    frame = pl.DataFrame({"o": one.old.filter(mask), "n": one.new.filter(mask)})
    bare = frame.select(same=WRITINGS[0](pl.col("o")) == WRITINGS[0](pl.col("n")))
    digits = frame.select(same=WRITINGS[1](pl.col("o")) == WRITINGS[1](pl.col("n")))
    exponent = frame.select(same=pl.col("n").str.contains(r"(?i)^\d([.,]\d+)?E\+?\d+$"))
    zeros = frame.select(
        same=pl.col("o").str.strip_chars_start("0") == pl.col("n").str.strip_chars_start("0")
    )
    inside = frame.select(
        same=pl.col("o").str.ends_with(pl.col("n")) | pl.col("n").str.ends_with(pl.col("o"))
    )
    counts = [
        ("zeros", _count(zeros)), ("writing", _count(bare)), ("digits", _count(digits)),
        ("exponents", _count(exponent)), ("parts", _count(inside)),
    ]  # fmt: skip
    how, n = max(counts, key=lambda pair: pair[1])
    return _Rewritten(n, how)


def _count(frame: pl.DataFrame) -> int:
    return int(frame["same"].sum() or 0)


def rekeyed(week: Week) -> Iterator[DriftFinding]:
    """Keys that are others altogether, though the articles are the same by what else they have."""
    key = week.aligned.key
    if not key or not week.both or key not in week.pairs:
        return
    share = float(np.mean(~week.aligned.exact))
    if share < 0.3:
        return
    hits = int((~week.aligned.exact).sum())
    yield DriftFinding(
        kind="keys_reformatted",
        severity="hold",
        column=key,
        rows=hits,
        said=f"{hits:,} articles have another '{key}' than before, though they are the same by "
        "what else they have. Taken as they are, these would be new and the old ones gone.",
    )


def repeated_keys(week: Week) -> Iterator[DriftFinding]:
    """Articles that are there more than once, more than ever."""
    now, ever = week.now.repeated, max(i.repeated / max(1, i.rows) for i in week.before)
    share = now / max(1, week.now.rows)
    extra = now - ever * week.now.rows
    if extra < 2 or share <= 1.5 * ever + 0.005:
        return
    yield DriftFinding(
        kind="duplicates_up",
        severity="warn" if extra >= 3 or share > 0.02 else "note",
        rows=now,
        said=f"{now:,} rows repeat an '{week.aligned.key}' that is there already; it was at most "
        f"{round(ever * week.now.rows):,} in earlier deliveries. The last row of each would win; "
        "ask which is meant.",
    )


def stale(week: Week, same: bool) -> Iterator[DriftFinding]:
    """The cells of an earlier delivery once more. ``same`` says that they are the last one's."""
    if same:
        often = sum(m.same for m in week.moves)
        usual = often > 0 and often >= 0.3 * len(week.moves)
        which = "the last delivery"
    else:
        at = next((i for i, one in enumerate(reversed(week.before[:-1]), 2)
                   if one.content and one.content == week.now.content), 0)  # fmt: skip
        if not at:
            return
        usual, which = False, f"the delivery {at} before this one"
    yield DriftFinding(
        kind="stale",
        severity="note" if usual else "warn",
        rows=week.now.rows,
        said=f"Every cell is as in {which}. Nothing new has come; ask whether the supplier's "
        "export still runs.",
    )
