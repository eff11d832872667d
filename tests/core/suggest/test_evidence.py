"""Each piece of evidence by itself: what it says, and that it says nothing where it must not."""

from __future__ import annotations

import polars as pl
import pytest

from nomotax.core.reading.profile import profile_columns
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.suggest import names, values
from nomotax.core.suggest.facts import column_facts

FIELDS = {
    f.name: f
    for f in (
        StoreField(name="sku", title="SKU", kind="identifier", role="key", required=True),
        StoreField(name="variant_of", title="Variant of", kind="identifier", role="group"),
        StoreField(name="name", title="Name", role="title"),
        StoreField(name="name_de", title="Name (German)", language="de"),
        StoreField(name="line", title="Line"),
        StoreField(name="shelf", title="Shelf", kind="category"),
        StoreField(name="gtin", title="Barcode", kind="gtin"),
        StoreField(name="carton_gtin", title="Barcode of the carton", kind="gtin"),
        StoreField(name="cost", title="Cost", kind="money", currency="EUR", role="cost"),
        StoreField(name="price", title="Price", kind="money", currency="EUR", role="price"),
        StoreField(name="was", title="List price", kind="money", currency="EUR", role="list_price"),
        StoreField(name="pack", title="Pack size", kind="integer"),
        StoreField(name="net_weight", title="Net weight", kind="measure", unit="g"),
        StoreField(name="unit", title="Sales unit"),
        StoreField(name="picture", title="Picture", kind="link", role="picture"),
        StoreField(name="shown", title="Text of the picture", role="picture_text", of="picture"),
        StoreField(name="rel_hum", title="Relative humidity", kind="integer"),
    )
}
SHOP = StoreSchema(name="Lamps", key="sku", fields=tuple(FIELDS.values()))


def weighed(evidence, field, column, columns):
    """What one piece of evidence says for a column among others."""
    frame = pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String))
    facts = column_facts(profile_columns(frame.lazy()), frame)
    asked = names.asked(FIELDS[field], SHOP, frozenset({"en"}))
    return evidence(asked, facts[column], facts)


def alone(evidence, field, heading, cells):
    return weighed(evidence, field, heading, {heading: cells}).weight


GROUPS = [f"SP-{n // 3}" for n in range(30)]


@pytest.mark.parametrize(
    ("field", "cells", "sign"),
    [
        ("variant_of", GROUPS, 1),
        ("shelf", GROUPS, -1),
        ("sku", GROUPS, 0),
        # Each once, all in one, mixed up, words: no groups of variants.
        ("variant_of", [f"SP-{n}" for n in range(30)], 0),
        ("variant_of", ["SP-1"] * 30, 0),
        ("variant_of", [f"SP-{n % 10}" for n in range(30)], 0),
        ("variant_of", [w for w in ("Oil", "Wax", "Ink", "Glue", "Clay") for _ in range(6)], 0),
    ],
)
def test_codes_of_groups_go_over_a_few_rows_in_a_row(field, cells, sign):
    weight = alone(values.rows_of_one, field, "F1", cells)
    assert (weight > 0) - (weight < 0) == sign


@pytest.mark.parametrize(
    ("cells", "said"),
    [
        (["product", "variant", "variant", "image"], True),
        (["Artikel", "Variante"] * 2, True),
        (["variant"] * 4, True),
        (["Studio", "Garden", "Studio", "Wall"], False),
        (["variant", "Studio", "variant", "Studio"], False),
        ([None] * 4, False),
    ],
)
def test_what_kind_of_row_it_is_is_no_value(cells, said):
    assert (alone(values.kind_of_row, "line", "Line", cells) < -10) is said


@pytest.mark.parametrize(
    ("field", "cells", "against"),
    [
        ("net_weight", ["lb", "oz", "lb"], True),
        ("line", ["kg"] * 3, True),
        ("unit", ["pcs", "pair", "pcs"], False),
        ("line", ["Wall", "kg", "Desk"], False),
        ("line", [None] * 3, False),
    ],
)
def test_units_by_themselves_are_another_columns(field, cells, against):
    assert (alone(values.units, field, "F1", cells) < 0) is against


@pytest.mark.parametrize(
    ("field", "heading", "against"),
    [
        ("shown", "Image caption", False),
        ("shown", "Bildtext", False),
        ("shown", "Caption of the lamp", True),
        ("shown", "F4", False),
        ("line", "Caption of the lamp", False),
    ],
)
def test_a_pictures_text_says_that_it_is_one(field, heading, against):
    assert (alone(values.picture_text, field, heading, ["A lamp"] * 3) < 0) is against


