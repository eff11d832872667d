"""Brindlecombe Brushes: pounds sterling, codes with leading zeros, list prices that bind."""

from __future__ import annotations

from typing import Any

from nomotax.core.crosswalk.model import Bundle
from nomotax.demo.crosswalks.shared import NUMBER, TRIM, column, formula, rate

_LADDER: dict[str, Any] = {
    "name": "Brushes",
    "currency": "EUR",
    "rungs": [
        {"start": "0", "kind": "multiple", "amount": "2.2"},
        {"start": "15", "kind": "margin", "amount": "48"},
        {"start": "60", "kind": "margin", "amount": "40"},
    ],
    "rules": [
        {"name": "bristle", "when": [{"field": "category", "words": ["Brushes > Bristle brushes"]}],
         "rungs": [{"start": "0", "kind": "markup", "amount": "95"}]},
        {"name": "bristle fans", "when": [
            {"field": "category", "words": ["Brushes > Bristle brushes"]},
            {"field": "form", "words": ["fan"]}],
         "rungs": [{"start": "0", "kind": "markup", "amount": "80"}]},
    ],
    "choose": "most_specific",
    "landed": {"handling": "0.15"},
    "ending": "95",
    "floor": "0.50",
    "most_field": "list_price",
}  # fmt: skip
_SMALL = ["of", "the", "and"]


def brindlecombe_bundle() -> Bundle:
    """Crosswalk and look-ups in one document; the reading is as detected."""
    euros = {"do": "exchange", "source": "GBP", "target": "EUR", "oldest": 30}
    zeros = {"do": "leading_zeros", "length": 6}
    group = [{"column": "Sheet"}, {"text": "/"}, {"column": "Hair"}]
    fills = {
        "sku": column("Code", zeros, {"do": "affix", "before": "BB-"}),
        "supplier_sku": column("Code", zeros),
        "gtin": column("Barcode", {"do": "gtin", "length": 13}),
        "name": formula(
            '"Brush " & [Range] & ", size " & [Size] & ", " & [Hair]', {"do": "cut", "length": 80}
        ),
        "brand": {
            "parts": [{"fact": "supplier"}],
            "steps": [{"do": "take_pattern", "find": r"^\w+"}],
        },
        "product_line": column("Range", {"do": "case", "to": "title", "small": _SMALL}),
        "category": {
            "parts": group,
            "steps": [{"do": "category_table", "table": "Brindlecombe categories"}],
        },
        "cost": column("Price trade", NUMBER, euros),
        "price": {"parts": [{"field": "cost"}], "steps": [{"do": "ladder", "ladder": "Brushes"}]},
        "list_price": column("Price retail", NUMBER, euros, {"do": "round", "places": 2}),
        "vat_rate": {"parts": [{"text": "20"}]},
        "stock": column("Stock", NUMBER, {"do": "clamp", "least": "0"}),
        "min_order": column(
            "Case", NUMBER, {"do": "only_if", "formula": "[=:value] > 1"},
            {"do": "default", "text": "1"},
        ),
        "pack_size": column("Case", NUMBER),
        "available_from": column("Since", {"do": "date", "order": "ymd"}),
        "form": column("Shape", TRIM),
        "variant_of": formula('"BB " & [Range] & " " & [Hair]'),
        "options": {"steps": [{"do": "options", "options": [{"name": "Size", "column": "Size"}]}]},
        "length": column("Length overall", {"do": "measure", "target": "cm", "stated": "mm"}),
        "picture": column("Picture", TRIM),
    }  # fmt: skip
    return Bundle.model_validate(
        {
            "name": "Brindlecombe Brushes trade list",
            "crosswalk": {
                "fills": fills,
                "parked": {"Handle": "spare_1", "Length hair": "spare_2", "Remark": "spare_3"},
            },
            "category_tables": [
                {
                    "name": "Brindlecombe categories",
                    "placements": {
                        "Artists' brushes": "Brushes > Watercolour brushes",
                        "Artists' brushes/hog bristle": "Brushes > Bristle brushes",
                        "Wash and hake": "Brushes > Wash brushes",
                        "Wash and hake/hog bristle": "Brushes > Bristle brushes",
                    },
                }
            ],
            "ladders": [_LADDER],
            "rates": [rate("GBP")],
            "facts": {"supplier": "Brindlecombe Brushes"},
        }
    )
