"""Columns that say in which currency or unit the amounts beside them are."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence

import numpy as np
import polars as pl

from nomotax.core.crosswalk.evidence import unit_in_name
from nomotax.core.drift.cells import Figures, Mask, counted
from nomotax.core.drift.chance import middle
from nomotax.core.drift.model import DriftFinding, times
from nomotax.core.drift.week import Beside, Week
from nomotax.core.money.currencies import MARK, currency_in_name, currency_of
from nomotax.core.units.table import find_unit, ratio

#: A column of labels says little else.
_NEARLY_ALL = 0.9
_Code = Callable[[str], str]


def currency_labels(one: Beside) -> bool:
    """Whether nearly all of its words are currencies."""
    return _all_are(one, lambda word: bool(currency_of(word)))


def unit_labels(one: Beside) -> bool:
    """Whether nearly all of its words are units."""
    return _all_are(one, lambda word: find_unit(word) is not None)


def _all_are(one: Beside, known: Callable[[str], bool]) -> bool:
    words = one.was.words or {}
    total = sum(words.values())
    if not total or len(words) > 12:
        return False
    return sum(n for w, n in words.items() if known(w)) >= _NEARLY_ALL * total


def currencies(week: Week, one: Beside, ratios: Mapping[str, Figures]) -> Iterator[DriftFinding]:
    """Rows that name another currency. ``ratios`` are those of the columns of amounts."""
    if not currency_labels(one):
        return
    other = _relabelled(one, currency_of)
    fresh = _strangers(one, currency_of)
    hits = int(other.sum()) + fresh
    if hits == 0:
        return
    names = sorted({currency_of(str(w)) or str(w) for w in _new_words(one, other, fresh)})
    # What is called by a unit is no money, however it moved.
    factor = _moved_by(other, {name: own for name, own in ratios.items() if not _unit_in(name)})
    same = factor is not None and abs(math.log(factor)) < 0.005
    prices = (
        "; the amounts beside them are as they were" if same
        else f"; the amounts beside them are {times(factor)} what they were" if factor else ""
    )  # fmt: skip
    yield DriftFinding(
        kind="currency_changed",
        severity="hold" if hits >= 0.5 * week.now.rows else "warn",
        column=one.name,
        to=", ".join(names),
        factor=factor,
        rows=hits,
        said=f"'{one.name}' says {', '.join(names)} in {week.of_rows(hits)}{week.in_part(other)}"
        f"{prices}. Ask which currency is right; what is in another one is converted by its rate.",
    )


def units(week: Week, one: Beside, ratios: Mapping[str, Figures]) -> Iterator[DriftFinding]:
    """Rows that name another unit."""
    if not unit_labels(one):
        return
    other = _relabelled(one, _unit_code)
    fresh = _strangers(one, _unit_code)
    hits = int(other.sum()) + fresh
    if hits < 2:
        return
    before = one.was.top()[0]
    words = [str(w) for w in _new_words(one, other, fresh)]
    expected = _factor(before, words)
    factor = _moved_by(other, ratios, expected) or expected
    yield DriftFinding(
        kind="unit_changed",
        severity="hold" if hits >= 0.5 * week.now.rows else "warn",
        column=one.name,
        to=", ".join(sorted(set(words))[:4]),
        factor=factor,
        rows=hits,
        said=f"'{one.name}' says {', '.join(sorted(set(words))[:4])} instead of {before} in "
        f"{week.of_rows(hits)}{week.in_part(other)}. A fill that takes the unit for granted would "
        "be wrong there.",
    )


def _unit_code(word: str) -> str:
    unit = find_unit(word)
    return unit.code if unit else ""


def _relabelled(one: Beside, code_of: _Code) -> Mask:
    """Rows whose label means something else than before; another way to write it is none."""
    hit = np.zeros(one.old.len(), dtype=bool)
    pairs = pl.DataFrame({"o": one.old, "n": one.new, "c": one.changed}).with_row_index("i")
    for (old, new), rows in pairs.filter("c").drop_nulls().group_by("o", "n"):
        code = code_of(str(new))
        if code and code != code_of(str(old)):
            hit[rows["i"].to_numpy()] = True
    return hit


def _strangers(one: Beside, code_of: _Code) -> int:
    """Fresh rows whose label was never there."""
    if one.known is None:
        return 0
    codes = {code_of(w) for w in _ever(one)}
    return sum(n for w, n in counted(one.fresh) if code_of(w) and code_of(w) not in codes)


def _ever(one: Beside) -> list[str]:
    return [w for imprint in one.earlier for w in (imprint.words or {})]


def _new_words(one: Beside, other: Mask, fresh: int) -> list[str]:
    changed = one.new.filter(pl.Series(other)).unique().to_list()
    if changed or not fresh:
        return [str(w) for w in changed]
    ever = set(_ever(one))
    return [w for w in one.fresh.drop_nulls().unique().to_list() if w not in ever]


def _factor(before: str, words: Sequence[str]) -> float | None:
    for word in words:
        old, new = find_unit(before), find_unit(word)
        if old and new and old.dimension == new.dimension and old is not new:
            up, down = ratio(old.code, new.code)
            return up / down
    return None


def _moved_by(
    rows: Mask, ratios: Mapping[str, Figures], expected: float | None = None
) -> float | None:
    """The factor by which the amounts of some rows moved: that of the column which moved most
    alike, or as ``expected``."""
    found = []
    for own in ratios.values():
        known = own[rows & np.isfinite(own)]
        if len(known) >= 1:
            found.append(math.exp(middle(known)))
    if not found:
        return None
    if expected is not None:
        near = [f for f in found if abs(math.log(f / expected)) < 0.1]
        return near[0] if near else None
    return max(found, key=lambda f: abs(math.log(f)))


def in_headings(week: Week) -> Iterator[DriftFinding]:
    """A currency or unit that a column's name says, and its new name says otherwise."""
    for name, called in week.pairs.items():
        if name == called or not week.was.by_name[name].numeric:
            continue
        for kind, before, now in (
            ("currency_changed", currency_in_name(name), currency_in_name(called)),
            ("unit_changed", _unit_in(name), _unit_in(called)),
        ):
            if before and now and before != now:
                yield DriftFinding(
                    kind=kind,
                    severity="hold",
                    column=name,
                    to=now,
                    factor=_factor(before, [now]) if kind == "unit_changed" else None,
                    rows=week.now.by_name[called].filled,
                    said=f"'{name}' is '{called}' now: its amounts are in {now}, not in {before}. "
                    "A fill that takes it for granted would be wrong.",
                )


