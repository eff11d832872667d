"""Records of any width gathered into one all-text table without holding them all in memory."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from itertools import chain
from pathlib import Path

import polars as pl

from nomotax.core.reading.flatten import Flat
from nomotax.core.reading.lists import list_text, wrapped
from nomotax.core.table import FAULT, HIDDEN, ROW

#: Stands before a cell that is a list until it is known which columns hold lists.
LIST_MARK = "\x1d"
_BATCH = 50_000
#: So many bytes of a table stay in memory; the rest goes to files.
_IN_MEMORY = 256 << 20


#: Hears how many records have been read so far; may raise to stop.
Tell = Callable[[int], None]


def silent(records: int) -> None:
    """Tells nobody."""


class Spool:
    """Takes records one by one. What is little stays in memory; from then on each is a file in
    a temporary folder that lives as long as the spool."""

    def __init__(self, tell: Tell = silent) -> None:
        self.rows = 0
        self._tell = tell
        self._held: list[dict[str, str]] = []
        self._size = 0.0
        self._names: dict[str, None] = {}
        self._lists: set[str] = set()
        self._parts: list[pl.LazyFrame] = []
        self._folder: tempfile.TemporaryDirectory[str] | None = None

    def add(self, record: Flat) -> None:
        """Take a flat record; empty texts are no cells."""
        for value in record.values():
            if type(value) is not str:
                record = {
                    n: v if type(v) is str else LIST_MARK + list_text(v) for n, v in record.items()
                }
                break
        self._held.append(record)  # type: ignore[arg-type]  # texts only by now
        self._count(1)

    def add_texts(self, records: list[dict[str, str]]) -> None:
        """Take flat records that hold no lists and no empty texts, as they are."""
        self._held += records
        self._count(len(records))

    def _count(self, more: int) -> None:
        self.rows += more
        if len(self._held) >= _BATCH:
            self._flush()
            self._tell(self.rows)

    def _flush(self) -> None:
        held, self._held = self._held, []
        columns = dict.fromkeys(chain.from_iterable(held))
        self._names.update(columns)
        if columns:
            frame = pl.from_dicts(held, schema=dict.fromkeys(columns, pl.String))
        else:
            frame = pl.select(pl.repeat(None, len(held), dtype=pl.String).alias(FAULT))
        self._lists.update(n for n in columns if frame[n].str.starts_with(LIST_MARK).any())
        self._parts.append(self._kept(frame))

    def _kept(self, frame: pl.DataFrame) -> pl.LazyFrame:
        self._size += frame.estimated_size()
        if self._size < _IN_MEMORY:
            return frame.lazy()
        if self._folder is None:
            self._folder = tempfile.TemporaryDirectory(prefix="nomotax-")
        path = Path(self._folder.name) / f"{len(self._parts)}.parquet"
        frame.write_parquet(path, compression="lz4")
        return pl.scan_parquet(path)

    def finish(self) -> pl.LazyFrame:
        """The table: hidden columns, then every name in order of appearance. Columns that hold a
        list anywhere hold lists everywhere."""
        if self._held or not self._parts:
            self._flush()
        table = pl.concat(self._parts, how="diagonal")
        return (
            table.with_columns(
                pl.when(pl.col(n).str.starts_with(LIST_MARK))
                .then(pl.col(n).str.slice(1))
                .otherwise(wrapped(n))
                .alias(n)
                for n in self._names
                if n in self._lists
            )
            .with_columns(
                pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW),
                pl.lit(None, dtype=pl.String).alias(FAULT),
            )
            .select(*HIDDEN, *self._names)
        )
