"""What is wrong with products by themselves, against the rules of each field said plainly."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.fitting import flaws, still_fit
from nomotax.core.schema.model import StoreSchema

SCHEMA = StoreSchema.model_validate({
    "name": "Kıraathane", "key": "kod",
    "fields": [
        {"name": "kod", "role": "key", "required": True},
        {"name": "ad", "title": "Ad", "role": "title", "required": True, "max_length": 6},
        {"name": "fiyat", "title": "Fiyat", "kind": "money", "currency": "TRY", "role": "price",
         "minimum": "1"},
        {"name": "alis", "title": "Alış", "kind": "money", "currency": "TRY", "role": "cost"},
        {"name": "adet", "title": "Adet", "kind": "integer", "maximum": "500"},
        {"name": "renk", "title": "Renk", "kind": "choice", "allowed": ["kırmızı", "yeşil"]},
        {"name": "yer", "title": "Yer", "kind": "category"},
    ],
})  # fmt: skip
PLACES = frozenset({"Çay", "Çay > Siyah"})
TEXTS = st.none() | st.sampled_from(["Rize", "Ihlamur", "Of"])
MONEY = st.none() | st.sampled_from(["0.50", "1.00", "12.00", "12.5", "on lira", "-3.00"])
PRODUCT = st.fixed_dictionaries(
    {
        "ad": TEXTS,
        "fiyat": MONEY,
        "alis": MONEY,
        "adet": st.none() | st.sampled_from(["0", "500", "501", "2.5", "çok"]),
        "renk": st.none() | st.sampled_from(["kırmızı", "yeşil", "Yeşil", "mor"]),
        "yer": st.none() | st.sampled_from(["Çay", "Çay > Siyah", "Çay > Yeşil", "Kahve"]),
    }
)


def number(text):
    try:
        return Decimal(text)
    except (InvalidOperation, TypeError):
        return None


def written(text, places):
    """Whether a number stands there as the store writes it."""
    value = number(text)
    return value is not None and text == f"{value:.{places}f}"


def wrong_fields(own):
    """The fields of one product in which something is wrong, by the words of the schema."""
    found = set()
    if own["ad"] is None or len(own["ad"]) > 6:
        found.add("ad")
    for name in ("fiyat", "alis"):
        # No money is less than nothing.
        if own[name] is not None and (not written(own[name], 2) or number(own[name]) < 0):
            found.add(name)
    if number(own["fiyat"]) is not None and number(own["fiyat"]) < 1:
        found.add("fiyat")
    if own["adet"] is not None and (not written(own["adet"], 0) or number(own["adet"]) > 500):
        found.add("adet")
    if own["renk"] not in (None, "kırmızı", "yeşil"):
        found.add("renk")
    if own["yer"] is not None and own["yer"] not in PLACES:
        found.add("yer")
    price, cost = number(own["fiyat"]), number(own["alis"])
    if price is not None and cost is not None and cost > 0 and price < cost:
        found.add("fiyat")
    return found


def rows_of(products):
    names = [f.name for f in SCHEMA.fields]
    rows = [{"key": key} | {"new:" + f: (own | {"kod": key})[f] for f in names}
            for key, own in products.items()]  # fmt: skip
    return pl.DataFrame(
        rows, schema=dict.fromkeys(["key", *("new:" + f for f in names)], pl.String)
    )


PRODUCTS = st.dictionaries(st.sampled_from(["Ç-1", "Ç-2", "Ç-3"]), PRODUCT)


@given(PRODUCTS)
def test_what_is_wrong_is_told_of_its_field_and_of_no_other(products):
    found = flaws(rows_of(products), SCHEMA, PLACES)
    told = {(key, field) for key, field in found.select("key", "field").iter_rows()}
    wanted = {(key, field) for key, own in products.items() for field in wrong_fields(own)}
    assert told == wanted
    assert found["message"].null_count() == 0
    labels = {f.name: f.label for f in SCHEMA.fields}
    for field, message in found.select("field", "message").iter_rows():
        assert message.startswith(f"{labels[field]}: ")


@given(PRODUCTS, st.integers(1, 3))
def test_it_is_the_same_however_the_products_are_cut(products, size):
    rows = rows_of(products)
    pieces = [rows.slice(n, size) for n in range(0, max(1, rows.height), size)]
    cut = pl.concat(flaws(piece, SCHEMA, PLACES) for piece in pieces)
    order = ["key", "field", "message"]
    assert cut.sort(order).equals(flaws(rows, SCHEMA, PLACES).sort(order))


@pytest.mark.parametrize("price, cost, said", [
    ("8.00", "9.10", "Fiyat: 8.00 is under the cost of 9.10"),
    ("9.10", "9.10", None),
    ("8.00", "0.00", None),
    ("8.00", None, None),
])  # fmt: skip
def test_a_price_is_under_a_cost_that_is_one(price, cost, said):
    own = {"ad": "Rize", "fiyat": price, "alis": cost, "adet": None, "renk": None, "yer": None}
    found = flaws(rows_of({"Ç-1": own}), SCHEMA, PLACES)
    assert found["message"].to_list() == ([said] if said else [])


@given(PRODUCTS)
def test_what_still_fits_is_all_but_what_is_wrong(products):
    rows = rows_of(products)
    left = still_fit(rows.drop("new:kod"), SCHEMA, PLACES)
    for row in left.iter_rows(named=True):
        own = products[row["key"]]
        by_itself = wrong_fields(own | {"alis": None})
        for name in ("ad", "fiyat", "adet", "renk", "yer"):
            wanted = None if name in by_itself else own[name]
            assert row["new:" + name] == wanted, (row["key"], name)
