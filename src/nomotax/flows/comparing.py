"""A delivery compared with the catalog piece by piece, on the disk rather than in memory."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

import polars as pl

from nomotax.core.at_once import each_of
from nomotax.core.changes.diff import STATUSES, Comparison, Noted
from nomotax.core.table import in_pieces

#: Rows that are filled and compared together.
PIECE = 50_000


@dataclass
class Compared:
    """What a comparison found: lines by status, in files of this machine; ``problems`` as in
    ``problems_of``. Rows of one fate lie together."""

    folder: Path
    rows: int = 0
    problems: pl.DataFrame = field(default_factory=pl.DataFrame)
    _counts: dict[str, int] = field(default_factory=dict)
    _files: dict[str, list[Path]] = field(default_factory=dict)
    _shape: pl.DataFrame = field(default_factory=pl.DataFrame)

    def add(self, lines: pl.DataFrame) -> None:
        """More lines."""
        self._shape = lines.clear()
        for (status,), own in lines.group_by("status", maintain_order=True):
            name = str(status)
            files = self._files.setdefault(name, [])
            files.append(self.folder / f"{name}-{len(files)}.parquet")
            own.write_parquet(files[-1], compression="lz4", statistics=False)
            self._counts[name] = self._counts.get(name, 0) + own.height

    @property
    def counts(self) -> dict[str, int]:
        """Lines by status; all but "gone" add up to the rows that arrived, each counted for every
        product that it is about."""
        return {status: self._counts.get(status, 0) for status in STATUSES}

    def lines(self) -> pl.LazyFrame:
        """All lines, as long as this is open; none of a delivery without rows."""
        files = [pl.scan_parquet(file) for own in self._files.values() for file in own]
        return pl.concat(files, how="diagonal") if files else self._shape.lazy()


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
        total = int(arriving.select(pl.len()).collect().item())
        taken: list[Path] = []

        def take(numbered: tuple[int, pl.DataFrame]) -> tuple[Path, Noted]:
            lines, noted = comparison.take(numbered[1])
            file = found.folder / f"taken-{numbered[0]}.parquet"
            lines.write_parquet(file, compression="lz4", statistics=False)
            return file, noted

        def judge(file: Path) -> pl.DataFrame:
            judged = comparison.judge(pl.read_parquet(file), found.problems)
            file.unlink()
            return judged

        for file, noted in each_of(take, enumerate(in_pieces(arriving, PIECE))):
            taken.append(file)
            comparison.note(noted)
            found.rows += noted.rows
            tell(found.rows, total)
        found.problems = comparison.problems()
        for judged in each_of(judge, taken):
            found.add(judged)
        if brought is not None:
            for gone in comparison.gone(brought):
                found.add(gone)
        yield found
