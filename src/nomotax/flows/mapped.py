"""A delivery filled piece by piece, on the disk rather than in memory, without a catalog."""

from __future__ import annotations

import tempfile
from collections import Counter
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from nomotax.core.at_once import each_of
from nomotax.core.crosswalk.compiler import Plan
from nomotax.core.crosswalk.problems import (
    FATE,
    FATES,
    across_rows,
    fates,
    narrow,
    of_rows,
    own_problems,
)
from nomotax.core.crosswalk.trace import Trace, trace
from nomotax.core.errors import NotFound
from nomotax.core.flow.context import Lookups
from nomotax.core.reading.model import ArrivingTable
from nomotax.core.table import ROW, in_pieces

#: Rows that are filled together.
PIECE = 200_000


@dataclass(frozen=True)
class Mapped:
    """``problems`` holds every problem found. Rows in = rows out + held + left out + rejected, by
    ``counts``. The products lie in files that live as long as this."""

    problems: pl.DataFrame
    counts: dict[str, int]
    rows_in: int
    arriving: ArrivingTable
    plan: Plan
    lookups: Lookups
    folder: tempfile.TemporaryDirectory[str]

    @property
    def products(self) -> pl.LazyFrame:
        """The good rows, typed, in their order."""
        found = sorted(Path(self.folder.name).iterdir())
        return pl.concat(pl.scan_parquet(file) for file in found).select(self.plan.fields)

    @property
    def accounted(self) -> bool:
        return self.rows_in == sum(self.counts.values())

    def trace(self, key: str) -> list[Trace]:
        """The way of every filled field of one product. Raises ``NotFound``."""
        for piece in in_pieces(self.arriving.lazy, PIECE):
            rows = self.plan.keys(piece).filter(pl.col("key") == key)[ROW]
            if rows.len():
                row = piece.filter(pl.col(ROW) == rows[0])
                return [trace(self.plan, row, name, self.lookups) for name in self.plan.fields]
        raise NotFound(f"No row of this file makes the product {key}.")


def filled(arriving: ArrivingTable, plan: Plan, lookups: Lookups) -> Mapped:
    """Fill all rows, and part the good ones from the others."""
    folder = tempfile.TemporaryDirectory(prefix="nomotax-")

    def fill(numbered: tuple[int, pl.DataFrame]) -> _Filled:
        number, piece = numbered
        made = plan.fill(piece)
        file = Path(folder.name) / f"{number:09}.parquet"
        made.select(ROW, *plan.fields).write_parquet(file, compression="lz4")
        return _Filled(file, narrow(made, plan), own_problems(made, plan, piece))

    def judge(piece: _Filled) -> dict[str, int]:
        own = of_rows(problems, piece.seen[ROW])
        if own.height == 0:
            return {FATES[0]: piece.seen.height}
        judged = fates(pl.read_parquet(piece.file, memory_map=False), own)
        good = judged.filter(pl.col(FATE) == FATES[0]).drop(FATE)
        good.write_parquet(piece.file, compression="lz4")
        return dict(judged.group_by(FATE).len().iter_rows())

    pieces = list(each_of(fill, enumerate(in_pieces(arriving.lazy, PIECE))))
    seen = pl.concat(piece.seen for piece in pieces)
    rows = seen.height
    problems = pl.concat([*(piece.own for piece in pieces), across_rows(seen, plan)])
    problems = problems.sort("row", maintain_order=True)
    counts: Counter[str] = Counter()
    del seen
    for found in each_of(judge, pieces):
        counts.update(found)
    return Mapped(problems, dict(counts), rows, arriving, plan, lookups, folder)


@dataclass(frozen=True)
class _Filled:
    """A piece: its rows in a file, what others have to do with them, and their own problems."""

    file: Path
    seen: pl.DataFrame
    own: pl.DataFrame
