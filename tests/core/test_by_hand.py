"""Values written by hand: the store's own writing comes back, what a field does not take is
refused with its name."""

from __future__ import annotations

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.by_hand import as_written
from nomotax.core.errors import UnfitValue
from nomotax.core.schema.model import StoreSchema

SCHEMA = StoreSchema.model_validate(
    {
        "name": "Pots",
        "key": "code",
        "fields": [
            {"name": "code", "kind": "identifier", "role": "key", "required": True},
            {"name": "title", "title": "Title", "role": "title", "required": True,
             "max_length": 20},
            {"name": "ean", "title": "EAN", "kind": "gtin"},
            {"name": "price", "title": "Price", "kind": "money", "currency": "EUR"},
            {"name": "weight", "title": "Weight", "kind": "measure", "unit": "kg", "decimals": 3},
            {"name": "stock", "title": "Stock", "kind": "integer", "minimum": 0},
            {"name": "glaze", "title": "Glaze", "kind": "choice", "allowed": ["White", "Blue"]},
            {"name": "oven", "title": "Oven-proof", "kind": "yes_no"},
            {"name": "since", "title": "Since", "kind": "date"},
            {"name": "shelf", "title": "Category", "kind": "category"},
            {"name": "photos", "title": "Pictures", "kind": "links"},
            {"name": "text", "title": "Text", "kind": "rich_text"},
        ],
    }
)  # fmt: skip
TREE = frozenset({"Table", "Table > Bowls"})


@pytest.mark.parametrize(
    ("field", "value", "kept"),
    [
        ("title", "  Bowl  ", "Bowl"), ("price", "12.5", "12.50"), ("price", "0", "0.00"),
        ("weight", "1.2", "1.200"), ("stock", "7", "7"), ("glaze", "Blue", "Blue"),
        ("oven", "yes", "true"), ("oven", "false", "false"), ("since", "2026-11-26", "2026-11-26"),
        ("shelf", "Table > Bowls", "Table > Bowls"), ("ean", "9520000000004", "9520000000004"),
        ("text", "<p>Fired twice.</p>", "<p>Fired twice.</p>"), ("stock", "", None),
        ("stock", None, None), ("glaze", "  ", None),
        ("photos", "http://a.example/1.png | http://a.example/2.png",
         "http://a.example/1.png | http://a.example/2.png"),
    ],
)  # fmt: skip
def test_what_a_field_takes_is_kept_in_the_stores_writing(field, value, kept):
    assert as_written(SCHEMA, "P-1", {field: value}, TREE) == {field: kept}


@pytest.mark.parametrize(
    ("field", "value", "says"),
    [
        ("title", "", "must not be empty"), ("title", "x" * 21, "20"), ("price", "dear", "number"),
        ("weight", "heavy", "number"), ("stock", "-1", "0"), ("stock", "1.5", "whole"),
        ("glaze", "Pink", "Pink"), ("oven", "perhaps", "perhaps"), ("since", "31.02.2026", "date"),
        ("shelf", "Table > Jugs", "Jugs"), ("ean", "9520000000005", "check digit"),
        ("code", "P-2", "stays"), ("size", "L", "no field"),
    ],
)  # fmt: skip
def test_what_it_does_not_take_is_refused_by_name(field, value, says):
    with pytest.raises(UnfitValue, match=says) as refused:
        as_written(SCHEMA, "P-1", {"stock": "3", field: value}, TREE)
    assert refused.value.where == field


@given(st.decimals(0, 99999, places=2))
def test_what_was_kept_is_taken_again_unchanged(amount):
    once = as_written(SCHEMA, "P-1", {"price": str(amount)})
    assert Decimal(once["price"]) == amount
    assert as_written(SCHEMA, "P-1", once) == once