def _unit_in(name: str) -> str:
    unit = unit_in_name(name)
    return unit.code if unit else ""


def marks_in_cells(week: Week, one: Beside) -> Iterator[DriftFinding]:
    """Amounts with a currency's sign or a unit in the same cell, which is another by now."""
    if not one.was.numeric or one.was.marked < 0.01 or not one.coming.len():
        return
    pattern = rf"({MARK}|[\p{{L}}µ°²³\"″]{{1,4}})\s*$|^\s*({MARK})"
    pairs = pl.DataFrame({"o": one.old, "n": one.new, "c": one.changed}).with_row_index("i")
    marked = (
        pairs.filter("c")
        .drop_nulls()
        .with_columns(
            pl.coalesce(pl.col(c).str.extract(pattern, 1), pl.col(c).str.extract(pattern, 2)).alias(
                c
            )
            for c in ("o", "n")
        )
    )
    strange = marked.drop_nulls().filter(pl.col("o") != pl.col("n"))
    hit = np.zeros(one.old.len(), dtype=bool)
    for (old, new), rows in strange.group_by("o", "n"):
        if _means(str(old)) and _means(str(new)) and _means(str(old)) != _means(str(new)):
            hit[rows["i"].to_numpy()] = True
    hits = int(hit.sum())
    if hits < 2:
        return
    new = str(strange["n"].mode()[0])
    money = bool(currency_of(new))
    known = one.ratios[hit & np.isfinite(one.ratios)]
    yield DriftFinding(
        kind="currency_changed" if money else "unit_changed",
        severity="hold" if hits >= 0.5 * week.now.rows else "warn",
        column=one.name,
        to=new,
        factor=math.exp(middle(known)) if len(known) else None,
        rows=hits,
        said=f"'{one.name}' comes in {new} in {week.of_rows(hits)}{week.in_part(hit)}, where it "
        f"was {strange['o'].mode()[0]}.",
    )


def _means(mark: str) -> str:
    return currency_of(mark) or _unit_code(mark)
