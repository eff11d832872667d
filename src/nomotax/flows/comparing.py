"""A delivery compared with the catalog piece by piece, on the disk rather than in memory."""

from __future__ import annotations

import itertools
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import polars as pl

from nomotax.core.at_once import each_of
from nomotax.core.changes.diff import STATUSES, Comparison, Noted, as_lines
from nomotax.core.table import in_pieces

#: Rows that are filled and compared together.
PIECE = 50_000


@dataclass
class Compared:
    """What a comparison found: lines by status, in files of this machine; ``problems`` as in
    ``problems_of``. Rows of one fate lie together."""

    folder: Path
    rows: int = 0
    #: The lines as they arrived, piece by piece of ``PIECE`` rows; then those of products gone.
    pieces: list[pl.LazyFrame] = field(default_factory=list)
    gone: list[pl.LazyFrame] = field(default_factory=list)
    problems: pl.DataFrame = field(default_factory=pl.DataFrame)
    _counts: dict[str, int] = field(default_factory=dict)
    _parts: dict[str, list[pl.LazyFrame]] = field(default_factory=dict)
    _shape: pl.LazyFrame | None = None
    _numbers: Iterator[int] = field(default_factory=itertools.count)

    def keep(self, table: pl.DataFrame) -> pl.LazyFrame:
        """The same table in a file, as long as this is open."""
        file = self.folder / f"{next(self._numbers)}.parquet"
        table.write_parquet(file, compression="lz4", statistics=False)
        return pl.scan_parquet(file)

    def add(self, lines: pl.LazyFrame, statuses: pl.Series) -> None:
        """More lines, and the status of each. Those of one status alone, as most pieces are, stay
        where they are kept."""
        if not statuses.len():
            self._shape = lines
        # In the order in which they come: what a run makes is the same each time.
        order = statuses.unique(maintain_order=True)
        counts = {name: int((statuses == name).sum()) for name in order}
        whole = None if len(counts) == 1 else lines.collect()
        for name, count in counts.items():
            own = lines if whole is None else self.keep(whole.filter(pl.col("status") == name))
            self._parts.setdefault(name, []).append(own)
            self._counts[name] = self._counts.get(name, 0) + count

    @property
    def counts(self) -> dict[str, int]:
        """Lines by status; all but "gone" add up to the rows that arrived, each counted for every
        product that it is about."""
        return {status: self._counts.get(status, 0) for status in STATUSES}

    def lines(self) -> pl.LazyFrame:
        """All lines, as long as this is open; none of a delivery without rows."""
        parts = [part for own in self._parts.values() for part in own]
        # A delivery without rows has all columns, too, whatever else becomes of products.
        shape = [] if self._shape is None else [self._shape]
        return pl.concat([*shape, *parts], how="diagonal")


@contextmanager
def compared(
    arriving: pl.LazyFrame,
    comparison: Comparison,
    brought: pl.DataFrame | None,
    tell: Callable[[int, int], None],
) -> Iterator[Compared]:
    """Compare all rows. ``brought`` are the keys that the feed has named, of which products may be
    gone, as ``Comparison.gone`` takes them; None where none can be. ``tell`` hears how many
    rows of how many are filled."""
    with tempfile.TemporaryDirectory(prefix="nomotax-") as folder:
        found = Compared(Path(folder))
        _compare(found, arriving, comparison, brought, tell)
        # What the catalog held is not kept in memory for as long as the lines are looked at.
        del comparison
        yield found


def _compare(
    found: Compared,
    arriving: pl.LazyFrame,
    comparison: Comparison,
    brought: pl.DataFrame | None,
    tell: Callable[[int, int], None],
) -> None:
    total = int(arriving.select(pl.len()).collect().item())
    taken: list[pl.LazyFrame] = []

    def take(piece: pl.DataFrame) -> tuple[pl.LazyFrame, Noted]:
        lines, noted = comparison.take(piece)
        return found.keep(lines), noted

    def judge(lines: pl.LazyFrame) -> tuple[pl.LazyFrame, pl.Series]:
        asked = comparison.looked_at(lines.collect_schema().names())
        judged = comparison.judge(lines.select(asked).collect(), found.problems)
        return as_lines(lines, found.keep(judged)), judged["status"]

    for lines, noted in each_of(take, in_pieces(arriving, PIECE)):
        taken.append(lines)
        comparison.note(noted)
        found.rows += noted.rows
        tell(found.rows, total)
    found.problems = comparison.problems()
    for judged, statuses in each_of(judge, taken):
        found.pieces.append(judged)
        found.add(judged, statuses)
    if brought is not None:
        for gone in comparison.gone(brought):
            found.gone.append(found.keep(gone))
            found.add(found.gone[-1], gone["status"])
