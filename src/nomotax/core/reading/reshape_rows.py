"""Changes of which rows there are: those that pass a test, headings carried into them, a range."""

from __future__ import annotations

import re
from typing import Literal

import polars as pl
from pydantic import Field

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.shape_change import ShapeChange, count_rows, free_name, said
from nomotax.core.table import HIDDEN

_SHOWN = 5

Test = Literal["is", "is_not", "contains", "filled", "empty", "at_least", "at_most"]
_SAYS = {
    "is": "is", "is_not": "is not", "contains": "contains", "filled": "is filled",
    "empty": "is empty", "at_least": "is at least", "at_most": "is at most",
}  # fmt: skip


class KeepOnly(ShapeChange):
    """Keeps the rows where ``column`` passes the test; the others are counted. Text is compared
    without blanks at its ends and without regard to case; numbers in either decimal writing."""

    do: Literal["keep"] = "keep"
    column: str
    test: Test = "is"
    values: tuple[str, ...] = ()

    def describe(self) -> str:
        return f"only rows where {self.column!r} {_SAYS[self.test]} {said(self.values)}".rstrip()

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        self.need(table, (self.column,))
        kept = table.filter(self._passes())
        before, after = count_rows(table), count_rows(kept)
        told.append(
            ReadingProblem(
                kind="not_kept",
                level="note",
                count=before - after,
                message=f"Kept {self.describe()}: {after:,} of {before:,}; "
                f"{before - after:,} were passed over.",
            )
        )
        return kept

    def _passes(self) -> pl.Expr:
        text = pl.col(self.column).str.strip_chars()
        if self.test == "filled":
            return (text != "").fill_null(False)
        if self.test == "empty":
            return (text == "").fill_null(True)
        if self.test in ("at_least", "at_most"):
            return self._compares(text)
        lower, wanted = text.str.to_lowercase(), [v.strip().lower() for v in self.values]
        if self.test == "contains":
            return pl.any_horizontal(
                lower.str.contains(v, literal=True) for v in wanted or [""]
            ).fill_null(False)
        found = lower.is_in(wanted).fill_null("" in wanted)
        return found if self.test == "is" else ~found

    def _compares(self, text: pl.Expr) -> pl.Expr:
        limit = _number(self.values[0]) if self.values else None
        if limit is None:
            raise UnreadableFile(
                f"{self.values[0] if self.values else 'Nothing'!r} is no number to compare with.",
                where=self.describe(),
                remedy="Give a number such as 12.5.",
            )
        bare = text.str.replace_all(r"[\s€$£]", "")
        comma = bare.str.replace_all(".", "", literal=True).str.replace(",", ".", literal=True)
        point = bare.str.replace_all(",", "", literal=True)
        plain = pl.when(bare.str.contains(r",\d{1,2}$")).then(comma).otherwise(point)
        number = plain.cast(pl.Decimal(38, 6), strict=False)
        bound = pl.lit(limit).cast(pl.Decimal(38, 6))
        passes = number >= bound if self.test == "at_least" else number <= bound
        return passes.fill_null(False)


def _number(text: str) -> str | None:
    plain = text.strip().replace(",", ".")
    return plain if re.fullmatch(r"-?\d+(\.\d+)?", plain) else None


class CarryDown(ShapeChange):
    """Carries what stands above down to the rows below it. Without ``into``, an empty cell of
    ``column`` gets the value above it. With ``into``, a row in which only ``column`` is filled is
    a heading: its text goes to the new column ``into`` of the rows below, up to the next heading,
    and the row itself is no row any more."""

    do: Literal["carry"] = "carry"
    column: str
    into: str = Field(default="", max_length=200)

    def describe(self) -> str:
        if self.into:
            return f"headings of {self.column!r} carried into {self.into!r}"
        return f"{self.column!r} carried down over empty cells"

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        self.need(table, (self.column,))
        return self._headings(table, told) if self.into else self._cells(table, told)

    def _cells(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        empty = _blank(self.column)
        filled = pl.when(~empty).then(pl.col(self.column)).forward_fill()
        carried = count_rows(table.filter(empty & filled.is_not_null()))
        told.append(
            ReadingProblem(
                kind="reshaped",
                level="note",
                count=carried,
                message=f"{self.column}: {carried:,} empty cells got the value above them.",
            )
        )
        return table.with_columns(filled.alias(self.column))

    def _headings(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        names = [n for n in table.collect_schema().names() if n not in HIDDEN]
        others = [_blank(n) for n in names if n != self.column]
        alone = ~_blank(self.column) & pl.all_horizontal(*others, pl.lit(True))
        into = free_name(names, self.into)
        text = pl.when(alone).then(pl.col(self.column).str.strip_chars()).forward_fill()
        marked = table.with_columns(alone.alias("__heading"), text.alias(into)).collect().lazy()
        rows = marked.filter(~pl.col("__heading")).drop("__heading")
        before, after = count_rows(marked), count_rows(rows)
        above = count_rows(rows.filter(pl.col(into).is_null()))
        told.append(
            ReadingProblem(
                kind="reshaped",
                level="note",
                count=before - after,
                examples=_headings_in(marked, self.column),
                message=f"{before - after:,} headings were carried into {into!r} of the rows "
                f"below; {before:,} rows became {after:,}."
                + (f" {above:,} rows stand above the first heading." if above else ""),
            )
        )
        return rows.select(into, *(n for n in rows.collect_schema().names() if n != into))


def _headings_in(marked: pl.LazyFrame, column: str) -> list[str]:
    """The first headings: among them a row that was none would show."""
    found = marked.filter(pl.col("__heading")).select(pl.col(column).str.strip_chars())
    return found.head(_SHOWN).collect().to_series().to_list()


def _blank(name: str) -> pl.Expr:
    return pl.col(name).str.strip_chars().fill_null("") == ""


class TakeRows(ShapeChange):
    """Takes rows ``first`` to ``last``, counted from 1; without ``last`` to the end."""

    do: Literal["take"] = "take"
    first: int = Field(default=1, ge=1)
    last: int | None = Field(default=None, ge=1)

    def describe(self) -> str:
        return f"rows {self.first:,} to {f'{self.last:,}' if self.last else 'the end'}"

    def apply(self, table: pl.LazyFrame, told: list[ReadingProblem]) -> pl.LazyFrame:
        length = None if self.last is None else max(self.last - self.first + 1, 0)
        taken = table.slice(self.first - 1, length)
        before, after = count_rows(table), count_rows(taken)
        told.append(
            ReadingProblem(
                kind="not_kept",
                level="note",
                count=before - after,
                message=f"Took {self.describe()}: {after:,} of {before:,}.",
            )
        )
        return taken
