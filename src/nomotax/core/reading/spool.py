"""Records of any width gathered into one all-text table without holding them all in memory."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable
from pathlib import Path

import polars as pl

from nomotax.core.reading.flatten import Flat
from nomotax.core.reading.lists import list_text, wrapped
from nomotax.core.table import FAULT, HIDDEN, ROW

#: Stands before a cell that is a list until it is known which columns hold lists.
LIST_MARK = "\x1d"
_BATCH = 50_000
_PACK = 500
#: So many bytes of a table stay in memory; the rest goes to files.
_IN_MEMORY = 256 << 20


#: Hears how many records have been read so far; may raise to stop.
Tell = Callable[[int], None]


def silent(records: int) -> None:
    """Tells nobody."""


def _table(records: list[dict[str, str]], columns: Iterable[str]) -> pl.DataFrame:
    if not columns:
        return pl.select(pl.repeat(None, len(records), dtype=pl.String).alias(FAULT))
    return pl.from_dicts(records, schema=dict.fromkeys(columns, pl.String))


def _filled(frame: pl.DataFrame) -> int:
    empty: int = sum(frame.null_count().row(0))
    return frame.height * frame.width - empty


def _texts(record: Flat) -> dict[str, str]:
    """The record with its lists as texts."""
    for value in record.values():
        if type(value) is not str:
            return {n: v if type(v) is str else LIST_MARK + list_text(v) for n, v in record.items()}
    return record  # type: ignore[return-value]  # texts only, as was seen


class Parts:
    """Tables one under the other. What is little stays in memory; the rest goes to files in a
    temporary folder that lives as long as this."""

    def __init__(self) -> None:
        self._size = 0.0
        self._parts: list[pl.LazyFrame] = []
        self._folder: tempfile.TemporaryDirectory[str] | None = None

    def __len__(self) -> int:
        return len(self._parts)

    def add(self, frame: pl.DataFrame) -> None:
        """A table more."""
        self._size += frame.estimated_size()
        if self._size < _IN_MEMORY:
            self._parts.append(frame.lazy())
            return
        if self._folder is None:
            self._folder = tempfile.TemporaryDirectory(prefix="nomotax-")
        path = Path(self._folder.name) / f"{len(self._parts)}.parquet"
        frame.write_parquet(path, compression="lz4")
        self._parts.append(pl.scan_parquet(path))

    def table(self) -> pl.LazyFrame:
        """All of them; columns that some lack are null there."""
        return pl.concat(self._parts, how="diagonal")


class Spool:
    """Takes records into parts of one table. Empty texts are no cells, nor with ``strip`` those of
    nothing but blanks."""

    def __init__(self, tell: Tell = silent, strip: bool = False) -> None:
        self.rows = 0
        self._tell = tell
        self._strip = strip
        self._held: list[dict[str, str]] = []
        #: Every name so far, and those that are looked for in the next records.
        self._names: dict[str, None] = {}
        self._columns: dict[str, None] = {}
        self._lists: set[str] = set()
        self._packs: list[pl.DataFrame] = []
        self._parts = Parts()

    def add(self, records: Iterable[Flat]) -> None:
        """Take flat records."""
        self.add_texts([_texts(record) for record in records])

    def add_texts(self, records: list[dict[str, str]]) -> None:
        """Take flat records that hold no lists, as they are."""
        self._held += records
        self._count(len(records))

    def _count(self, more: int) -> None:
        self.rows += more
        if len(self._held) >= _PACK:
            self._pack()
            if sum(f.height for f in self._packs) >= _BATCH:
                self._flush()
                self._tell(self.rows)

    def _pack(self) -> None:
        """Make a small table of the records held, while they are still in the processor's cache."""
        held, self._held = self._held, []
        frame = _table(held, self._columns)
        if _filled(frame) < sum(map(len, held)):  # some hold more than the records before them
            for record in held:
                self._columns |= dict.fromkeys(record)
            frame = _table(held, self._columns)
        self._packs.append(frame)

    def _flush(self) -> None:
        self._pack()
        frame = pl.concat(self._packs, how="diagonal", rechunk=True)
        self._packs = []
        text = pl.all().str.strip_chars() if self._strip else pl.all()
        frame = frame.with_columns(pl.when(text != "").then(pl.all()))
        lists = frame.select(pl.all().str.starts_with(LIST_MARK).any())
        self._lists.update(n for n in lists.columns if lists[n][0])
        empty = frame.null_count()
        self._columns = {n: None for n in self._columns if empty[n][0] < frame.height}
        self._names |= self._columns
        self._parts.add(frame)

    def finish(self) -> pl.LazyFrame:
        """The table: hidden columns, then every name in order of appearance. Columns that hold a
        list anywhere hold lists everywhere."""
        if self._held or self._packs or not self._parts:
            self._flush()
        return (
            self._parts.table()
            .with_columns(
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
