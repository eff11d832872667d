"""How a delivery's bytes become rows, and what was noticed on the way."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field

from nomotax.core.table import HIDDEN

DecimalMark = Literal[".", ","]


class Reading(BaseModel):
    """The choices that turn bytes into an all-text table. Saved on the feed.

    ``header_row`` is the record that holds the column names, from 1; 0 means there is none.
    ``decimal`` is the mark numbers are written with; it changes no cell, only how number
    steps understand them.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    format: Literal["delimited"] = "delimited"
    encoding: str = "utf-8"
    delimiter: str = Field(default=",", min_length=1, max_length=1)
    quote: str = Field(default='"', max_length=1)
    header_row: int = Field(default=1, ge=0, le=1000)
    decimal: DecimalMark = "."


class ReadingProblem(BaseModel):
    """Something in the file that a person should know; ``line`` counts from 1."""

    kind: str
    message: str
    line: int | None = None
    row: int | None = None


@dataclass(frozen=True)
class Detection:
    """A proposed reading and, for each choice, the reason in plain words."""

    reading: Reading
    why: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class ArrivingTable:
    """All-text table: the hidden columns ``__row`` and ``__fault``, then the supplier's.

    Empty cells are null. ``problems`` is complete for rows at fault and whole-file findings.
    """

    frame: pl.DataFrame
    problems: list[ReadingProblem]

    @property
    def columns(self) -> list[str]:
        return [c for c in self.frame.columns if c not in HIDDEN]

    @property
    def rows(self) -> int:
        return self.frame.height
