"""The store schema: the fields a product of this store has, and what each may hold."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from enum import StrEnum
from typing import Annotated

import polars as pl
from pydantic import BaseModel, ConfigDict, Field, StringConstraints, model_validator

from nomotax.core.kinds import NUMERIC_KINDS, FieldKind, Writes
from nomotax.core.units.table import UNITS


class Role(StrEnum):
    """What a field means to the screens: which one is the key, the title, the price."""

    KEY = "key"
    TITLE = "title"
    PRICE = "price"
    COST = "cost"
    LIST_PRICE = "list_price"
    PICTURE = "picture"
    PICTURES = "pictures"
    PICTURE_TEXT = "picture_text"
    PICTURE_TEXTS = "picture_texts"
    TEXT = "text"
    STOCK = "stock"
    GROUP = "group"
    OPTIONS = "options"


FieldName = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]{0,62}$")]


class StoreField(BaseModel):
    """One field of the store's product schema.

    ``decimals`` counts the places after the point that decimals, money and measures keep.
    ``minimum`` and ``maximum`` are inclusive and in the field's own unit or currency. ``of``
    names the field that this one describes: a translation of it into ``language`` (a BCP 47 tag),
    or the alternative texts of its pictures. Fields of money are the store's price levels, each by
    itself; one that holds for a time names the date fields in which it ``starts`` and ``ends``
    (that day is the last). ``writes`` is when feeds may write the field at all, whatever their own
    fills say: always, only of new products, only where the store's is empty, or never.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: FieldName
    kind: FieldKind = FieldKind.TEXT
    title: str = ""
    description: str = ""
    group: str = ""
    role: Role | None = None
    required: bool = False
    unique: bool = False
    spare: bool = False
    max_length: int | None = Field(default=None, ge=1)
    pattern: str | None = None
    allowed: tuple[str, ...] = ()
    minimum: Decimal | None = None
    maximum: Decimal | None = None
    decimals: int = Field(default=2, ge=0, le=8)
    currency: Annotated[str, StringConstraints(pattern=r"^[A-Z]{3}$")] | None = None
    unit: str | None = None
    synonyms: tuple[str, ...] = ()
    language: Annotated[str, StringConstraints(pattern=r"^[a-z]{2,3}(-[A-Za-z0-9]+)*$")] | None = (
        None
    )
    of: FieldName | None = None
    writes: Writes = "always"
    starts: FieldName | None = None
    ends: FieldName | None = None

    @model_validator(mode="after")
    def _consistent(self) -> StoreField:
        if self.kind is FieldKind.MEASURE and self.unit not in UNITS:
            raise ValueError(f"field {self.name}: a measure needs a known unit, not {self.unit!r}")
        if self.kind is FieldKind.MONEY and not self.currency:
            raise ValueError(f"field {self.name}: money needs a currency (ISO 4217)")
        if self.kind is FieldKind.CHOICE and not self.allowed:
            raise ValueError(f"field {self.name}: a choice needs its allowed values")
        if (self.starts or self.ends) and self.kind is not FieldKind.MONEY:
            raise ValueError(f"field {self.name}: only money holds from one day to another")
        if self.pattern is not None and not _is_pattern(self.pattern):
            raise ValueError(f"field {self.name}: {self.pattern!r} is no regular expression")
        if None not in (self.minimum, self.maximum) and self.minimum > self.maximum:  # type: ignore[operator]  # neither is None
            raise ValueError(f"field {self.name}: its least value is above its greatest")
        return self

    @property
    def label(self) -> str:
        """The title people read, or the name where there is none."""
        return self.title or self.name

    @property
    def numeric(self) -> bool:
        return self.kind in NUMERIC_KINDS

    @property
    def dimension(self) -> str | None:
        """The physical dimension of a measure: mass, length, volume ..."""
        return UNITS[self.unit].dimension if self.unit else None


def _is_pattern(pattern: str) -> bool:
    """Whether the engine that checks values can use it."""
    try:
        pl.Series([""]).str.contains(pattern)
    except pl.exceptions.ComputeError:
        return False
    return True


class StoreSchema(BaseModel):
    """A named, ordered list of fields. ``key`` is the field that identifies a product."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str
    key: FieldName
    fields: tuple[StoreField, ...]
    category_separator: str = " > "

    @model_validator(mode="after")
    def _consistent(self) -> StoreSchema:
        names = [f.name for f in self.fields]
        doubled = sorted({n for n in names if names.count(n) > 1})
        if doubled:
            raise ValueError(f"field names stand twice: {', '.join(doubled)}")
        if self.key not in names:
            raise ValueError(f"the key {self.key!r} is not one of the fields")
        lost = [f for f in self.fields if f.of is not None and f.of not in names]
        if lost:
            raise ValueError(
                f"field {lost[0].name}: it describes {lost[0].of!r}, which is no field"
            )
        dates = {f.name for f in self.of_kind(FieldKind.DATE)}
        for one in self.fields:
            strange = {one.starts, one.ends} - dates - {None}
            if strange:
                raise ValueError(
                    f"field {one.name}: it holds by {strange.pop()!r}, which is no date field"
                )
        return self

    def __getitem__(self, name: str) -> StoreField:
        return self._by_name[name]

    def __contains__(self, name: object) -> bool:
        return name in self._by_name

    @property
    def _by_name(self) -> dict[str, StoreField]:
        return {f.name: f for f in self.fields}

    @property
    def names(self) -> list[str]:
        return [f.name for f in self.fields]

    def with_role(self, role: Role) -> StoreField | None:
        """The first field that plays ``role``, if any does."""
        return next((f for f in self.fields if f.role is role), None)

    def of_kind(self, kind: FieldKind) -> Iterator[StoreField]:
        return (f for f in self.fields if f.kind is kind)

    @property
    def category_field(self) -> StoreField | None:
        return next(self.of_kind(FieldKind.CATEGORY), None)
