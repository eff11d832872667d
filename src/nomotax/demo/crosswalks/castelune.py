"""Castelune Wholesale: pack prices, a tree by numbers, texts in three languages."""

from __future__ import annotations

from typing import Any

from nomotax.core.crosswalk.model import Bundle
from nomotax.demo.crosswalks.quarrow import LADDER
from nomotax.demo.crosswalks.shared import NUMBER, PICTURE_TEXT, TRIM, always, column, formula

_PLACES = {
    "100": "Studio",
    "100/Easels": "Studio > Easels",
    "200": "Drawing",
    "200/Pencils": "Drawing > Pencils",
    "300": "Canvas",
    "300/Panels": "Canvas > Panels",
    "400": "Studio > Tools",
}


def _texts(tag: str) -> dict[str, Any]:
    """The fields of one language."""
    return {
        f"name_{tag}": column(f"texts: title: {tag}", TRIM, {"do": "cut", "length": 80}),
        f"description_{tag}": column(f"texts: text: {tag}", TRIM),
    }


def castelune_bundle() -> Bundle:
    """Crosswalk and look-ups in one document; the reading is as detected."""
    group: list[dict[str, Any]] = [
        {"column": "tree: parent"}, {"text": "/"}, {"column": "tree: name"},
    ]  # fmt: skip
    fills = {
        "sku": column("item", TRIM, {"do": "affix", "before": "CW-"}),
        "supplier_sku": column("item", TRIM),
        "gtin": column("ean", {"do": "check_digit", "how": "verify"}, on_problem="skip"),
        "name": formula(
            "IF(ISBLANK([texts: title: en]); [label]; [texts: title: en])",
            {"do": "cut", "length": 80},
        ),
        "description": column("texts: text: en", TRIM),
        **_texts("fr"),
        **_texts("de"),
        "brand": column("brand", TRIM),
        "category": {
            "parts": group,
            "steps": [{"do": "category_table", "table": "Castelune categories"}],
        },
        "cost": column(
            "prices: pack_price",
            {"do": "amount", "currency": "EUR", "column": "prices: currency"},
            {"do": "per_unit", "column": "pack_qty"},
        ),
        "price": {"parts": [{"field": "cost"}], "steps": [{"do": "ladder", "ladder": "Standard"}]},
        "vat_rate": always("20"),
        "stock": column("stock: free", NUMBER),
        "pack_size": column("pack_qty", NUMBER),
        "available_from": column("prices: valid_from", {"do": "date", "order": "ymd"}),
        "picture": column("picture", {"do": "picture_files"}),
        "picture_text": PICTURE_TEXT,
        "net_weight": column("weight_kg", {"do": "measure", "target": "kg", "stated": "kg"}),
    }
    return Bundle.model_validate(
        {
            "name": "Castelune Wholesale range",
            "crosswalk": {
                "fills": fills,
                "left_out": [
                    "node", "label", "prices: item", "stock: article", "stock: next_delivery",
                    "texts: item", "tree: node",
                ],
            },
            "category_tables": [{"name": "Castelune categories", "placements": _PLACES}],
            "ladders": [LADDER],
        }
    )  # fmt: skip
