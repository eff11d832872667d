"""Changes of shape: what they give, and that no row vanishes unsaid."""

from __future__ import annotations

import json

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.lists import list_items, list_text
from nomotax.core.reading.reshape import (
    Attributes,
    BundleColumns,
    Gather,
    NamePair,
    Unfold,
    reshape,
)
from nomotax.core.reading.reshape_rows import CarryDown, KeepOnly, TakeRows
from nomotax.core.table import FAULT, ROW


def table(**columns):
    frame = pl.DataFrame(columns, schema=dict.fromkeys(columns, pl.String))
    return frame.select(
        pl.int_range(1, pl.len() + 1, dtype=pl.UInt32).alias(ROW),
        pl.lit(None, dtype=pl.String).alias(FAULT),
        *columns,
    ).lazy()


def run(lazy, *changes):
    told = []
    frame = reshape(lazy, changes, told).collect()
    assert frame[ROW].to_list() == list(range(1, frame.height + 1))
    return frame, told


def kinds(told, level=None):
    return [p.kind for p in told if level is None or p.level == level]


def test_unfold_gives_a_row_an_entry_and_keeps_the_parent():
    lazy = table(
        ref=["A", "B", "C"],
        **{
            "size@code": ['["a1","a2"]', '["b1"]', None],
            "size.price": ['["1",null]', '["3"]', None],
        },
    )
    frame, told = run(lazy, Unfold(columns=("size",), key="ref"))
    assert frame.drop(ROW, FAULT).rows() == [
        ("A", "a1", "1", "A"), ("A", "a2", None, "A"),
        ("B", "b1", "3", "B"), ("C", None, None, "C"),
    ]  # fmt: skip
    assert "3 rows became 4" in told[0].message


def test_unfold_cuts_cells_and_numbers_groups():
    frame, _ = run(table(n=["x", "y"], s=["S|M", "L"]), Unfold(columns=("s",), separator="|"))
    assert frame.select("n", "s", "group").rows() == [
        ("x", "S", "row 1"), ("x", "M", "row 1"), ("y", "L", "row 2"),
    ]  # fmt: skip


def test_lists_of_unequal_length_are_held_not_guessed():
    frame, told = run(
        table(a=["1|2", "3"], b=["x", "y"]), Unfold(columns=("a", "b"), separator="|")
    )
    assert frame.select("a", "b").rows() == [("1", "x"), ("2", None), ("3", "y")]
    assert frame[FAULT].to_list()[2] is None and "a 2, b 1" in frame[FAULT].to_list()[0]
    assert kinds(told, "broken") == ["uneven_lists"]


def test_gather_takes_joins_collects_and_aligns():
    lazy = table(
        id=["1", "1", "1", "2"], title=["T", None, "U", "V"], tag=["a", "b", "a", None],
        image=[None, "i1", "i2", None], code=["c1", "c2", None, None],
        price=["5", None, None, None],
    )  # fmt: skip
    change = Gather(
        by=("id",),
        columns={"tag": "join", "image": "collect", "code": "align", "price": "align"},
        joiner="+",
    )
    frame, told = run(lazy, change)
    assert frame.drop(ROW, FAULT).rows() == [
        ("1", "T", "a+b", '["i1","i2"]', '["c1","c2"]', '["5",null]'),
        ("2", "V", None, None, None, None),
    ]
    assert "'title' differs among the rows of 1 products" in told[-1].message


def test_gather_keeps_rows_without_a_key_apart():
    frame, told = run(table(id=[None, "1", None], x=["a", "b", "c"]), Gather(by=("id",)))
    assert sorted(frame["x"].to_list()) == ["a", "b", "c"] and "blank_key" in kinds(told)


def test_bundle_makes_one_ordered_list():
    lazy = table(sku=["A", "B"], i1=["p", None], i2=[None, None], i3=["q", None])
    frame, _ = run(lazy, BundleColumns(columns=("i1", "i2", "i3"), into="images"))
    assert frame.drop(ROW, FAULT).rows() == [("A", '["p","q"]'), ("B", None)]


def test_attributes_become_columns_and_doubles_are_told():
    lazy = table(
        sku=["A", "B"], n1=["Colour", "Size"], v1=["red", "M"], n2=["Size", "Size"], v2=["S", "L"],
    )  # fmt: skip
    pairs = (NamePair(name="n1", value="v1"), NamePair(name="n2", value="v2"))
    frame, told = run(lazy, Attributes(pairs=pairs))
    assert frame.drop(ROW, FAULT).to_dicts() == [
        {"sku": "A", "attribute: Size": "S", "attribute: Colour": "red"},
        {"sku": "B", "attribute: Size": "M", "attribute: Colour": None},
    ]
    assert "repeated_attribute" in kinds(told)


