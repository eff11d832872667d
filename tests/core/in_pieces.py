"""A comparison as a run makes it, of frames small enough to be seen whole."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import polars as pl

from nomotax.core.changes.diff import STATUSES, Comparison, as_lines
from nomotax.core.changes.held import Held, held_columns
from nomotax.core.changes.marks import OLD
from nomotax.core.crosswalk.compiler import Plan

#: The feed that brings what is compared.
FEED = 1


@dataclass(frozen=True)
class Changeset:
    frame: pl.DataFrame
    problems: pl.DataFrame

    def counts(self) -> dict[str, int]:
        found = dict(self.frame.group_by("status").len().iter_rows())
        return {status: found.get(status, 0) for status in STATUSES}


def held(catalog: pl.DataFrame) -> Held:
    """A catalog out of key, owner, state and ``old:<field>``."""
    fields = [c.removeprefix(OLD) for c in catalog.columns if c.startswith(OLD)]
    empty = pl.DataFrame(schema=held_columns(fields))
    return Held(pl.concat([empty, catalog], how="diagonal"))


def lines_of(whole: Comparison, piece: pl.DataFrame, problems: pl.DataFrame) -> pl.DataFrame:
    """The lines of a piece, judged by no more of it than a run looks at."""
    judged = whole.judge(piece.select(whole.looked_at(piece.columns)), problems)
    return as_lines(piece.lazy(), judged.lazy()).collect()


def compare(
    arriving: pl.DataFrame,
    plan: Plan,
    catalog: pl.DataFrame,
    owner: str,
    kept: Mapping[str, Sequence[str]] | None = None,
    brought: pl.DataFrame | None = None,
    size: int = 1_000,
    **more: Any,
) -> Changeset:
    """Compare so many rows at a time; ``more`` as ``Comparison`` takes it."""
    whole = Comparison(plan, held(catalog), owner, FEED, kept, **more)
    taken = [whole.take(arriving.slice(n, size)) for n in range(0, max(1, arriving.height), size)]
    for _, noted in taken:
        whole.note(noted)
    problems = whole.problems()
    lines = [lines_of(whole, piece, problems) for piece, _ in taken]
    lines += whole.gone(brought) if brought is not None else []
    return Changeset(pl.concat(lines, how="diagonal"), problems)
