"""From the likeliest columns to fills: what is taken, what is left, what is never taken unseen."""

from __future__ import annotations

import polars as pl
import pytest

from nomotax.core.crosswalk.evidence import Evidence
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.reading.profile import profile_columns
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.suggest.facts import column_facts
from nomotax.core.suggest.fills import price_from_cost, ranking, suggest

SHOP = StoreSchema(
    name="Lamps",
    key="sku",
    fields=(
        StoreField(name="sku", title="SKU", kind="identifier", role="key", required=True),
        StoreField(name="supplier_no", title="Supplier's number", kind="identifier"),
        StoreField(name="title", title="Title", role="title", max_length=12),
        StoreField(name="cost", title="Cost", kind="money", currency="EUR", role="cost"),
        StoreField(name="price", title="Price", kind="money", currency="EUR", role="price"),
        StoreField(name="stock", title="Stock", kind="integer", role="stock"),
    ),
)
TABLE = {
    "Art.-Nr.": [f"L-{n}" for n in range(6)],
    "Bezeichnung": [f"Lampe {k} mit langem Namen" for k in "abcdef"],
    "EK EUR": ["1,10", "2,20", "3,30", "4,40", "5,50", "6,60"],
    "Bestand": ["1", "0", "7", "4", "12", "9"],
}


def found(table=TABLE, walk=None, refused=frozenset(), schema=SHOP):
    frame = pl.DataFrame(table)
    profiles = profile_columns(frame.lazy())
    evidence = Evidence("Lumo", profiles, ",")
    ranked = ranking(schema, column_facts(profiles, frame), evidence)
    chosen = suggest(schema, ranked, walk or Crosswalk(), refused)
    return ranked, {s.field: s for s in chosen}


def test_the_suppliers_number_may_feed_the_key_and_its_own_field_and_nothing_else_twice():
    _, chosen = found()
    assert chosen["sku"].column == chosen["supplier_no"].column == "Art.-Nr."
    others = [s.column for f, s in chosen.items() if f not in ("sku", "supplier_no")]
    assert len(others) == len(set(others))


def test_what_is_filled_or_refused_is_not_suggested_and_its_column_is_used():
    fills = {"cost": Fill(parts=(Part(column="EK EUR"),))}
    _, chosen = found(walk=Crosswalk(fills=fills))
    assert "cost" not in chosen and "EK EUR" not in {s.column for s in chosen.values()}
    _, chosen = found(refused=frozenset({("stock", "Bestand")}))
    assert "stock" not in chosen


def test_a_price_is_worked_out_from_the_cost_where_there_is_a_ladder():
    ranked, _ = found()
    priced = price_from_cost(SHOP, ranked, ["Standard"])
    assert priced is not None and not priced.sure and priced.score <= 70
    assert (priced.field, priced.column, priced.fill.steps[-1].do) == ("price", "EK EUR", "ladder")
    assert price_from_cost(SHOP, ranked, []) is None


def test_no_price_is_worked_out_where_one_arrives():
    ranked, chosen = found(
        TABLE | {"VK brutto": ["2,90", "4,90", "6,90", "8,90", "11,00", "13,00"]}
    )
    assert price_from_cost(SHOP, ranked, ["Standard"]) is None
    assert chosen["price"].column == "VK brutto"


@pytest.mark.parametrize("field", ["title", "cost", "stock"])
def test_every_suggestion_says_why_and_brings_its_fill(field):
    _, chosen = found()
    one = chosen[field]
    assert one.reasons and one.fill.parts[0].column == one.column and 0 < one.score <= 100


def test_what_shortens_by_itself_is_never_sure():
    _, chosen = found()
    if chosen["title"].shapes:
        assert not chosen["title"].sure
    assert chosen["cost"].sure and not chosen["cost"].shapes


