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


def found(table=TABLE, walk=None, refused=frozenset()):
    frame = pl.DataFrame(table)
    profiles = profile_columns(frame.lazy())
    evidence = Evidence("Lumo", profiles, ",")
    ranked = ranking(SHOP, column_facts(profiles, frame), evidence)
    chosen = suggest(SHOP, ranked, walk or Crosswalk(), refused)
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
