"""Sollund Paper Mill: variants by size, dollars, inches and pounds."""

from __future__ import annotations

from typing import Any

from nomotax.core.crosswalk.model import Bundle
from nomotax.demo.crosswalks.shared import (
    NUMBER,
    PICTURE_TEXT,
    TIDY,
    TRIM,
    Step,
    always,
    column,
    formula,
    rate,
)

_SIZE = "sizes.size"
_PLACES = {
    "Papers > Watercolour": "Paper > Watercolour paper",
    "Papers > Drawing": "Paper > Drawing paper",
    "Papers > Calligraphy": "Paper > Drawing paper",
    "Papers > Charcoal": "Paper > Drawing paper",
    "Papers > Marker": "Paper > Drawing paper",
    "Papers > Pastel": "Paper > Drawing paper",
    "Papers > Printmaking": "Paper > Printmaking paper",
    "Pads": "Paper > Pads",
    "Pads > Watercolour": "Paper > Watercolour paper",
    "Rolls": "Paper > Rolls",
    "Boards": "Paper > Boards",
    "Envelopes": "Paper > Envelopes",
}
_LADDER: dict[str, Any] = {
    "name": "Paper",
    "currency": "EUR",
    "rungs": [
        {"start": "0", "kind": "markup", "amount": "120"},
        {"start": "10", "kind": "markup", "amount": "90"},
        {"start": "50", "kind": "margin", "amount": "42", "ending": "whole"},
    ],
    "rules": [
        {"name": "pads", "when": [{"field": "category", "words": ["Paper > Pads"]}],
         "rungs": [{"start": "0", "kind": "margin", "amount": "50"}]},
    ],
    "landed": {"duty": "1.5", "freight_per_kg": "0.85", "weight_field": "net_weight"},
    "ending": "five",
    "floor": "0.20",
}  # fmt: skip


def _measure(name: str, target: str) -> dict[str, Any]:
    unit = {"do": "measure", "target": target, "column": f"{_SIZE}.{name}@unit"}
    return column(f"{_SIZE}.{name}", unit)


def sollund_bundle() -> Bundle:
    """Reading, crosswalk and look-ups in one document."""
    cost: list[Step] = [{"do": "amount", "currency": "USD", "column": "book:pricebook@currency"},
            {"do": "exchange", "source": "USD", "target": "EUR", "oldest": 30}]  # fmt: skip
    picture = f"{_SIZE}.picture@xlink:href"
    fills = {
        "sku": column(f"{_SIZE}@code", TRIM),
        "supplier_sku": column(f"{_SIZE}@code", TRIM),
        "gtin": column(f"{_SIZE}@gtin", TRIM),
        "name": formula(
            f'[name] & IF(ISBLANK([{_SIZE}.width]); ""; ", " & [{_SIZE}.width] & " × " '
            f'& [{_SIZE}.height] & " in")',
            {"do": "cut", "length": 80},
        ),
        "description": column("text", {"do": "chain", "chain": TIDY["name"]}),
        "brand": {"parts": [{"fact": "supplier"}], "steps": [{"do": "pick", "at": " ", "part": 1}]},
        "product_line": column("line", TRIM),
        "category": column("shelf@path", {"do": "category_table", "table": "Sollund categories"}),
        "cost": column(f"{_SIZE}.price", *cost),
        "price": {"parts": [{"field": "cost"}], "steps": [{"do": "ladder", "ladder": "Paper"}]},
        "vat_rate": always("20"),
        "stock": column(f"{_SIZE}.stock", NUMBER),
        "pack_size": column(f"{_SIZE}.pack", NUMBER),
        "available_from": column("book:pricebook@valid-from", {"do": "date", "order": "ymd"}),
        "form": column("surface", TRIM),
        "variant_of": column("group", TRIM),
        "options": formula(
            f'IF(ISBLANK([{_SIZE}.width]); ""; "Size: " & [{_SIZE}.width] & " × " '
            f'& [{_SIZE}.height] & " in")'
        ),
        "picture_text": PICTURE_TEXT,
        "net_weight": _measure("mass", "kg"),
        "width": _measure("width", "cm"),
        "length": _measure("height", "cm"),
        "picture": column(picture, {"do": "take", "start": 1, "count": 1}),
        "more_pictures": column(picture, {"do": "take", "start": 2, "count": 0}),
    }
    return Bundle.model_validate(
        {
            "name": "Sollund Paper Mill price book",
            "crosswalk": {
                "fills": fills,
                "parked": {"tint": "spare_1"},
                "left_out": ["@ref", "book:pricebook.maker", "basis", "basis@unit"],
            },
            "category_tables": [
                {"name": "Sollund categories", "separator": ">", "placements": _PLACES}
            ],
            "ladders": [_LADDER],
            "rates": [rate("USD")],
            "chains": [TIDY],
            "facts": {"supplier": "Sollund Paper Mill"},
        }
    )