PICTURES = StoreSchema(
    name="Lamps",
    key="sku",
    fields=(
        *SHOP.fields,
        StoreField(name="picture", title="Picture", kind="link", role="picture"),
        StoreField(name="gallery", title="More pictures", kind="links", role="pictures"),
        StoreField(name="shown", title="Text of the picture", role="picture_text", of="picture"),
        StoreField(
            name="shown_more", title="More texts", kind="texts", role="picture_texts", of="gallery"
        ),
    ),
)
LINKS = [[f"http://l.example/{n}-{k}.png" for k in range(1 + n % 3)] for n in range(6)]


def as_arrays(rows):
    return ["[" + ",".join(f'"{cell}"' for cell in row) + "]" for row in rows]


@pytest.mark.parametrize(
    "cells", [as_arrays(LINKS), [" | ".join(row) for row in LINKS]], ids=["arrays", "signs"]
)
def test_one_column_of_pictures_feeds_the_first_and_the_others(cells):
    _, chosen = found(TABLE | {"Bilder": cells}, schema=PICTURES)
    first, rest = chosen["picture"], chosen["gallery"]
    assert first.column == rest.column == "Bilder" and not first.sure and not rest.sure
    taken = [[s for s in one.fill.steps if s.do == "take"] for one in (first, rest)]
    assert [(s.start, s.count) for (s,) in taken] == [(1, 1), (2, 0)]
    assert rest.fill.steps[:-1] == first.fill.steps[:-1] and "all but the first" in rest.reasons[0]


def test_texts_of_pictures_are_shared_alike():
    texts = as_arrays([[f"Lampe {n}, Bild {k}" for k in range(3)] for n in range(6)])
    _, chosen = found(TABLE | {"Bildtext": texts}, schema=PICTURES)
    assert chosen["shown"].column == chosen["shown_more"].column == "Bildtext"
    assert chosen["shown"].fill.steps[-1].do == chosen["shown_more"].fill.steps[-1].do == "take"


def test_the_rest_follows_what_a_person_has_taken_and_is_refused_like_any_other():
    table = TABLE | {"Bilder": as_arrays(LINKS)}
    _, chosen = found(table, schema=PICTURES)
    walk = Crosswalk(fills={"picture": chosen["picture"].fill})
    assert found(table, walk, schema=PICTURES)[1]["gallery"].column == "Bilder"
    refused = frozenset({("gallery", "Bilder")})
    assert "gallery" not in found(table, walk, refused, PICTURES)[1]
    both = Crosswalk(fills={n: chosen[n].fill for n in ("picture", "gallery")})
    assert "gallery" not in found(table, both, schema=PICTURES)[1]


def test_one_address_a_cell_is_no_gallery():
    _, chosen = found(TABLE | {"Bild": [row[0] for row in LINKS]}, schema=PICTURES)
    assert chosen["picture"].column == "Bild" and "gallery" not in chosen


@pytest.mark.parametrize(
    ("heading", "reason"), [("Preis", "says price"), ("price", "may be what the store pays")]
)
def test_a_lone_price_is_offered_for_the_cost_too_and_neither_is_sure(heading, reason):
    table = {k: v for k, v in TABLE.items() if k != "EK EUR"} | {heading: TABLE["EK EUR"]}
    _, chosen = found(table)
    assert chosen["cost"].column == chosen["price"].column == heading
    assert not chosen["cost"].sure and not chosen["price"].sure
    assert reason in chosen["cost"].reasons[0]
    refused = frozenset({("price", heading)})
    assert "price" not in found(table, refused=refused)[1]


def test_a_price_that_says_what_it_is_is_offered_once():
    table = {k: v for k, v in TABLE.items() if k != "EK EUR"} | {"Brutto": TABLE["EK EUR"]}
    assert [f for f, s in found(table)[1].items() if s.column == "Brutto"] == ["price"]


def test_where_a_cost_arrives_a_price_is_no_other():
    _, chosen = found(TABLE | {"Preis": ["2,90", "4,90", "6,90", "8,90", "11,00", "13,00"]})
    assert (chosen["cost"].column, chosen["price"].column) == ("EK EUR", "Preis")
