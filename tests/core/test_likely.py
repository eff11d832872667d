"""Ways that would find products, and products that an article is likely to be."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.crosswalk.compiler import ARTICLE, TOLD
from nomotax.core.crosswalk.identity import Way
from nomotax.core.matching.finder import Known
from nomotax.core.matching.partners import Partners
from nomotax.core.matching.ways import propose, tried

FIELDS = ("number", "name")
VALUES = st.sampled_from([None, "ab-1", "AB 1", "ab1", "AB-1", "0ab1", "c", "C"])
PAIRS = st.lists(st.tuples(VALUES, VALUES), max_size=8)


def frames(rows, products):
    told = dict.fromkeys((TOLD + f for f in FIELDS), pl.String)
    asked = pl.DataFrame(rows, schema=told, orient="row")
    held = [(f"k{n}", True, *values) for n, values in enumerate(products)]
    shape = {"key": pl.String, "there": pl.Boolean, **told}
    return asked, Known(pl.DataFrame(held, schema=shape, orient="row"))


@settings(max_examples=80, deadline=None)
@given(PAIRS, PAIRS)
def test_no_proposed_way_is_looser_than_it_takes_and_none_is_better(rows, products):
    asked, known = frames(rows, products)
    found = propose(asked, known, FIELDS)
    counts = [(one.found, -one.several) for one in found]
    assert counts == sorted(counts, reverse=True)
    for one in found:
        assert tried(one.way, asked, known) == one
        assert one.found
        if len(one.way.fields) == 1:
            assert one.found > one.several
            for ignored in one.way.ignore:
                less = tuple(i for i in one.way.ignore if i != ignored)
                stricter = Way(fields=one.way.fields, ignore=less)
                other = tried(stricter, asked, known)
                assert other.found < one.found or other.found <= other.several
        else:
            alone = [tried(Way(fields=(f,), ignore=one.way.ignore), asked, known).found
                     for f in one.way.fields]  # fmt: skip
            assert one.found > max(alone)
    for field in FIELDS:
        exact = tried(Way(fields=(field,)), asked, known)
        if exact.found > exact.several:
            best = max(one.found for one in found if one.way.fields == (field,))
            assert best >= exact.found


#: key, title, code, brand, price
PRODUCTS = [
    ("P1", "Claw hammer 500 g", "CH-5000", "Anvil", "10.00"),
    ("P2", "Claw hammer 800 g", "CH-8000", "Anvil", "12.00"),
    ("P3", "Sledge hammer 4 kg", "SL-4000", "Forge", "32.00"),
    ("P4", "Café table", "TB-1", "Forge", "99.00"),
    ("P5", "Garden chair", "123", "Forge", "55.00"),
]
LABELS = {"code": "Code", "brand": "Brand", "price": "Price"}


def likely(title, code=None, brand=None, article=None, price=None, products=PRODUCTS):
    named = ["key", TOLD + "title", *(TOLD + f for f in LABELS)]
    held = pl.DataFrame(products, schema=dict.fromkeys(named, pl.String), orient="row")
    values = {"row": 7, ARTICLE: article, TOLD + "title": title, TOLD + "code": code,
              TOLD + "brand": brand, TOLD + "price": price}  # fmt: skip
    shape = {name: pl.UInt32 if name == "row" else pl.String for name in values}
    found = Partners(held, "title", LABELS).likely(pl.DataFrame([values], schema=shape))
    assert set(found["row"]) <= {7}
    return [(key, why) for _, key, _, why in found.iter_rows()]


@pytest.mark.parametrize(
    ("asked", "best"),
    [
        ({"title": "Hammer, claw, 800 g"}, ("P2", "same name")),
        ({"title": "Claw hammer 650"}, ("P1", "similar name")),
        ({"title": "cafe TABLE"}, ("P4", "same name")),
        ({"title": "Something else", "code": "sl 4000"}, ("P3", "same Code")),
        ({"title": "Something else", "article": "ch8000"}, ("P2", "their number is its Code")),
        ({"title": "Claw hammer 500 g", "code": "CH5000"}, ("P1", "same Code, same name")),
        ({"title": "Sledge hammer", "brand": "FORGE"}, ("P3", "similar name, same Brand")),
    ],
)
def test_the_likeliest_comes_first_with_its_reasons(asked, best):
    key, why = likely(**asked)[0]
    assert (key, set(why.split(", "))) == (best[0], set(best[1].split(", ")))


@pytest.mark.parametrize(
    "asked",
    [
        # A brand, an amount, a short number are no reason by themselves; nothing is none.
        {"title": "Lamp", "brand": "Forge"},
        {"title": "Lamp", "price": "32.00"},
        {"title": "Lamp", "code": "123", "article": "123"},
        {"title": None},
        {"title": ""},
    ],
)
def test_what_is_no_reason_proposes_nothing(asked):
    assert likely(**asked) == []


def test_an_empty_catalog_has_no_partners():
    assert likely("Claw hammer", code="CH-5000", products=[]) == []
