"""One change of a field of many products, by a table; and by how much numbers move, exactly."""

from __future__ import annotations

from decimal import Decimal
from itertools import pairwise

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.core.changes.bulk import BulkChange, changed_cells, labels_of, refuse_unwritten
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.errors import NomotaxError, UnfitValue
from nomotax.flows.lines import moves_within
from tests.core.test_by_hand import SCHEMA, TREE

POTS = pl.DataFrame(
    {
        "code": ["P-1", "P-2", "P-3"],
        "title": ["Bowl", "Blue bowl", "Jug"],
        "price": ["10.00", "0.00", None],
        "weight": ["0.500", None, "1.250"],
        "stock": ["3", "0", "12"],
    }
)


def changed(**change):
    names = [f.name for f in SCHEMA.fields if f.name not in POTS.columns]
    whole = POTS.with_columns(pl.lit(None, pl.String).alias(name) for name in names)
    told = changed_cells(BulkChange.model_validate(change), SCHEMA, whole, TREE)
    return {key: written if why is None else f"! {why}"
            for key, written, why in told.select("key", "written", "why").iter_rows()}  # fmt: skip


@pytest.mark.parametrize(
    ("change", "wanted"),
    [
        ({"field": "price", "do": "set", "value": "7,5"},
         {"P-1": "7.50", "P-2": "7.50", "P-3": "7.50"}),
        ({"field": "price", "do": "set", "value": "  "}, {"P-1": None, "P-2": None, "P-3": None}),
        ({"field": "glaze", "do": "set", "value": "Red"},
         dict.fromkeys(("P-1", "P-2", "P-3"), "! ")),
        ({"field": "shelf", "do": "set", "value": "Table > Bowls"},
         dict.fromkeys(("P-1", "P-2", "P-3"), "Table > Bowls")),
        # Only those are told in which it stands, and capital letters differ.
        ({"field": "title", "do": "replace", "find": "bowl", "value": "dish"},
         {"P-2": "Blue dish"}),
        ({"field": "title", "do": "replace", "find": "Jug", "value": ""}, {"P-3": "! "}),
        ({"field": "price", "do": "replace", "find": "0.0", "value": "1.5"},
         {"P-1": "11.50", "P-2": "1.50"}),
        ({"field": "title", "do": "replace", "find": "B", "value": "x" * 20},
         {"P-1": "! ", "P-2": "! "}),
        # What is nothing by the formula stays as it is; what cannot be worked out is said.
        ({"field": "price", "do": "formula", "formula": "[Price] * 1.1"},
         {"P-1": "11.00", "P-2": "0.00"}),
        ({"field": "price", "do": "formula", "formula": "10 / [Stock]"},
         {"P-1": "3.33", "P-2": "! ", "P-3": "0.83"}),
        ({"field": "title", "do": "formula", "formula": '[Title] & " " & [Stock]'},
         {"P-1": "Bowl 3", "P-2": "Blue bowl 0", "P-3": "Jug 12"}),
        ({"field": "stock", "do": "formula", "formula": "[Stock] - 5"},
         {"P-1": "! ", "P-2": "! ", "P-3": "7"}),
    ],
)  # fmt: skip
def test_a_change_gives_each_product_a_value_or_a_reason(change, wanted):
    found = changed(**change)
    assert {k: "! " if (v or "").startswith("! ") else v for k, v in found.items()} == wanted


@pytest.mark.parametrize(
    "change",
    [
        {"field": "title", "do": "replace", "value": "x"},
        {"field": "title", "do": "formula", "formula": "  "},
        {"field": "title", "do": "sort"},
    ],
)
def test_a_change_of_nothing_is_none(change):
    with pytest.raises(ValidationError):
        BulkChange.model_validate(change)


@pytest.mark.parametrize(("field", "value"), [("code", "x"), ("title", " "), ("nowhere", "x")])
def test_what_nobody_writes_is_refused(field, value):
    with pytest.raises(UnfitValue):
        refuse_unwritten(BulkChange(field=field, do="set", value=value), SCHEMA)


@pytest.mark.parametrize("formula", ["[Nowhere]", "1 +", "PRICE()"])
def test_a_formula_that_is_none_is_refused_before_any_product_is_looked_at(formula):
    with pytest.raises(NomotaxError):
        changed(field="price", do="formula", formula=formula)


def test_a_label_that_two_fields_share_gives_way_to_their_names():
    twice = SCHEMA.model_copy(
        update={"fields": (*SCHEMA.fields, SCHEMA["price"].model_copy(update={"name": "rrp"}))}
    )
    assert (labels_of(twice)["price"], labels_of(twice)["rrp"]) == ("price", "rrp")
    assert labels_of(twice)["title"] == "Title"


PRICE = st.none() | st.decimals("0.00", "100000", places=2)
PERCENT = st.none() | st.decimals(-100, 400, places=2)


@given(st.lists(st.tuples(PRICE, PRICE), min_size=1, max_size=8), PERCENT, PERCENT)
def test_a_bar_holds_what_moves_from_its_least_and_under_its_most(prices, least, most):
    frame = pl.DataFrame(
        {OLD + "price": [None if o is None else str(o) for o, _ in prices],
         NEW + "price": [None if n is None else str(n) for _, n in prices]},
        schema_overrides={OLD + "price": pl.String, NEW + "price": pl.String},
    ).lazy()  # fmt: skip
    found = frame.select(moves_within(frame, "price", least, most).fill_null(False)).collect()

    def fits(old, new):
        if old is None or new is None or old <= 0:
            return False
        moved = (new - old) * 100
        above = least is None or moved >= old * least
        return above and (most is None or moved < old * most)

    assert found.to_series().to_list() == [fits(old, new) for old, new in prices]
    assert not frame.select(moves_within(frame, "nowhere", least, most)).collect().to_series().any()


def test_the_bars_of_a_spread_leave_nothing_out_and_count_nothing_twice():
    from nomotax.flows.review import _EDGES

    moved = [Decimal(n) / 7 for n in range(0, 3000, 13)]
    frame = pl.DataFrame(
        {OLD + "p": ["100"] * len(moved), NEW + "p": [f"{m:.2f}" for m in moved]}
    ).lazy()
    ends = [None, *map(Decimal, _EDGES), None]
    bars = [moves_within(frame, "p", *pair).sum().alias(str(n))
            for n, pair in enumerate(pairwise(ends))]  # fmt: skip
    assert sum(frame.select(bars).collect().row(0)) == len(moved)