LONG, SHORT = ["19520000000001", "19520000000018"] * 3, ["9520000000004", "9520000000011"] * 3


@pytest.mark.parametrize(
    ("field", "cells", "sign"),
    [("carton_gtin", LONG, 1), ("carton_gtin", SHORT, -1), ("gtin", LONG, -1), ("gtin", SHORT, 1),
     ("cost", LONG, 0), ("gtin", ["1", "2"] * 3, 0)],
)  # fmt: skip
def test_fourteen_digits_are_a_cartons(field, cells, sign):
    weight = alone(values.cartons, field, "F1", cells)
    assert (weight > 0) - (weight < 0) == sign


PRICES = {
    "F1": ["1.00", "2.00", "3.00", "4.00", "5.00"],
    "F2": ["1.90", "3.90", "5.90", "7.90", "9.90"],
    "F3": ["7.00", "3.00", "1.00", "9.00", "2.00"],
}


@pytest.mark.parametrize(
    ("field", "column", "sign", "reason"),
    [
        ("cost", "F1", 1, "it lies under 'F2'"),
        ("cost", "F2", -1, ""),
        ("price", "F2", 1, "it lies over 'F1'"),
        ("was", "F2", 1, "it lies over 'F1'"),
        ("price", "F1", -1, ""),
        ("price", "F3", 0, ""),
        ("pack", "F1", 0, ""),
    ],
)
def test_a_cost_lies_under_a_retail_price(field, column, sign, reason):
    found = weighed(values.prices, field, column, PRICES)
    assert (found.weight > 0) - (found.weight < 0) == sign and found.reason == reason


@pytest.mark.parametrize(
    ("field", "heading", "least", "most"),
    [
        # A translation's own field takes its language alone; others take it last.
        ("name_de", "Text DE", 0.5, 2),
        ("name_de", "Text FR", -99, -8),
        ("name_de", "Text", -99, -8),
        ("name", "Text", 0, 0),
        ("name", "Text FR", -2, -0.5),
        ("name", "Text EN", 0.5, 2),
    ],
)
def test_a_text_is_in_the_stores_language_or_in_the_fields(field, heading, least, most):
    assert least <= alone(names.tongue, field, heading, ["x", "y"]) <= most


@pytest.mark.parametrize(
    ("field", "heading", "against"),
    [
        ("cost", "Listenpreis", True),
        ("gtin", "Karton EAN", True),
        ("pack", "Mindestbestellmenge", True),
        ("net_weight", "Bruttogewicht", True),
        ("net_weight", "Nettogewicht", False),
        ("cost", "Einkaufspreis", False),
        ("gtin", "EAN", False),
        # Whole numbers of a carton are the pieces in it.
        ("pack", "Carton", False),
        ("pack", "Karton", False),
    ],
)
def test_what_names_say_against_each_other(field, heading, against):
    assert (alone(names.contrast, field, heading, ["1", "2"]) <= -1) is against


@pytest.mark.parametrize(
    ("heading", "says"),
    [("was", "recommended"), ("Ancien prix", "recommended"), ("Prix barré", "recommended"),
     ("Ord pris", "recommended"), ("Původní cena", "recommended")],
)  # fmt: skip
def test_a_former_price_is_the_list_price(heading, says):
    found = weighed(names.meaning, "was", heading, {heading: ["1.00", "2.00"]})
    assert found.weight > 3 and says in found.reason


@pytest.mark.parametrize(
    ("field", "heading", "found"),
    [("rel_hum", "RH", True), ("rel_hum", "rh", True), ("rel_hum", "HR", False),
     ("net_weight", "NW", True), ("net_weight", "N", False), ("net_weight", "N1", False)],
)  # fmt: skip
def test_first_letters_of_a_fields_words(field, heading, found):
    assert (alone(names.initials, field, heading, ["1", "2"]) > 0) is found


@pytest.mark.parametrize("heading", ["Gross", "Price gross", "gross_price", "Brutto"])
def test_gross_over_amounts_is_no_twelve_dozen(heading):
    found = weighed(values.kind, "price", heading, {heading: ["1.90", "3.90", "12.50"]})
    assert found.weight > 0
