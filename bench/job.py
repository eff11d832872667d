"""The one job every contestant does: 24 arriving columns to 23 exact, checked store fields."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Bundle
from nomotax.core.schema.model import StoreSchema
from nomotax.demo.crosswalks.quarrow import quarrow_bundle
from nomotax.demo.store import SCHEMA as DEMO

COLOURS = {
    "R": "Red", "O": "Orange", "Y": "Yellow", "G": "Green", "B": "Blue", "V": "Violet",
    "N": "Brown", "K": "Black", "W": "White", "P": "Pink", "E": "Ochre", "M": "Metallic",
}  # fmt: skip
OPACITY = {"O": "opaque", "SO": "semi-opaque", "ST": "semi-transparent", "T": "transparent"}
PLACES = {f"Paint/Group {i}": f"Painting > Group {i}" for i in range(60)}
#: Cost from, and what one is multiplied by: markup 110 %, 95 %, margin 42 %, 34 %.
FLOOR = "0.40"

_FIELDS = [
    "sku", "supplier_sku", "gtin", "name", "brand", "product_line", "category", "cost", "price",
    "list_price", "vat_rate", "stock", "min_order", "available_from", "colour", "pigment",
    "lightfastness", "opacity", "volume", "net_weight", "length", "hazardous", "picture",
]  # fmt: skip
_RENAMED = {"Désignation": "Name", "Cost EUR": "Cost", "RRP EUR": "RRP"}


def _bundle() -> Bundle:
    data = quarrow_bundle().model_dump(mode="json")
    fills = {f: data["crosswalk"]["fills"][f] for f in _FIELDS}
    for fill in fills.values():
        for part in fill["parts"]:
            part["column"] = _RENAMED.get(part["column"], part["column"])
    data["crosswalk"] = {"fills": fills}
    data["reading"] = {"format": "delimited", "encoding": "utf-8", "delimiter": ";", "decimal": ","}
    data["category_tables"] = [{"name": "Quarrow Pigments categories", "placements": PLACES}]
    ladder = data["ladders"][0]
    for rung in ladder["rungs"]:
        rung["ending"] = None
    return Bundle.model_validate(data)


BUNDLE = _bundle()
SCHEMA = StoreSchema(
    name="bench", key="sku", fields=tuple(f for f in DEMO.fields if f.name in _FIELDS)
)
