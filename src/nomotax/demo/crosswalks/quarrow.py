"""The crosswalk a store data manager would end up with for Quarrow's first delivery."""

from __future__ import annotations

from typing import Any

from nomotax.core.crosswalk.model import Bundle
from nomotax.demo.store import STORE_COLOURS, STORE_PLACES

LADDER: dict[str, Any] = {
    "name": "Standard",
    "currency": "EUR",
    "ending": "95",
    "floor": "0.40",
    "rungs": [
        {"start": "0", "kind": "markup", "amount": "110"},
        {"start": "5", "kind": "markup", "amount": "100"},
        {"start": "20", "kind": "margin", "amount": "48"},
        {"start": "100", "kind": "margin", "amount": "44", "ending": "whole"},
    ],
}

#: Words whose place does not follow from the letters alone.
_MORE_PLACES = {
    "Auxiliaries/Mediums/Watercolour": "Mediums and varnishes > For watercolour",
    "Auxiliaries/Mediums/Oil": "Mediums and varnishes > For oil",
    "Auxiliaries/Mediums/Acrylic": "Mediums and varnishes > For acrylic",
    "Auxiliaries/Varnish": "Mediums and varnishes > Varnishes",
    "Auxiliaries/Binders": "Pigments and binders > Binders",
    "Sets/Watercolour": "Painting > Watercolour > Sets",
    "Sets/Oil": "Painting > Oil > Sets",
    "Sets/Acrylic": "Painting > Acrylic > Sets",
    "Sets/Pigment": "Pigments and binders > Dry pigments",
}


def _column(name: str, *steps: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"parts": [{"column": name}], "steps": list(steps), **more}


def quarrow_bundle() -> Bundle:
    """Reading, crosswalk and look-ups in one document."""
    trim, number = {"do": "trim"}, {"do": "number"}
    fills = {
        "sku": _column("ArtNo", trim, {"do": "affix", "before": "QP-"}),
        "supplier_sku": _column("ArtNo", trim),
        "gtin": _column("EAN", trim),
        "name": _column("Désignation", trim, {"do": "cut", "length": 80}),
        "description": _column("Text"),
        "brand": {"parts": [{"text": "Quarrow"}]},
        "product_line": _column("Range", trim),
        "category": _column(
            "Group", {"do": "category_table", "table": "Quarrow Pigments categories"}
        ),
        "cost": _column("Cost EUR", number),
        "price": _column("Cost EUR", number, {"do": "ladder", "ladder": "Standard"}),
        "list_price": _column("RRP EUR", number),
        "vat_rate": {"parts": [{"text": "20"}]},
        "stock": _column("Stock", number),
        "min_order": _column("MOQ", number),
        "pack_size": _column("Pack", number),
        "available_from": _column("Since", {"do": "date", "order": "dmy"}),
        "colour": _column("Col", {"do": "value_table", "table": "Quarrow Pigments colour"}),
        "pigment": _column("Pigment", trim),
        "lightfastness": _column("LF", trim),
        "opacity": _column("Op", {"do": "value_table", "table": "Quarrow Pigments opacity"}),
        "form": _column("Form", trim),
        "volume": _column("Vol ml", number),
        "net_weight": _column("Net g", number, {"do": "convert", "source": "g", "target": "kg"}),
        "length": _column("L mm", number, {"do": "convert", "source": "mm", "target": "cm"}),
        "width": _column("W mm", number, {"do": "convert", "source": "mm", "target": "cm"}),
        "height": _column("H mm", number, {"do": "convert", "source": "mm", "target": "cm"}),
        "origin": _column("Origin", trim),
        "hazardous": _column("Haz", {"do": "yes_no", "yes": ["j"], "no": ["n"]}),
        "picture": _column("Picture", trim),
        "more_pictures": _column("Picture 2", trim),
    }
    opacity = {"O": "opaque", "SO": "semi-opaque", "ST": "semi-transparent", "T": "transparent"}
    colours = {code: word for code, word in STORE_COLOURS.items() if code != "T"}
    return Bundle.model_validate(
        {
            "name": "Quarrow Pigments weekly list",
            "reading": {
                "format": "delimited",
                "encoding": "cp1252",
                "delimiter": ";",
                "decimal": ",",
            },
            "crosswalk": {"fills": fills, "parked": {}, "left_out": ["Remark"]},
            "value_tables": [
                {"name": "Quarrow Pigments colour", "entries": colours},
                {"name": "Quarrow Pigments opacity", "entries": opacity},
            ],
            "category_tables": [
                {"name": "Quarrow Pigments categories", "placements": STORE_PLACES | _MORE_PLACES}
            ],
            "ladders": [LADDER],
        }
    )
