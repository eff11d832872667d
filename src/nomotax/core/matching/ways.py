"""Ways in which rows could find their products, tried out: how many find one, how many several."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import get_args

import polars as pl

from nomotax.core.crosswalk.compiler import TOLD
from nomotax.core.crosswalk.identity import Identity, Ignored, Way
from nomotax.core.matching.alike import told_by
from nomotax.core.matching.finder import FOUND, Finder, Known

_LOOSE: tuple[Ignored, ...] = get_args(Ignored)


@dataclass(frozen=True)
class Tried:
    """A way taken by itself: rows that it finds one product for, and several."""

    way: Way
    found: int
    several: int


def tried(way: Way, rows: pl.DataFrame, known: Known) -> Tried:
    """How a way does by itself. ``rows`` have ``__told:<field>`` of its fields."""
    found = Finder(Identity(ways=(way,)), known).find(rows)
    count = found[FOUND].list.len()
    return Tried(way, int((count == 1).sum()), int((count > 1).sum()))


def propose(rows: pl.DataFrame, known: Known, fields: Sequence[str], most: int = 6) -> list[Tried]:
    """The ways that find the most single products, the best first: each field by itself, not more
    loosely than it takes, and two together where one alone finds several."""
    alone = [one for f in fields if (one := _alone(f, rows, known)) is not None]
    found = [one for one in alone if one.found > one.several]
    found += _together([one for one in alone if one.several], alone, rows, known)
    found.sort(key=lambda t: (-t.found, t.several, len(t.way.fields), len(t.way.ignore)))
    return found[:most]


def _alone(name: str, rows: pl.DataFrame, known: Known) -> Tried | None:
    """A field by itself, at its best; None where it finds nothing at all."""
    near = _near(name, rows, known)
    loosest = tried(Way(fields=(name,), ignore=_LOOSE), rows, near)
    if not loosest.found + loosest.several:
        return None
    best = max(tried(Way(fields=(name,)), rows, near), loosest, key=_worth)
    for one in best.way.ignore:
        ignore = tuple(i for i in best.way.ignore if i != one)
        stricter = tried(Way(fields=(name,), ignore=ignore), rows, near)
        best = stricter if _worth(stricter) >= _worth(best) else best
    return best


def _worth(one: Tried) -> tuple[bool, int]:
    """A way that mostly finds several is worth less than any that does not."""
    return one.found > one.several, one.found


def _together(
    doubtful: Sequence[Tried], alone: Sequence[Tried], rows: pl.DataFrame, known: Known
) -> Iterator[Tried]:
    """Two fields, one of which finds several products by itself, where both find more than either
    does, at its best or as loosely."""
    for one, other in combinations(alone, 2):
        if one not in doubtful and other not in doubtful:
            continue
        ignore = tuple(i for i in _LOOSE if i in {*one.way.ignore, *other.way.ignore})
        fields = one.way.fields + other.way.fields
        near = _near(fields[0], rows, known)
        both = tried(Way(fields=fields, ignore=ignore), rows, near)
        if both.found > max(one.found, other.found):
            apart = (tried(Way(fields=(f,), ignore=ignore), rows, known).found for f in fields)
            if both.found > max(apart):
                yield both


def _near(name: str, rows: pl.DataFrame, known: Known) -> Known:
    """The products that any row could find by a field, however loosely."""
    told = told_by([pl.col(TOLD + name)], _LOOSE).alias("__near")
    asked = rows.select(told).unique()
    products = known.products.with_columns(told)
    return Known(products.join(asked, on="__near", how="semi").drop("__near"))
