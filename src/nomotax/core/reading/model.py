"""How a delivery's bytes become rows, and what was noticed on the way."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import Annotated, Any, Literal

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, TypeAdapter, model_validator

from nomotax.core.numbers import DecimalMark
from nomotax.core.reading.problem import ReadingProblem
from nomotax.core.reading.reshape import Reshape
from nomotax.core.table import HIDDEN

#: A path of names from the top of the document to the records, with slashes.
RecordPath = Annotated[str, StringConstraints(max_length=500)]


class _Choices(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class _Reading(_Choices):
    """What every format shares.

    ``files`` chooses among the files of an archive by pattern (``items*.csv``); rows of several
    are put one under the other. ``decimal`` is the mark numbers are written with; it changes no
    cell, only how number steps understand them. ``damaged`` says what becomes of a cell whose
    barcode a spreadsheet turned into something like 9.52E+12: kept as it
    arrived ("hold": the fields that it is sent to refuse it), or empty. ``reshape`` and
    ``companions`` are applied in their order.
    """

    files: tuple[str, ...] = ()
    decimal: DecimalMark = "."
    damaged: Literal["hold", "empty"] = "hold"
    reshape: tuple[Reshape, ...] = ()
    companions: tuple[Companion, ...] = ()


class _Grid(_Reading):
    """Rows of cells with a header somewhere.

    ``header_row`` is the record that holds the column names, from 1; 0 means there is none.
    ``header_height`` records make up the names, ``notes_rows`` records under it (units, notes)
    and the last ``footer_rows`` (totals) are passed over, and told.
    """

    header_row: int = Field(default=1, ge=0, le=1000)
    header_height: int = Field(default=1, ge=1, le=5)
    notes_rows: int = Field(default=0, ge=0, le=50)
    footer_rows: int = Field(default=0, ge=0, le=50)


class DelimitedReading(_Grid):
    """Text in lines. ``escape`` is the character that takes the meaning from the next one;
    without it a quote inside a quoted cell is doubled. Lines that start with ``comment`` are
    passed over."""

    format: Literal["delimited"] = "delimited"
    encoding: str = "utf-8"
    delimiter: str = Field(default=",", min_length=1, max_length=8)
    quote: str = Field(default='"', max_length=1)
    escape: Literal["", "\\"] = ""
    comment: str = Field(default="", max_length=4)


class WorkbookReading(_Grid):
    """XLSX, XLS or ODS. Rows of several ``sheets`` are put one under the other; none named means
    the first. ``hidden_rows`` says whether rows hidden in the workbook are taken."""

    format: Literal["workbook"] = "workbook"
    sheets: tuple[str, ...] = ()
    hidden_rows: bool = True


class XmlReading(_Reading):
    """``records`` is the path of the element that becomes a row, by local names; ``//item`` is
    every such element, wherever it stands."""

    format: Literal["xml"] = "xml"
    records: RecordPath = ""


class JsonReading(_Reading):
    """``records`` is the path of the list (``products``) or, ending in ``/*``, of the object
    whose members are the records; "" is the document itself. ``lines`` means one document a
    line (JSON Lines). Records that are lists become columns by place; with ``header`` the first
    of them holds the names."""

    format: Literal["json"] = "json"
    records: RecordPath = ""
    lines: bool = False
    header: bool = False


#: The choices that turn bytes into an all-text table. Saved on the feed.
Reading = Annotated[
    DelimitedReading | WorkbookReading | XmlReading | JsonReading, Field(discriminator="format")
]
_READING: TypeAdapter[Reading] = TypeAdapter(Reading)


class KeyPair(_Choices):
    """A column and the companion's column that it equals."""

    column: str
    theirs: str


class Preference(_Choices):
    """``column`` takes the companion's ``theirs`` where that is filled, else keeps its own; with
    ``wins`` "own" it is the other way round."""

    column: str
    theirs: str
    wins: Literal["companion", "own"] = "companion"


class Companion(_Choices):
    """A second table joined on a key. Its columns arrive as ``name: column``.

    It is either part of the same delivery (``reading`` with ``files`` or ``sheets``), the
    newest delivery of another feed (``feed``), or the store's own products as they are now
    (``catalog`` names the fields that come along, beside those of the keys). ``adds`` lets rows
    that only the companion has become rows of their own.
    """

    name: str = Field(min_length=1, max_length=60)
    reading: Reading | None = None
    feed: int | None = None
    catalog: tuple[str, ...] | None = None
    keys: tuple[KeyPair, ...] = Field(min_length=1)
    ignore_case: bool = True
    ignore_blanks: bool = True
    ignore_zeros: bool = False
    repeated: Literal["first", "last"] = "first"
    prefer: tuple[Preference, ...] = ()
    adds: bool = False

    @model_validator(mode="after")
    def _one_source(self) -> Companion:
        if sum(one is not None for one in (self.reading, self.feed, self.catalog)) > 1:
            raise ValueError("a companion is part of the delivery, another feed or the catalog")
        return self

    @property
    def fields(self) -> list[str]:
        """The fields of the catalog that are asked for, each once."""
        asked = (k.theirs for k in self.keys), (p.theirs for p in self.prefer), self.catalog or ()
        return list(dict.fromkeys(name for names in asked for name in names))


for _model in (DelimitedReading, WorkbookReading, XmlReading, JsonReading, Companion):
    _model.model_rebuild()


def parse_reading(document: Any) -> Reading:
    """A reading out of a JSON document. Raises pydantic's ``ValidationError``."""
    return _READING.validate_python(document)


class Offer(BaseModel):
    """Something a reading could use: a sheet, a record element, a file of an archive."""

    kind: Literal["file", "sheet", "records", "lists"]
    name: str
    count: int
    detail: str = ""
    more: bool = False


@dataclass(frozen=True)
class Detection:
    """A proposed reading and, for each choice, the reason in plain words; ``offers`` are what
    else the file holds. A count with ``more`` covers only the head of the file."""

    reading: Reading
    why: dict[str, str] = field(default_factory=dict)
    offers: tuple[Offer, ...] = ()


@dataclass(frozen=True)
class ArrivingTable:
    """All-text table: the hidden columns ``__row`` and ``__fault``, then the supplier's.

    Empty cells are null; a list in a cell is a JSON array. ``complete`` is false when the file
    broke off: what stood before the break is here, and nothing may go on by itself.
    ``exponents`` is false where no cell can hold a number such as 9.52E+12. ``keep`` holds what
    must live as long as the table: temporary files that it lies in.
    """

    lazy: pl.LazyFrame
    problems: list[ReadingProblem]
    complete: bool = True
    exponents: bool = True
    keep: tuple[object, ...] = ()

    @cached_property
    def columns(self) -> list[str]:
        return [c for c in self.lazy.collect_schema().names() if c not in HIDDEN]

    @cached_property
    def frame(self) -> pl.DataFrame:
        """The whole table in memory."""
        return self.lazy.collect()

    @cached_property
    def rows(self) -> int:
        return int(self.lazy.select(pl.len()).collect(engine="streaming").item())
