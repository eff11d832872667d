"""Store schemas as Table Schema documents (Frictionless Table Schema), with our extensions.

What the standard can say is said in its words (type, constraints, title); the rest stands under
the key ``nomotax`` of a field and of the document. See docs/store-schema.md.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from nomotax.core.errors import SchemaError
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema

_TYPES: dict[FieldKind, tuple[str, str | None]] = {
    FieldKind.INTEGER: ("integer", None),
    FieldKind.DECIMAL: ("number", None),
    FieldKind.MONEY: ("number", None),
    FieldKind.MEASURE: ("number", None),
    FieldKind.YES_NO: ("boolean", None),
    FieldKind.DATE: ("date", None),
    FieldKind.LINK: ("string", "uri"),
    FieldKind.LINKS: ("list", None),
    FieldKind.TEXTS: ("list", None),
    FieldKind.CATEGORIES: ("list", None),
    FieldKind.OPTIONS: ("list", None),
}
_BY_TYPE = {
    "integer": FieldKind.INTEGER,
    "number": FieldKind.DECIMAL,
    "boolean": FieldKind.YES_NO,
    "date": FieldKind.DATE,
    "list": FieldKind.LINKS,
}
_OWN = ("group", "role", "spare", "decimals", "currency", "unit", "synonyms", "language", "of",
        "writes", "starts", "ends")  # fmt: skip


def to_descriptor(schema: StoreSchema) -> dict[str, Any]:
    """The schema as a Table Schema document, ready for JSON."""
    return {
        "fields": [_field_out(f) for f in schema.fields],
        "primaryKey": [schema.key],
        "missingValues": [""],
        "nomotax": {"name": schema.name, "category_separator": schema.category_separator},
    }


def _field_out(field: StoreField) -> dict[str, Any]:
    kind, form = _TYPES.get(field.kind, ("string", None))
    data = field.model_dump(mode="json", exclude_defaults=True)
    out: dict[str, Any] = {"name": field.name, "type": kind}
    if form:
        out["format"] = form
    for key in ("title", "description"):
        if data.get(key):
            out[key] = data[key]
    limits = {
        "required": data.get("required"),
        "unique": data.get("unique"),
        "maxLength": data.get("max_length"),
        "pattern": data.get("pattern"),
        "enum": data.get("allowed"),
        "minimum": data.get("minimum"),
        "maximum": data.get("maximum"),
    }
    limits = {k: v for k, v in limits.items() if v is not None}
    if limits:
        out["constraints"] = limits
    out["nomotax"] = {"kind": field.kind.value} | {k: data[k] for k in _OWN if k in data}
    return out


def from_descriptor(document: object) -> StoreSchema:
    """A store schema from a Table Schema document, ours or a plain one.

    Raises ``SchemaError`` naming the field and what is wrong with it.
    """
    if not isinstance(document, Mapping) or not isinstance(document.get("fields"), list):
        raise SchemaError(
            "This is no Table Schema document.",
            where="top level",
            remedy='It needs a list "fields"; see docs/store-schema.md.',
        )
    own = document.get("nomotax") or {}
    fields = [_field_in(index, f) for index, f in enumerate(document["fields"], 1)]
    key = document.get("primaryKey") or []
    key = key[0] if isinstance(key, list) and key else key
    data = {
        "name": own.get("name") or document.get("title") or document.get("name") or "Store schema",
        "key": key or (fields[0].name if fields else ""),
        "fields": fields,
        "category_separator": own.get("category_separator", " > "),
    }
    try:
        return StoreSchema.model_validate(data)
    except ValidationError as error:
        raise SchemaError(_first(error), where="primaryKey or fields") from error


def _field_in(index: int, data: object) -> StoreField:
    if not isinstance(data, Mapping) or not data.get("name"):
        raise SchemaError("A field has no name.", where=f"field {index}")
    own = dict(data.get("nomotax") or {})
    limits = data.get("constraints") or {}
    kind = own.pop("kind", None) or _kind(data, limits)
    values = {
        "name": data["name"],
        "kind": kind,
        "title": data.get("title", ""),
        "description": data.get("description", ""),
        "required": limits.get("required", False),
        "unique": limits.get("unique", False),
        "max_length": limits.get("maxLength"),
        "pattern": limits.get("pattern"),
        "allowed": limits.get("enum") or (),
        "minimum": limits.get("minimum"),
        "maximum": limits.get("maximum"),
    } | {k: v for k, v in own.items() if k in _OWN}
    try:
        return StoreField.model_validate(values)
    except ValidationError as error:
        raise SchemaError(_first(error), where=f"field {index}, {data['name']!r}") from error


def _kind(data: Mapping[str, Any], limits: Mapping[str, Any]) -> FieldKind:
    if limits.get("enum"):
        return FieldKind.CHOICE
    if data.get("format") == "uri":
        return FieldKind.LINK
    return _BY_TYPE.get(str(data.get("type", "string")), FieldKind.TEXT)


def _first(error: ValidationError) -> str:
    one = error.errors()[0]
    place = ".".join(str(p) for p in one["loc"])
    return f"{place}: {one['msg']}" if place else str(one["msg"]).removeprefix("Value error, ")


#: What a template's column name suggests about its field.
_GUESSES: tuple[tuple[str, dict[str, object]], ...] = (
    (r"\b(ean|gtin|upc|barcode)\b", {"kind": "gtin"}),
    (r"\b(sku|item (no|number|code)|article)\b", {"kind": "identifier"}),
    (r"\bcategor", {"kind": "category"}),
    (r"\b(cost|buying)\b", {"kind": "money", "currency": "EUR", "role": Role.COST}),
    (r"\b(price)\b", {"kind": "money", "currency": "EUR", "role": Role.PRICE}),
    (r"\b(stock|quantity|qty)\b", {"kind": "integer", "role": Role.STOCK}),
    (r"\b(weight)\b", {"kind": "measure", "unit": "kg", "decimals": 3}),
    (r"\b(length|width|height|depth)\b", {"kind": "measure", "unit": "cm", "decimals": 1}),
    (r"\b(images|pictures)\b", {"kind": "links", "role": Role.PICTURES}),
    (r"\b(image|picture|photo)\b", {"kind": "link", "role": Role.PICTURE}),
    (r"\b(url|link)\b", {"kind": "link"}),
    (r"\b(description|body)\b", {"kind": "rich_text", "role": Role.TEXT}),
    (r"\b(name|title)\b", {"kind": "text", "role": Role.TITLE, "required": True}),
)


def from_template(header: str, name: str) -> StoreSchema:
    """A schema from a blank import template: one CSV line of column names.

    The first column that looks like an item number becomes the key, else the first column.
    Raises ``SchemaError`` when there are no names.
    """
    first = header.lstrip("﻿").splitlines()[:1]
    line = first[0] if first else ""
    delimiter = max(",;\t|", key=line.count)
    titles = [c.strip() for c in next(csv.reader(io.StringIO(line), delimiter=delimiter), [])]
    titles = [t for t in titles if t]
    if not titles:
        raise SchemaError(
            "The template has no column names.", where="line 1", remedy="Use a CSV header line."
        )
    fields: list[StoreField] = []
    roles: set[object] = set()
    for title in titles:
        guess = dict(_guess(title))
        if guess.get("role") in roles:
            guess.pop("role", None)
        roles.add(guess.get("role"))
        field_name = _distinct(_slug(title), [f.name for f in fields])
        fields.append(StoreField.model_validate({"name": field_name, "title": title, **guess}))
    key = next((f for f in fields if f.kind is FieldKind.IDENTIFIER), fields[0])
    keyed = key.model_copy(update={"required": True, "unique": True, "role": Role.KEY})
    fields = [keyed if f.name == key.name else f for f in fields]
    return StoreSchema(name=name, key=key.name, fields=tuple(fields))


def _guess(title: str) -> dict[str, object]:
    words = re.sub(r"[^a-z0-9]+", " ", title.lower()).strip()
    return next((g for pattern, g in _GUESSES if re.search(pattern, words)), {})


def _slug(title: str) -> str:
    slug = re.sub(r"[^a-z0-9]+", "_", title.lower()).strip("_") or "field"
    return slug if slug[0].isalpha() else f"f_{slug}"


def _distinct(name: str, taken: list[str]) -> str:
    number = 2
    wanted = name
    while wanted in taken:
        wanted, number = f"{name}_{number}", number + 1
    return wanted
