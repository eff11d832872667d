"""A value on its way: read as a number, cut into entries, checked against what a field demands."""

from __future__ import annotations

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.flow.context import Context
from nomotax.core.flow.entries import as_list
from nomotax.core.flow.flow import LIST_SIGN, Flow
from nomotax.core.flow.number import as_number, read_as
from nomotax.core.schema.breaking import breaking
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT, ROW

NUMBERS = st.decimals(-(10**6), 10**6, places=3, allow_nan=False, allow_infinity=False)


def value(flow, *texts):
    frame = pl.DataFrame({"v": list(texts)}, schema={"v": pl.String})
    return frame.select(flow.value).to_series().to_list()


def faults(flow, *texts):
    frame = pl.DataFrame({"v": list(texts)}, schema={"v": pl.String})
    return [f.kind for f in flow.faults if frame.select(f.mask.fill_null(False)).to_series().any()]


@given(NUMBERS, st.sampled_from([",", "."]), st.booleans())
def test_a_number_is_what_its_digits_say_in_either_writing(number, mark, grouped):
    text = f"{number:,.3f}" if grouped else f"{number:.3f}"
    if mark == ",":
        text = text.translate(str.maketrans(",.", ".,"))
    flow = read_as(Flow(pl.col("v")), mark)
    assert value(flow, text) == [number] and faults(flow, text) == []


@given(NUMBERS)
def test_text_that_a_step_has_changed_waits_where_it_can_be_read_both_ways(number):
    """1.500 is a thousand and a half or one and a half: nobody guesses."""
    text = f"{abs(number):.3f}"
    flow = as_number(Flow(pl.col("v"), style="changed"), Context(decimal=","))
    both = Decimal(text) != Decimal(text.replace(".", ""))
    a_group = len(text.split(".", maxsplit=1)[0]) <= 3
    assert (faults(flow, text) == ["two_numbers"]) == (both and a_group)


@pytest.mark.parametrize(
    ("style", "decimal", "text", "found"),
    [
        ("arriving", ",", "1.999", Decimal(1999)),
        ("plain", ",", "1.999", Decimal("1.999")),
        ("arriving", ".", "1,999", Decimal(1999)),
        ("changed", ".", "1.999", Decimal("1.999")),
    ],
)
def test_the_style_of_a_text_says_how_it_is_read(style, decimal, text, found):
    flow = as_number(Flow(pl.col("v"), style=style), Context(decimal=decimal))
    assert value(flow, text) == [found]


ENTRIES = st.lists(st.text("abc ", min_size=1, max_size=4).map(str.strip), max_size=6)


@given(ENTRIES, st.booleans())
def test_entries_keep_their_places_or_the_empty_ones_go(entries, blanks):
    text = LIST_SIGN.join(entries)
    frame = pl.DataFrame({"v": [text]}, schema={"v": pl.String})
    found = frame.select(as_list(Flow(pl.col("v")), LIST_SIGN.strip(), blanks)).item().to_list()
    if not blanks:
        assert found == [e for e in entries if e]
        return
    last = max((i for i, e in enumerate(entries) if e), default=-1)
    assert found == entries[: last + 1]


DEMANDS = st.fixed_dictionaries(
    {},
    optional={
        "max_length": st.integers(1, 4),
        "pattern": st.sampled_from(["[ab]+", "a.*", ".*b"]),
        "unique": st.booleans(),
    },
)
VALUES = st.lists(st.text("abc", min_size=1, max_size=5), min_size=1, max_size=8)


@given(DEMANDS, VALUES)
def test_what_an_edit_would_break_is_what_a_delivery_of_it_would_be_refused_for(demands, values):
    """Telling before and checking after are one engine."""
    field = StoreField.model_validate({"name": "f", **demands})
    schema = StoreSchema(name="s", key="k", fields=(StoreField(name="k"), field))
    held = pl.DataFrame({"key": [str(n) for n in range(len(values))], "value": values})
    frame = pl.DataFrame(
        {ROW: list(range(1, len(values) + 1)), FAULT: [None] * len(values),
         "k": held["key"], "f": values},
        schema_overrides={ROW: pl.UInt32, FAULT: pl.String},
    )  # fmt: skip
    fills = {n: Fill(parts=(Part(column=n),)) for n in ("k", "f")}
    plan = compile_plan(Crosswalk(fills=fills), schema, Context(), ["k", "f"])
    refused = problems_of(plan.fill(frame), plan, frame)
    rows = set(refused.filter(pl.col("field") == "f")["row"].to_list())
    told = {int(k) + 1 for k in breaking(field, held)["key"]}
    twice = {n + 1 for n, v in enumerate(values) if values.count(v) > 1}
    assert told - (twice if field.unique else set()) == rows - (twice if field.unique else set())
    assert not field.unique or twice <= told
