"""A contract: a Table Schema (https://specs.frictionlessdata.io/table-schema/, version 1) with
members of our own for what that cannot say: see docs/contracts.md."""

from __future__ import annotations

import json
from datetime import date
from decimal import Decimal
from typing import Literal

import polars as pl
from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    ValidationError,
    field_validator,
    model_validator,
)
from pydantic.alias_generators import to_camel

from nomotax.core.errors import UnfitValue, UnreadableFile
from nomotax.core.numbers import DecimalMark

ColumnType = Literal["string", "integer", "number", "boolean", "date", "any"]
#: Kinds of which one value is more than another.
_ORDERED = ("integer", "number", "date")


class _Part(BaseModel):
    """Read and written under the names that Table Schema gives its members."""

    model_config = ConfigDict(
        frozen=True, extra="forbid", alias_generator=to_camel, populate_by_name=True
    )


class Constraints(_Part):
    """What every filled cell of a column must be; ``required`` lets none be empty."""

    required: bool = False
    unique: bool = False
    pattern: str | None = Field(default=None, max_length=400)
    enum: tuple[str, ...] | None = Field(default=None, max_length=10_000)
    minimum: str | None = Field(default=None, max_length=40)
    maximum: str | None = Field(default=None, max_length=40)
    min_length: int | None = Field(default=None, ge=0)
    max_length: int | None = Field(default=None, ge=0)

    @field_validator("minimum", "maximum", mode="before")
    @classmethod
    def _as_text(cls, value: object) -> object:
        return str(value) if isinstance(value, int | float | Decimal) else value

    @field_validator("pattern")
    @classmethod
    def _sound(cls, pattern: str | None) -> str | None:
        try:
            pl.Series([""]).str.contains(f"^(?:{pattern or ''})$")
        except pl.exceptions.ComputeError as error:
            why = str(error).strip().splitlines()[-1]
            raise ValueError(f"{pattern!r} is no pattern: {why}") from error
        return pattern


class ColumnTerms(_Part):
    """What a column must be like. Beside what Table Schema says of a field: one that is
    ``optional`` may be missing, and of its rows ``filled`` percent at least must be filled."""

    name: str = Field(min_length=1, max_length=400)
    type: ColumnType = "any"
    title: str = ""
    description: str = ""
    format: str = "default"
    decimal_char: DecimalMark = "."
    group_char: str = ""
    bare_number: bool = True
    true_values: tuple[str, ...] = ("true", "True", "TRUE", "1")
    false_values: tuple[str, ...] = ("false", "False", "FALSE", "0")
    constraints: Constraints = Constraints()
    optional: bool = False
    filled: Decimal | None = Field(default=None, ge=0, le=100, decimal_places=1)

    @model_validator(mode="after")
    def _bounds(self) -> ColumnTerms:
        for bound in (self.constraints.minimum, self.constraints.maximum):
            if bound is not None and self.type not in _ORDERED:
                raise ValueError(f"{self.name}: only numbers and dates have bounds")
            if bound is not None and not self._is_bound(bound):
                raise ValueError(f"{self.name}: {bound!r} is no {self.type}")
        return self

    def crossed(self) -> str:
        """Of which bounds nothing keeps both; "" where all can be kept."""
        own = self.constraints
        low, high = own.minimum, own.maximum
        if low is not None and high is not None and self._value(low) > self._value(high):
            return f"In {self.name!r} nothing is at least {low} and at most {high}."
        least, most = own.min_length, own.max_length
        if least is not None and most is not None and least > most:
            return f"In {self.name!r} no text has at least {least} characters and at most {most}."
        return ""

    def _value(self, bound: str) -> Decimal:
        """What a bound is compared by: a number, or the number of a day."""
        return Decimal(date.fromisoformat(bound).toordinal() if self.type == "date" else bound)

    def _is_bound(self, text: str) -> bool:
        try:
            self._value(text)
        except (ValueError, ArithmeticError):
            return False
        return True


class FileTerms(_Part):
    """How the file is written; "" for any way."""

    format: Literal["", "delimited", "workbook", "xml", "json"] = ""
    encoding: str = Field(default="", max_length=40)
    delimiter: str = Field(default="", max_length=8)


class RowTerms(_Part):
    """How many rows it has."""

    least: int | None = Field(default=None, ge=0)
    most: int | None = Field(default=None, ge=0)

    def crossed(self) -> str:
        """As of a column."""
        if self.least is not None and self.most is not None and self.least > self.most:
            return f"No file has at least {self.least} rows and at most {self.most}."
        return ""


class Contract(_Part):
    """What the files of a feed must look like. ``primary_key`` are columns that together tell one
    row from another; ``missing_values`` stand for nothing; ``others`` lets a file have further
    columns."""

    fields: tuple[ColumnTerms, ...] = Field(min_length=1, max_length=2000)
    missing_values: tuple[str, ...] = ("",)
    primary_key: tuple[str, ...] = ()
    title: str = Field(default="", max_length=200)
    description: str = Field(default="", max_length=2000)
    others: bool = True
    file: FileTerms = FileTerms()
    rows: RowTerms = RowTerms()

    @field_validator("primary_key", mode="before")
    @classmethod
    def _listed(cls, key: object) -> object:
        return (key,) if isinstance(key, str) else key

    @model_validator(mode="after")
    def _told_once(self) -> Contract:
        names = [one.name for one in self.fields]
        twice = next((n for n in names if names.count(n) > 1), None)
        if twice is not None:
            raise ValueError(f"the column {twice!r} is told twice")
        lost = next((n for n in self.primary_key if n not in names), None)
        if lost is not None:
            raise ValueError(f"the primary key names {lost!r}, which is no column of it")
        return self

    def refuse_crossed(self) -> None:
        """Raises ``UnfitValue`` for bounds that nothing keeps; one that a feed has is read with
        them, for it was kept when nobody looked."""
        for crossed in (*(one.crossed() for one in self.fields), self.rows.crossed()):
            if crossed:
                raise UnfitValue(crossed, where="contract", remedy="Change one of the bounds.")

    def descriptor(self) -> str:
        """The contract as a JSON document, without what says nothing."""
        told = self.model_dump(mode="json", by_alias=True, exclude_defaults=True)
        return json.dumps(told, ensure_ascii=False, indent=1)


def parse_contract(data: bytes) -> Contract:
    """A contract, or any Table Schema of types that are checked. Raises ``UnreadableFile`` saying
    where it is wrong, ``UnfitValue`` for bounds that nothing keeps."""
    try:
        made = Contract.model_validate_json(data)
    except ValidationError as error:
        first = error.errors()[0]
        place = ".".join(str(part) for part in first["loc"]) or "its JSON"
        raise UnreadableFile(
            f"This is no contract: {first['msg']}.",
            where=place,
            remedy="It is a Table Schema with the members that docs/contracts.md tells.",
        ) from error
    made.refuse_crossed()
    return made
