"""What is kept of a delivery so that later ones can be held beside it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
import polars as pl
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from nomotax.core.at_once import each_of
from nomotax.core.drift.cells import (
    COMMA,
    DATE,
    LETTERED,
    MARKED,
    NUMBER,
    POINT,
    counted,
    decimal_mark,
    decimals,
    figures,
    grouped_by,
    share,
    tidy,
)
from nomotax.core.drift.moves import Moves
from nomotax.core.numbers import DecimalMark
from nomotax.core.table import HIDDEN

#: Shapes are counted over so many evenly spread rows; what is counted exactly is over all.
SAMPLE = 20_000
#: So many distinct words of a column are known by name.
WORDS = 3_000
#: Up to so many cells different ones are counted exactly.
_MANY = 100_000


class ColumnImprint(BaseModel):
    """One column. Shares are of its filled cells; ``whole`` and ``zero`` of those
    that are numbers. ``grouped`` counts numbers with a sign between their thousands, ``ungrouped``
    those of a thousand and more without. ``coded`` says that its digits are codes and no amounts:
    zeros stand before them, or all are of one length and different. ``lettered`` are numbers with
    a unit or a currency's code beside them, ``marked`` those with any sign. ``words`` are null
    where there are too many."""

    model_config = ConfigDict(frozen=True)

    name: str
    filled: int
    distinct: int
    number: float = 0.0
    date: float = 0.0
    lettered: float = 0.0
    marked: float = 0.0
    whole: float = 0.0
    zero: float = 0.0
    mark: DecimalMark = "."
    places: int = 0
    commas: float = 0.0
    points: float = 0.0
    grouped: dict[str, int] = {}
    ungrouped: int = 0
    length: float = 0.0
    coded: bool = False
    middle: float = 0.0
    words: dict[str, int] | None = None

    @property
    def numeric(self) -> bool:
        """Whether it is a column of numbers, some words among them or not."""
        return self.number >= 0.6

    def top(self) -> tuple[str, int]:
        """Its most frequent word and how often it stands there."""
        if not self.words:
            return "", 0
        return max(self.words.items(), key=lambda pair: pair[1])


class Imprint(BaseModel):
    """A delivery: its size, its columns, and how it was to the one before (``moves``). ``key``
    tells its rows apart; ``repeated`` are the rows beyond the first of each key. ``content`` is
    the same for the same cells, in whatever order."""

    model_config = ConfigDict(frozen=True)

    rows: int
    columns: list[ColumnImprint]
    key: str = ""
    repeated: int = 0
    content: str = ""
    moves: Moves | None = None

    @cached_property
    def by_name(self) -> dict[str, ColumnImprint]:
        return {c.name: c for c in self.columns}


@dataclass(frozen=True)
class Table:
    """A delivery's table, read a column at a time as each is asked for; ``mark`` is the one its
    numbers are said to be written with."""

    lazy: pl.LazyFrame
    mark: DecimalMark = "."

    @cached_property
    def columns(self) -> list[str]:
        return [c for c in self.lazy.collect_schema().names() if c not in HIDDEN]

    @cached_property
    def rows(self) -> int:
        return int(self.lazy.select(pl.len()).collect().item())

    def __getitem__(self, name: str) -> pl.Series:
        """The cells of a column without blanks at the ends, null where there is nothing."""
        if name not in self._read:
            text = self.lazy.select(pl.col(name).cast(pl.String)).collect().to_series()
            self._read[name] = tidy(text)
        return self._read[name]

    @cached_property
    def _read(self) -> dict[str, pl.Series]:
        return {}


def imprint(table: Table) -> Imprint:
    """A first look at a delivery, without any other beside it."""
    marks = _marks(table)
    columns = list(each_of(lambda name: _column(name, table[name], marks), table.columns))
    digest = np.zeros(table.rows, dtype=np.uint64)
    # In whatever order columns stand, and without those that say but when a file was made.
    for one in sorted(columns, key=lambda one: one.name):
        if one.distinct > 1:
            digest = _stir(digest, table[one.name])
    content = f"{int(digest.sum(dtype=np.uint64)):016x}" if len(digest) else ""
    return Imprint(rows=table.rows, columns=columns, content=content)


def _stir(digest: NDArray[np.uint64], cells: pl.Series) -> NDArray[np.uint64]:
    """A row's digest with one more of its cells: equal rows have equal ones."""
    hashed = cells.hash(seed=1).to_numpy()
    mixed: NDArray[np.uint64] = (digest ^ hashed) * np.uint64(0x9E3779B97F4A7C15)
    return mixed ^ (mixed >> np.uint64(29))


