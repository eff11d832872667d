"""What the values of a store field are."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

#: When a feed may write a field of a product.
Writes = Literal["always", "new", "empty", "never"]


class FieldKind(StrEnum):
    TEXT = "text"
    RICH_TEXT = "rich_text"
    INTEGER = "integer"
    DECIMAL = "decimal"
    MONEY = "money"
    MEASURE = "measure"
    YES_NO = "yes_no"
    CHOICE = "choice"
    CATEGORY = "category"
    DATE = "date"
    LINK = "link"
    LINKS = "links"
    TEXTS = "texts"
    CATEGORIES = "categories"
    OPTIONS = "options"
    GTIN = "gtin"
    IDENTIFIER = "identifier"


#: Kinds whose values are exact decimals with a fixed number of places.
DECIMAL_KINDS = frozenset({FieldKind.DECIMAL, FieldKind.MONEY, FieldKind.MEASURE})
NUMERIC_KINDS = DECIMAL_KINDS | {FieldKind.INTEGER}
