"""The store's former platform: prices with tax, HTML, options by name, foreign numbers."""

from __future__ import annotations

from nomotax.core.crosswalk.model import Bundle
from nomotax.demo.crosswalks.shared import NUMBER, TIDY, TRIM, always, column, formula
from nomotax.demo.suppliers.former import SECTIONS

_PLACES = {
    "Drawing": "Drawing",
    "Drawing/Fixatives": "Mediums and varnishes > Varnishes",
    "Gifts": "",
    "Mediums": "Mediums and varnishes",
    "Paper": "Paper",
    "Paper/Books": "Paper > Books",
    "Studio": "Studio",
}
#: The platform's own numbers of sections, and of the places in its shop window.
_NUMBERS = {
    **{
        str(14 + n): _PLACES.get(section, _PLACES.get(section.split("/")[0], ""))
        for n, section in enumerate(SECTIONS)
    },
    "3": "Studio", "4": "Paper", "5": "Drawing", "6": "",
}  # fmt: skip
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
        "variant_of": column("group", TRIM, {"do": "affix", "before": "OS-"}),
        "options": {"steps": [{"do": "options", "options": [
            {"name_column": "option_a", "column": "value_a"},
            {"name_column": "option_b", "column": "value_b"},
        ]}]},
        "more_categories": column(
            "section_ids",
            {"do": "split", "at": ";"},
            {"do": "category_table", "table": "Former numbers"},
        ),
        "picture_text": column("image_caption", {"do": "take", "start": 1, "count": 1}),
        "more_picture_texts": column("image_caption", {"do": "take", "start": 2, "count": 0}),
        "net_weight": column("grams", {"do": "measure", "target": "kg", "stated": "g"}),
        "picture": column("image", {"do": "take", "start": 1, "count": 1}),
        "more_pictures": column("image", {"do": "take", "start": 2, "count": 0}),
    }  # fmt: skip
    left_out = ["line", "variant_id", "image_rank"]
    return Bundle.model_validate(
        {
            "name": "Former platform export",
            "crosswalk": {
                "fills": fills,
                "parked": {"product_id": "spare_1"},
                "left_out": left_out,
            },
            "category_tables": [
                {"name": "Former categories", "placements": _PLACES},
                {"name": "Former numbers", "placements": _NUMBERS},
            ],
            "value_tables": [{"name": "Former colour", "match": "loose", "entries": _COLOURS}],
            "chains": [TIDY],
        }
    )