def _sampled(cells: pl.Series) -> pl.Series:
    filled = cells.drop_nulls()
    return filled.gather_every(filled.len() // SAMPLE + 1) if filled.len() > SAMPLE else filled


def _marks(table: Table) -> DecimalMark:
    """The decimal mark of the file as a whole, by all its columns."""
    commas = points = 0.0
    head = table.lazy.select(pl.col(c).cast(pl.String) for c in table.columns).head(2000).collect()
    for name in head.columns:
        cells = tidy(head[name]).drop_nulls()
        if share(cells, NUMBER) > 0.6:
            commas, points = commas + share(cells, COMMA), points + share(cells, POINT)
    if commas == points:
        return table.mark
    return "," if commas > points else "."


def _column(name: str, cells: pl.Series, mark: DecimalMark) -> ColumnImprint:
    filled = cells.len() - cells.null_count()
    distinct = _distinct(cells, filled)
    words = dict(counted(cells)) if distinct <= WORDS else None
    some = _sampled(cells)
    known = ColumnImprint(
        name=name,
        filled=filled,
        distinct=distinct,
        words=words,
        date=share(some, DATE),
        length=float(some.str.len_chars().mean() or 0.0),  # type: ignore[arg-type]
        coded=_coded(some, distinct, filled),
    )
    number = share(some, NUMBER) if known.date < 0.5 else 0.0
    if number < 0.05:
        return known
    return known.model_copy(update={"number": number, **_of_numbers(some, mark)})


def _distinct(cells: pl.Series, filled: int) -> int:
    """How many different cells there are; where there are many it is an estimate."""
    if cells.len() <= _MANY:
        return cells.drop_nulls().n_unique()
    about = int(pl.DataFrame({"c": cells}).select(pl.col("c").approx_n_unique()).item())
    return cells.drop_nulls().n_unique() if about <= 2 * WORDS else min(filled, about)


def _coded(cells: pl.Series, distinct: int, filled: int) -> bool:
    if not filled or share(cells, r"^\d+$") < 0.9:
        return False
    if share(cells, r"^0\d") > 0.05:
        return True
    lengths = cells.str.len_chars()
    return lengths.n_unique() == 1 and lengths[0] >= 4 and distinct >= 0.9 * filled


def _of_numbers(cells: pl.Series, otherwise: DecimalMark) -> dict[str, object]:
    mark = decimal_mark(cells, otherwise)
    found = figures(cells, mark)
    found = found[np.isfinite(found)]
    above = found[found > 0]
    grouped = grouped_by(cells, mark)
    return {
        "mark": mark,
        "lettered": share(cells, LETTERED),
        "marked": share(cells, MARKED),
        "places": decimals(cells),
        "whole": float(np.mean(found == np.round(found))) if len(found) else 0.0,
        "zero": float(np.mean(found == 0)) if len(found) else 0.0,
        "commas": share(cells, COMMA),
        "points": share(cells, POINT),
        "grouped": {sign: n for sign, n in grouped.items() if n},
        "ungrouped": int((found >= 1000).sum()) - sum(grouped.values()),
        "middle": float(np.log(np.median(above))) if len(above) else 0.0,
    }
