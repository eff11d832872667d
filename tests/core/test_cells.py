"""Cells written together: each as if it were the only one; and conditions against plain Python."""

from __future__ import annotations

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.changes.by_hand import as_written
from nomotax.core.changes.cells import CELLS, cells_written
from nomotax.core.errors import UnfitValue
from nomotax.core.numbers import NUMBER
from nomotax.core.showing import Condition, holds
from tests.core.test_by_hand import SCHEMA, TREE

VALUES = st.sampled_from(
    ["12.5", "12,5", "1.234,50", "1,234.50", "7", "-1", "x", "", "  ", None, "White", "white",
     "Table > Bowls", "Table", "yes", "2026-11-26", "26.11.2026", "9520000000004", "952000000000",
     "a" * 21, "<p>x</p>", "http://a.example/1.png", "1.5 kg", "€ 3,20", "3 > 2"]
)  # fmt: skip
FIELDS = st.sampled_from([*(f.name for f in SCHEMA.fields), "nowhere"])


@settings(max_examples=30)
@given(st.lists(st.tuples(FIELDS, VALUES), min_size=1, max_size=12))
def test_each_cell_is_read_as_if_it_were_the_only_one(cells):
    rows = [(f"P-{n}", name, value) for n, (name, value) in enumerate(cells)]
    told = cells_written(SCHEMA, pl.DataFrame(rows, schema=CELLS, orient="row"), TREE)
    assert told.select(*CELLS).rows() == rows
    for key, name, value, written, why in told.rows():
        try:
            alone = as_written(SCHEMA, key, {name: value}, TREE)[name], None
        except UnfitValue as error:
            alone = None, error.message
        assert (written, why) == alone


NUMBERS = st.one_of(st.none(), st.decimals(-1000, 1000, places=2))
TESTS = {
    "empty": lambda value, bound: value is None,
    "filled": lambda value, bound: value is not None,
    "is": lambda value, bound: value == bound,
    "is not": lambda value, bound: value != bound,
    "least": lambda value, bound: value is not None and value >= bound,
    "most": lambda value, bound: value is not None and value <= bound,
    "any of": lambda value, bound: value == bound,
}


@given(st.lists(NUMBERS, min_size=1), st.decimals(-1000, 1000, places=2), st.booleans())
def test_numbers_fulfil_conditions_as_numbers(values, bound, comma):
    series = pl.Series([None if v is None else str(v) for v in values]).cast(pl.String)
    said = str(bound).replace(".", ",") if comma else str(bound)
    for test, means in TESTS.items():
        one = Condition(field="price", test=test, value=said)
        assert holds(one, series.cast(NUMBER), True).to_list() == [means(v, bound) for v in values]


@pytest.mark.parametrize(
    ("test", "value", "wanted"),
    [
        ("contains", "RED", [True, True, False, False]),
        ("is", "Red", [True, False, False, False]),
        ("is not", "Red", [False, True, True, True]),
        ("any of", "Red\n\n Blue ", [True, False, True, False]),
        ("least", "Blue", [True, True, True, False]),
    ],
)
def test_texts_fulfil_conditions(test, value, wanted):
    values = pl.Series(["Red", "dark red", "Blue", None])
    assert holds(Condition(field="x", test=test, value=value), values, False).to_list() == wanted


def test_what_is_no_number_bounds_nothing():
    values = pl.Series([Decimal(1), None]).cast(NUMBER)
    for test in ("least", "is", "is not"):
        assert not holds(Condition(field="x", test=test, value="dear"), values, True).any()
