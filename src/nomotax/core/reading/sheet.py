"""The cells of one sheet as text, and what a workbook says about them."""

from __future__ import annotations

from dataclasses import dataclass, field

import polars as pl


@dataclass(frozen=True)
class Marks:
    """Rows and columns count from 0, except ``hidden_rows``, which carry the sheet's numbers.

    ``zeros`` are cells whose format pads whole numbers to a width; ``shown`` cells whose value
    says something else than what a person sees (times of day, durations), with the latter;
    ``faults`` cells whose formula has no usable result, with what stands there. ``first_column``
    is where the sheet's values begin.
    """

    zeros: dict[tuple[int, int], int] = field(default_factory=dict)
    faults: dict[tuple[int, int], str] = field(default_factory=dict)
    hidden_rows: frozenset[int] = frozenset()
    hidden_columns: frozenset[int] = frozenset()
    shown: dict[tuple[int, int], str] = field(default_factory=dict)
    first_column: int = 0

    def as_shown(self, frame: pl.DataFrame) -> pl.DataFrame:
        """The cells with the leading zeros and the times that their formats show."""
        by_column: dict[int, dict[int, str]] = {}
        for (row, column), text in self.shown.items():
            by_column.setdefault(column, {})[row] = text
        for column, texts in by_column.items():
            if column < frame.width:
                cells = frame.to_series(column).to_list()
                made = [texts.get(row, cell) for row, cell in enumerate(cells)]
                frame = frame.with_columns(pl.Series(frame.columns[column], made, pl.String))
        return self._with_zeros(frame)

    def _with_zeros(self, frame: pl.DataFrame) -> pl.DataFrame:
        by_column: dict[int, dict[int, int]] = {}
        for (row, column), width in self.zeros.items():
            by_column.setdefault(column, {})[row] = width
        for column, widths in by_column.items():
            if column >= frame.width:
                continue
            name = frame.columns[column]
            wanted = pl.DataFrame(
                {"r": list(widths), "w": list(widths.values())},
                schema={"r": pl.UInt32, "w": pl.UInt32},
            )
            joined = (
                frame.select(name)
                .with_row_index("r")
                .join(wanted, on="r", how="left", maintain_order="left")
            )
            cell = pl.col(name)
            padded = cell.str.zfill(pl.col("w"))
            whole = cell.str.contains(r"^\d+$") & pl.col("w").is_not_null()
            frame = frame.with_columns(
                joined.select(pl.when(whole).then(padded).otherwise(cell).alias(name)).to_series()
            )
        return frame


@dataclass(frozen=True)
class SheetCells:
    """``frame`` has text columns ``c0``, ``c1`` ... from the sheet's first row and column on;
    empty cells are null."""

    frame: pl.DataFrame
    marks: Marks = field(default_factory=Marks)


def column_letters(index: int) -> str:
    """0 is A, 25 is Z, 26 is AA."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def column_index(letters: str) -> int:
    """The other way round."""
    index = 0
    for letter in letters:
        index = index * 26 + ord(letter) - 64
    return index - 1