def test_languages_become_columns_of_each_value():
    lazy = table(sku=["A", "A"], lang=["en", "fr"], title=["Red", "Rouge"], text=["r", None])
    pairs = (NamePair(name="lang", value="title"), NamePair(name="lang", value="text"))
    frame, _ = run(lazy, Attributes(pairs=pairs), Gather(by=("sku",)))
    assert frame.drop(ROW, FAULT).to_dicts() == [
        {"sku": "A", "title: en": "Red", "title: fr": "Rouge", "text: en": "r", "text: fr": None}
    ]


@pytest.mark.parametrize(
    ("test", "values", "kept"),
    [
        ("is", ("live",), "ad"), ("is_not", ("live",), "bce"), ("contains", ("li", "ol"), "abd"),
        ("filled", (), "abcd"), ("empty", (), "e"),
    ],
)  # fmt: skip
def test_keep_only_counts_what_it_passes_over(test, values, kept):
    lazy = table(k=list("abcde"), state=["live", "old", "1", " LIVE ", None])
    frame, told = run(lazy, KeepOnly(column="state", test=test, values=values))
    assert "".join(frame["k"]) == kept and told[0].count == 5 - len(kept)


@pytest.mark.parametrize(
    ("test", "limit", "kept"), [("at_least", "1000", "ab"), ("at_most", "12,5", "cd")]
)
def test_keep_only_compares_numbers_in_either_writing(test, limit, kept):
    lazy = table(k=list("abcde"), price=["1.234,50", "1,234.50", "12.5", "€ 3,20", "n/a"])
    frame, _ = run(lazy, KeepOnly(column="price", test=test, values=(limit,)))
    assert "".join(frame["k"]) == kept


def test_headings_of_groups_are_carried_into_the_rows_below():
    """What stands alone in its row is a heading; rows above the first have none."""
    lazy = table(
        code=["0", "Garden", "1", "2", " Kitchen ", "3"],
        name=["loose", None, "Spade", "", "", "Pan"],
        price=["1", "", "2", "3", None, "4"],
    )
    frame, told = run(lazy, CarryDown(column="code", into="name"))
    assert frame.drop(ROW, FAULT).rows() == [
        (None, "0", "loose", "1"), ("Garden", "1", "Spade", "2"), ("Garden", "2", "", "3"),
        ("Kitchen", "3", "Pan", "4"),
    ]  # fmt: skip
    assert "name (2)" in frame.columns
    assert told[0].examples == ("Garden", "Kitchen")
    assert "2 headings" in told[0].message and "1 rows stand above" in told[0].message


def test_values_given_once_are_carried_over_empty_cells():
    frame, told = run(table(g=[None, "A", "", " ", "B"], n=list("12345")), CarryDown(column="g"))
    assert frame["g"].to_list() == [None, "A", "A", "A", "B"]
    assert told[0].count == 2


@given(st.lists(st.tuples(st.booleans(), st.sampled_from(["x", "y"])), max_size=12))
def test_no_row_vanishes_while_headings_are_carried(rows):
    lazy = table(k=[v for _, v in rows], n=[None if head else "1" for head, _ in rows])
    frame, told = run(lazy, CarryDown(column="k", into="G"))
    assert frame.height + told[0].count == len(rows)
    expected, last = [], None
    for head, value in rows:
        last = value if head else last
        expected += [] if head else [(last, value)]
    assert frame.select("G", "k").rows() == expected


def test_a_range_of_rows_is_taken_and_counted():
    frame, told = run(table(k=list("abcdef")), TakeRows(first=2, last=4))
    assert "".join(frame["k"]) == "bcd" and told[0].count == 3


@pytest.mark.parametrize(
    "change",
    [
        Unfold(columns=("gone",)), Gather(by=("gone",)), KeepOnly(column="gone"),
        BundleColumns(columns=("k", "gone"), into="x"),
        Attributes(pairs=(NamePair(name="k", value="gone"),)),
    ],
)  # fmt: skip
def test_a_column_that_is_missing_is_named(change):
    with pytest.raises(UnreadableFile, match="'gone'") as refused:
        run(table(k=["a"]), change)
    assert refused.value.remedy and refused.value.where


entries = st.lists(
    st.none() | st.text('ab"\\[],é水', min_size=1, max_size=4), min_size=1, max_size=6
)


@given(entries)
def test_lists_in_cells_come_back_as_they_were(items):
    assert list_items(list_text(items)) == items == json.loads(list_text(items))


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.lists(st.text("xyz", min_size=1, max_size=2), min_size=1, max_size=4), max_size=6)
)
def test_gather_undoes_unfold(groups):
    """What was unfolded and gathered again is what it was."""
    lazy = table(id=[str(i) for i in range(len(groups))], v=[list_text(g) for g in groups])
    frame, _ = run(
        lazy, Unfold(columns=("v",), key="id"), Gather(by=("id",), columns={"v": "collect"})
    )
    assert [list_items(c) for c in frame["v"]] == groups
