"""What is known of columns before they are weighed: headings, cells, and columns beside them."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.reading.profile import profile_columns
from nomotax.core.suggest.facts import column_facts


def facts_of(columns):
    rows = max(len(cells) for cells in columns.values())
    full = {name: [*cells, *[None] * (rows - len(cells))] for name, cells in columns.items()}
    frame = pl.DataFrame(full, schema=dict.fromkeys(full, pl.String))
    return column_facts(profile_columns(frame.lazy()), frame)


def says(*headings, cells=("a", "b")):
    """The concepts of each heading, the strong ones."""
    facts = facts_of({h: list(cells) for h in headings})
    return [{c for c, w in facts[h].says.concepts.items() if w >= 0.5} for h in headings]


@pytest.mark.parametrize(
    ("heading", "concepts"),
    [
        ("grams", {"weight"}),
        ("kg", {"weight"}),
        ("Litres", {"volume"}),
        ("m2", {"area"}),
        # A length may be any dimension; a piece, a letter and a bra's cup are no measures here.
        ("cm", set()),
        ("pcs", {"piece"}),
        ("Weight (kg)", {"weight"}),
        ("net_weight_g", {"net", "weight"}),
        ("Price EUR", {"price"}),
    ],
)
def test_a_unit_alone_says_what_it_measures(heading, concepts):
    (found,) = says(heading)
    assert concepts <= found if concepts else "length" not in found


def test_what_stands_around_several_headings_and_names_the_rows_says_nothing():
    inner = ["variants.variant.price", "variants.variant@code", "variants.variant.mass"]
    assert says(*inner) == [{"price"}, {"number"}, {"weight"}]
    # One alone may mean it; one that says more is kept.
    assert "variant" in says("variants.variant.price")[0]
    weights = says("weights.net", "weights.gross", "weights.tare")
    assert all("weight" in one for one in weights)


def test_the_outer_part_is_taken_off_however_deep_the_inner_one_is():
    facts = facts_of(
        {h: ["1", "2"] for h in ("size.price", "size@code", "size.mass", "size.mass@unit")}
    )
    assert facts["size.mass@unit"].says.concepts.keys() >= {"weight", "unit"}
    assert "size" not in facts["size.mass@unit"].says.concepts
    assert facts["size.mass@unit"].last_part == "unit" and facts["size.mass"].last_part == ""


def test_of_cells_with_several_entries_the_first_are_known():
    facts = facts_of(
        {
            "pictures": ['["http://a.example/1.png","http://a.example/2.png"]',
                         '["http://a.example/3.png"]', "http://a.example/4.png", None],
            "name": ["One", '["not an array', "Three", "Four"],
        }
    )  # fmt: skip
    assert facts["pictures"].listed and not facts["name"].listed
    assert facts["pictures"].cells.to_list() == [
        "http://a.example/1.png", "http://a.example/3.png", "http://a.example/4.png", None
    ]  # fmt: skip
    assert facts["pictures"].matching(r"\.png$") == 1.0


@given(st.lists(st.text(alphabet='["],\\ab1 ', max_size=12), min_size=1, max_size=8))
def test_any_cells_can_be_looked_at(cells):
    facts = facts_of({"F1": cells, "F2": cells})
    assert facts["F1"].cells.to_list() == facts["F2"].cells.to_list()
    assert 0 <= facts["F1"].numeric <= 1 and facts["F1"].filled <= len(cells)


@pytest.mark.parametrize(
    ("heading", "helpful"),
    [
        ("F1", False), ("Column 12", False), ("spalte_3", False), ("", False), ("7", False),
        ("Kolumn 4", False), ("unnamed: 0", False), ("EAN", True), ("F-stop", True),
        ("Colour 2", True), ("Column of print", True),
    ],
)  # fmt: skip
def test_headings_that_say_nothing_are_known(heading, helpful):
    assert facts_of({heading: ["x", "y"], "EAN": ["1", "2"]})[heading].helpful is helpful


@pytest.mark.parametrize(
    ("heading", "language", "concept"),
    [
        ("Description DE", "de", "description"), ("name_fr", "fr", "title"),
        ("texts: text: en", "en", "description"), ("Titel (nl)", "nl", "title"),
        ("Art. No", "", "number"), ("Made in", "", "origin"),
    ],
)  # fmt: skip
def test_a_language_at_the_end_is_the_texts_own(heading, language, concept):
    found = facts_of({heading: ["x", "y"]})[heading]
    assert found.language == language
    assert concept in {**found.says.concepts, **found.last.concepts} or concept == "origin"


def test_a_joined_table_repeats_the_key_that_it_was_joined_by():
    keys = [f"A-{n}" for n in range(20)]
    facts = facts_of(
        {
            "item": keys,
            "label": [f"Lamp {n}" for n in range(20)],
            "stock: article": [*keys[:15], *[None] * 5],
            "stock: free": [str(n) for n in range(20)],
            "prices: code": [*keys[:10], *[f"B-{n}" for n in range(10)]],
        }
    )
    assert facts.joined_keys == {"stock: article"}


@pytest.mark.parametrize(
    ("lower", "higher", "found"),
    [
        (["1.00", "2.00", "3.00", "4.00", "5.00"], ["1.90", "3.90", "5.90", "7.90", "9.90"], True),
        # Not in every row, not by as much, too few rows.
        (["1.00", "2.00", "3.00", "4.00", "5.00"], ["1.90", "1.90", "5.90", "3.90", "9.90"], False),
        (["1.00", "2.00", "3.00", "4.00", "5.00"], ["1.01", "2.02", "3.03", "4.04", "5.05"], False),
        (["1.00", "2.00", "3.00"], ["1.90", "3.90", "5.90"], False),
        # Decimal commas are the same amounts.
        (["1,00", "2,00", "3,00", "4,00", "5,00"], ["1,90", "3,90", "5,90", "7,90", "9,90"], True),
    ],
)
def test_amounts_that_lie_under_others_row_by_row(lower, higher, found):
    ordered = facts_of({"one": lower, "two": higher}).ordered
    assert ordered["one"][0] == ("two" if found else "")
    assert ordered["two"][1] == ("one" if found else "")


@given(st.permutations(["Artikelnummer", "Bezeichnung", "Farbe", "Gewicht", "Bestand", "Preis"]))
def test_the_language_of_headings_does_not_hang_on_their_order(headings):
    assert "de" in facts_of({h: ["x", "y"] for h in headings}).languages
