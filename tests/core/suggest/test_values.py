"""What values say, where headings say nothing: each column is called F1, F2, ..."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.reading.profile import profile_columns
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.suggest.columns import fits, weigh
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.fills import ranking

SHOP = StoreSchema(
    name="Anything",
    key="sku",
    fields=(
        StoreField(name="sku", title="SKU", kind="identifier", role="key", required=True),
        StoreField(name="gtin", title="GTIN", kind="gtin"),
        StoreField(name="carton_gtin", title="Carton GTIN", kind="gtin"),
        StoreField(name="name", title="Name", role="title"),
        StoreField(name="text", title="Description", kind="rich_text", role="text"),
        StoreField(name="brand", title="Brand"),
        StoreField(name="cost", title="Cost", kind="money", currency="EUR", role="cost"),
        StoreField(name="price", title="Price", kind="money", currency="EUR", role="price"),
        StoreField(name="carton_cost", title="Carton cost", kind="money", currency="EUR"),
        StoreField(name="pack", title="Pieces in a pack", kind="integer"),
        StoreField(name="colour", title="Colour", kind="choice", allowed=("Red", "Blue", "Green")),
        StoreField(name="gone", title="Discontinued", kind="yes_no"),
        StoreField(name="since", title="Available from", kind="date"),
        StoreField(name="picture", title="Picture", kind="link", role="picture"),
        StoreField(name="sheet", title="Data sheet", kind="link"),
    ),
)
CELLS = {
    "sku": [f"A-{n}" for n in range(8)],
    "gtin": ["9520000000004", "9520000000011", "9520000000028", "9520000000035"] * 2,
    "carton_gtin": ["19520000000001", "19520000000018", "19520000000025", "19520000000032"] * 2,
    "name": [f"Lamp of the kind {k}" for k in "abcdefgh"],
    "text": [f"<p>A lamp for rooms of any height, number {n}, and a cord.</p>" for n in range(8)],
    "cost": ["1.10", "2.25", "3.05", "4.00", "5.50", "6.20", "7.15", "8.99"],
    "price": ["2.20", "4.90", "6.50", "8.90", "11.00", "12.90", "14.90", "18.90"],
    "colour": ["rot", "blau", "grün", "rot", "blau", "grün", "rot", "rot"],
    "gone": ["J", "N", "N", "J", "N", "N", "N", "N"],
    "since": ["01.02.2026", "15.03.2026", "20.04.2026", "31.05.2026"] * 2,
    "picture": [f"http://l.example/{n}.png" for n in range(8)],
    "sheet": [f"http://l.example/{n}.pdf" for n in range(8)],
}  # fmt: skip


def facts_of(columns):
    frame = pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String))
    return column_facts(profile_columns(frame.lazy()), frame)


def likeliest(columns):
    """The first column of each field, and how likely it is."""
    found = fits(weigh(SHOP, facts_of(columns)))
    return {name: (own[0].column, own[0].likely) for name, own in found.items() if own}


@pytest.mark.parametrize(
    "field", ["gtin", "carton_gtin", "colour", "gone", "since", "picture", "sheet"]
)
def test_a_column_of_no_name_is_told_by_its_values(field):
    numbered = {f"F{n}": cells for n, cells in enumerate(CELLS.values(), 1)}
    column, likely = likeliest(numbered)[field]
    assert numbered[column] == CELLS[field] and likely >= 0.3


@pytest.mark.parametrize(
    ("field", "heading", "cells"),
    [
        ("gtin", "EAN", ["9520000000005", "9520000000012", "9520000000029"] * 3),
        ("gtin", "EAN", ["red", "blue", "green"] * 3),
        ("cost", "Einkauf", ["yes", "no", "no"] * 3),
        ("since", "Verfügbar ab", ["soon", "never", "later"] * 3),
        ("picture", "Bild", ["yes", "no", "yes"] * 3),
        ("sku", "Item number", ["same"] * 9),
        ("pack", "VE", ["1,25", "2,75", "3,35"] * 3),
    ],
)
def test_values_that_do_not_fit_are_never_sure_whatever_the_heading_says(field, heading, cells):
    found = likeliest({heading: cells, "Artikel": [f"A-{n}" for n in range(9)]})
    assert field not in found or found[field][0] != heading or found[field][1] < 0.9


def with_cartons(counts, each=("1.10", "2.25", "3.05", "4.00", "5.50", "6.20", "7.15", "8.99")):
    carton = [f"{float(e) * c:.2f}" for e, c in zip(each, counts, strict=True)]
    return {"F1": list(each), "F2": [str(c) for c in counts], "F3": carton}


def test_a_cartons_price_is_a_pieces_times_the_pieces_in_it():
    columns = with_cartons([6, 12, 6, 10, 24, 6, 12, 4]) | {"F4": CELLS["sku"]}
    assert facts_of(columns).packs == {"F3": ("F1", "F2")}
    reasons = {
        name: {fit.column: fit.reason for fit in own}
        for name, own in fits(weigh(SHOP, facts_of(columns))).items()
    }
    assert "'F3' is 'F1' times it" in reasons["pack"]["F2"]
    assert "it is 'F1' times 'F2'" in reasons["carton_cost"]["F3"]
    found = likeliest(columns)
    assert found["pack"][0] == "F2" and found["cost"][0] != "F3"


@given(st.lists(st.integers(2, 60), min_size=8, max_size=8))
def test_rounded_prices_of_pieces_show_it_too(counts):
    """A carton at a round price, whose piece is rounded to the cent."""
    cartons = [10 * c + 5 for c in counts]
    each = [f"{carton / c:.2f}" for carton, c in zip(cartons, counts, strict=True)]
    columns = {"F1": each, "F2": [str(c) for c in counts], "F3": [f"{c}.00" for c in cartons]}
    assert facts_of(columns).packs.get("F3") == ("F1", "F2")


@pytest.mark.parametrize("counts", [[1] * 8, [0] * 8])
def test_where_every_pack_holds_one_nothing_is_told(counts):
    assert facts_of(with_cartons(counts)).packs == {}


def test_prices_that_are_no_multiple_tell_no_packs():
    assert facts_of({"F1": CELLS["cost"], "F2": ["6"] * 8, "F3": CELLS["price"]}).packs == {}


@pytest.mark.parametrize(
    ("cell", "number"),
    [
        ("1.234,50", 1234.5), ("1,234.50", 1234.5), ("12,5", 12.5), ("12.5", 12.5),
        ("1.250", 1.25), ("€ 4,90", 4.9), ("4.90 EUR", 4.9), ("-3", -3.0), ("12 kg", 12.0),
        ("1'234", 1234.0), ("A-12", None), ("12-24", None), ("red", None), ("", None),
        ("9" * 41, None), ("from 12 to 24 pieces", None),
    ],
)  # fmt: skip
def test_cells_are_numbers_in_either_style_or_none(cell, number):
    facts = facts_of({"F1": [cell, "x"]})
    value = facts["F1"].numbers[0]
    assert np.isnan(value) if number is None else value == pytest.approx(number)


def test_a_cost_lies_under_its_retail_price_row_by_row():
    facts = facts_of({"F1": CELLS["cost"], "F2": CELLS["price"], "F3": CELLS["sku"]})
    assert facts.ordered == {"F1": ("F2", ""), "F2": ("", "F1")}
    found = likeliest({"F1": CELLS["cost"], "F2": CELLS["price"]})
    assert found["cost"][0] == "F1" and found["price"][0] == "F2"


def test_a_brand_stands_within_the_titles():
    brands = ["Lumo", "Kerze", "Lumo", "Docht", "Lumo", "Kerze", "Docht", "Lumo"]
    columns = {"F1": [f"{b} lamp {n}" for n, b in enumerate(brands)], "F2": brands,
               "F3": ["north", "south", "east", "west"] * 2}  # fmt: skip
    assert likeliest(columns)["brand"][0] == "F2"


@pytest.mark.parametrize(
    ("columns", "own", "sure"),
    [
        ({"Price": CELLS["price"]}, False, False),
        ({"sizes.size.price": CELLS["price"]}, False, False),
        ({"Price": CELLS["price"]}, True, True),
        ({"Price": CELLS["price"], "Cost": CELLS["cost"]}, False, True),
        ({"Retail price": CELLS["price"]}, False, True),
    ],
)
def test_a_price_that_may_be_what_the_store_pays_is_never_sure(columns, own, sure):
    """A supplier who calls a column *price*, with no other, may mean the cost."""
    named = columns | {"Item number": CELLS["sku"]}
    facts = facts_of(named)
    profiles = [c.profile for c in facts.columns]
    ranked = ranking(SHOP, facts, Evidence("Lumo", profiles, ".", own_export=own))
    first = next(s for s in ranked if s.field == "price")
    assert first.column == next(iter(columns)) and first.sure is sure
