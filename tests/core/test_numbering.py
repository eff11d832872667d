"""Keys of products that a delivery makes without one: out of the supplier's number, or numbered."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.identity import Identity, KeyRule
from nomotax.core.crosswalk.model import Crosswalk
from nomotax.core.flow.context import Context
from nomotax.core.matching.numbering import Numbers
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW
from tests.core.in_pieces import compare

SCHEMA = StoreSchema(
    name="s", key="sku",
    fields=(StoreField(name="sku", title="SKU", required=True, max_length=6),
            StoreField(name="title", required=True),
            StoreField(name="gtin", kind="gtin")),
)  # fmt: skip


def plan_of(rule, ways=(), article="no"):
    fills = {n: {"parts": [{"column": n}]} for n in ("sku", "title", "gtin")}
    identity = {"new_key": rule, "ways": ways, "article": article}
    walk = Crosswalk.model_validate({"fills": fills, "identity": identity})
    return compile_plan(walk, SCHEMA, Context(), ("sku", "title", "gtin", "no"))


def compared(rows, rule, free=None, **more):
    """Lines of a changeset against an empty catalog, of rows of sku, title and number."""
    frame = pl.DataFrame(
        [{ROW: n, FAULT: None, "sku": s, "title": t, "gtin": None, "no": a}
         for n, (s, t, a) in enumerate(rows, 1)],
        schema={ROW: pl.UInt32, FAULT: pl.String, **dict.fromkeys(("sku", "title", "gtin", "no"),
                                                                  pl.String)},
    )  # fmt: skip
    numbers = Numbers(rule, rule.first if free is None else free) if rule.by == "number" else None
    there = ["key", "old:sku", "old:title", "old:gtin"]
    catalog = pl.DataFrame(schema=dict.fromkeys(there, pl.String))
    found = compare(frame, plan_of(rule.model_dump(), **more), catalog, "me", size=2,
                    numbers=numbers)  # fmt: skip
    return found.frame.sort("row")


CELL = st.sampled_from(["", "a", "b", "c", "d"])


@given(
    st.lists(st.tuples(st.sampled_from(["", "", "X1", "X2"]), st.sampled_from(["", "t"]), CELL)),
    st.integers(0, 30),
)
def test_numbers_are_given_in_order_once_and_to_nothing_else(rows, free):
    lines = compared(rows, KeyRule(by="number", prefix="N", digits=3), free)
    assert lines.height == len(rows)
    made = [(n, k) for n, k, s in lines.select("row", "key", "status").iter_rows() if s == "new"]
    numbered = [(n, k) for n, k in made if not rows[n - 1][0]]
    assert [k for _, k in numbered] == [f"N{free + at:03}" for at in range(len(numbered))]
    # One of each article at most, and none that nothing would find again.
    articles = [rows[n - 1][2] for n, _ in numbered]
    assert len(set(articles)) == len(articles)
    assert "" not in articles
    assert lines.filter(pl.col("status") == "new")["new:sku"].to_list() == [k for _, k in made]
    # The same row again is of the product that the first one makes.
    own = {rows[n - 1][2]: k for n, k in numbered}
    others = lines.filter(pl.col("status") != "new").select("row", "key")
    assert all(k == (rows[n - 1][0] or own.get(rows[n - 1][2])) for n, k in others.iter_rows())


@pytest.mark.parametrize(
    ("rows", "rule", "said"),
    [
        ([("", "t", "a"), ("", "t", "b")], {"last": 1}, [None, "SKU: the numbers for new"]),
        ([("", "t", "")], {}, ["SKU: none, and no number of the supplier's"]),
        ([("", "t", "a"), ("", "u", "a")], {}, ["Article 'a' stands on several rows"] * 2),
        ([("", "t", "a")], {"digits": 9}, ["SKU: '000000001'"]),
    ],
)  # fmt: skip
def test_what_cannot_be_numbered_says_why(rows, rule, said):
    lines = compared(rows, KeyRule(by="number", **rule))
    for line, start in zip(lines.iter_rows(named=True), said, strict=True):
        assert (line["status"] == "new") == (start is None)
        assert start is None or line["reason"].startswith(start)


def test_a_key_is_made_of_the_suppliers_number_where_there_is_none():
    rule = KeyRule(by="article", prefix="Q-")
    lines = compared([("X1", "t", "7"), ("", "t", "8 "), (" ", "t", ""), ("", "t", "12345")], rule)
    assert lines["key"].to_list() == ["X1", "Q-8", None, "Q-12345"]
    assert lines["status"].to_list() == ["new", "new", "rejected", "rejected"]


def test_a_number_needs_something_that_finds_its_product_again():
    rows = [("", "t", "a")]
    line = compared(rows, KeyRule(by="number"), ways=[{"fields": ["title"]}], article=None)
    assert line["key"].to_list() == ["1"]


@pytest.mark.parametrize("wrong", [{"first": 9, "last": 8}, {"prefix": " P"}, {"digits": 0}])
def test_a_rule_that_means_nothing_is_refused(wrong):
    with pytest.raises(ValidationError):
        KeyRule(by="number", **wrong)
    with pytest.raises(ValidationError, match="need the column"):
        Identity(new_key=KeyRule(by="article"))
