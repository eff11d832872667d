"""The store's former platform: prices with tax, HTML, options by name, foreign numbers."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Bundle
from nomotax.demo.crosswalks.shared import NUMBER, TIDY, TRIM, always, column, formula

_PLACES = {
    "Drawing": "Drawing",
    "Drawing/Fixatives": "Mediums and varnishes > Varnishes",
    "Gifts": "",
    "Mediums": "Mediums and varnishes",
    "Paper": "Paper",
    "Paper/Books": "Paper > Books",
    "Studio": "Studio",
}
_COLOURS = {
    "ecru": "White", "navy": "Blue", "grey": "Black", "black": "Black", "white": "White",
    "red": "Red", "green": "Green", "natural": "Ochre", "brown": "Brown", "blue": "Blue",
}  # fmt: skip


def former_bundle() -> Bundle:
    """Crosswalk and look-ups in one document; the reading is saved on the feed."""
    net = {"do": "scale", "times": "1", "by": "1.2", "plus": "0"}
    fills = {
        "sku": column(
            "article", TRIM,
            {"do": "only_if", "formula": '[online] = "1"', "otherwise": "leave_out"},
        ),
        "gtin": column("barcode", TRIM),
        "name": formula(
            'TEXTJOIN(", "; TRUE; [heading]; [value_a]; [value_b])', {"do": "cut", "length": 80}
        ),
        "description": column("body", {"do": "chain", "chain": TIDY["name"]}),
        "category": column("section", {"do": "category_table", "table": "Former categories"}),
        "price": column("gross", NUMBER, net, {"do": "round", "places": 2}),
        "list_price": column("was", NUMBER, net, {"do": "round", "places": 2}),
        "vat_rate": always("20"),
        "available_from": formula("DATEVALUE(LEFT([touched]; 10))"),
        "colour": column(
            "value_b",
            {"do": "only_if", "formula": '[option_b] = "Colour"', "otherwise": "empty"},
            {"do": "value_table", "table": "Former colour"},
        ),
        "form": column("value_a", TRIM),
        "net_weight": column("grams", {"do": "measure", "target": "kg", "stated": "g"}),
        "picture": column("image", {"do": "take", "start": 1, "count": 1}),
        "more_pictures": column("image", {"do": "take", "start": 2, "count": 0}),
    }  # fmt: skip
    left_out = ["line", "variant_id", "section_ids", "option_a", "image_rank", "group"]
    return Bundle.model_validate(
        {
            "name": "Former platform export",
            "crosswalk": {
                "fills": fills,
                "parked": {"product_id": "spare_1", "image_caption": "spare_2"},
                "left_out": left_out,
            },
            "category_tables": [{"name": "Former categories", "placements": _PLACES}],
            "value_tables": [{"name": "Former colour", "match": "loose", "entries": _COLOURS}],
            "chains": [TIDY],
        }
    )
