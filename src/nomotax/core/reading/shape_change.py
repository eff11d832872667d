"""What all changes of shape have in common."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel, ConfigDict

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.problem import ReadingProblem


class ShapeChange(BaseModel):
    """A change of shape: a lazy table in, a lazy table out, and what there is to say about it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    def apply(
        self, table: pl.LazyFrame, told: list[ReadingProblem]
    ) -> pl.LazyFrame:  # pragma: no cover - every change has its own
        raise NotImplementedError

    def need(self, table: pl.LazyFrame, columns: tuple[str, ...]) -> None:
        """Raises ``UnreadableFile`` where the table has not these columns."""
        here = table.collect_schema().names()
        missing = [c for c in columns if c not in here]
        if missing:
            raise UnreadableFile(
                f"The reading asks for columns that this file does not have: {said(missing)}.",
                where=self.describe(),
                remedy="Change or remove that step of the reading.",
            )

    def describe(self) -> str:
        """The change in plain words."""
        raise NotImplementedError


def said(names: tuple[str, ...] | list[str]) -> str:
    """Names in a sentence."""
    return ", ".join(repr(n) for n in names)


def count_rows(table: pl.LazyFrame) -> int:
    """How many rows a table has."""
    return int(table.select(pl.len()).collect(engine="streaming").item())


def free_name(names: list[str], wanted: str) -> str:
    """A name that no column has yet: the one wanted, or with a number behind."""
    name, again = wanted, 2
    while name in names:
        name, again = f"{wanted} ({again})", again + 1
    return name
