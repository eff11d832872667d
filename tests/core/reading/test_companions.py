"""Second tables joined on a key: every row stays, and every key without a partner is told."""

from __future__ import annotations

import polars as pl
import pytest

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.companions import join_all
from nomotax.core.reading.model import ArrivingTable, Companion, KeyPair, Preference
from nomotax.core.table import FAULT, ROW
from tests.core.reading.test_reshape import table

STOCK = {"code": ["1", "02", "2", None, "9"], "qty": ["5", "6", "7", "8", "3"]}


def run(lazy, own, **columns):
    told = []
    tables = {own.name: ArrivingTable(table(**columns), [])} if columns else {}
    frame = join_all(lazy, (own,), tables, told).collect()
    assert frame[ROW].to_list() == list(range(1, frame.height + 1))
    return frame, {p.kind: p for p in told}


def on(column, theirs, **more):
    return Companion(name="stock", keys=(KeyPair(column=column, theirs=theirs),), **more)


def items(**more):
    return table(sku=["001", "002", "003", None], price=["10", None, "30", "40"], **more)


def test_keys_match_as_said_and_the_rest_is_told():
    frame, told = run(items(), on("sku", "code", ignore_zeros=True), **STOCK)
    # 02 and 2 are one once zeros do not count: nobody can say which of them 002 means.
    assert frame["stock: qty"].to_list() == ["5", None, None, None]
    assert told["companion_ambiguous_key"].examples == ("02 and 2",)
    assert told["companion_blank_key"].count == 1 and told["no_partner"].count == 3
    assert told["companion_no_partner"].examples == ("9",)
    twice = {"code": ["1", "2", "2"], "qty": ["5", "6", "7"]}
    for which, hit in (("first", "6"), ("last", "7")):
        own = on("sku", "code", ignore_zeros=True, repeated=which)
        frame, told = run(items(), own, **twice)
        assert frame["stock: qty"].to_list() == ["5", hit, None, None]
        assert told["companion_repeated_key"].examples == ("2",)


def test_without_options_keys_must_be_equal():
    strict = on("sku", "code", ignore_case=False, ignore_blanks=False)
    frame, _ = run(table(sku=["a ", "A", "a"]), strict, code=["a"], qty=["1"])
    assert frame["stock: qty"].to_list() == [None, None, "1"]
    loose, _ = run(table(sku=["a ", "A", "a"]), on("sku", "code"), code=["a"], qty=["1"])
    assert loose["stock: qty"].to_list() == ["1", "1", "1"]


def test_a_key_of_zeros_is_a_key():
    frame, _ = run(
        table(sku=["000", "0"]), on("sku", "code", ignore_zeros=True), code=["00"], q=["1"]
    )
    assert frame["stock: q"].to_list() == ["1", "1"]


def test_several_columns_make_a_key():
    own = Companion(
        name="c", keys=(KeyPair(column="a", theirs="x"), KeyPair(column="b", theirs="y"))
    )
    frame, _ = run(table(a=["1", "1"], b=["p", "q"]), own, x=["1"], y=["Q"], v=["hit"])
    assert frame["c: v"].to_list() == [None, "hit"]


def test_columns_never_overwrite_unless_somebody_said_which_wins():
    theirs = {"code": ["001", "002", "003"], "price": ["11", "22", None]}
    plain, _ = run(items(), on("sku", "code"), **theirs)
    assert plain["price"].to_list() == ["10", None, "30", "40"]
    assert plain["stock: price"].to_list() == ["11", "22", None, None]
    for wins, expected in (
        ("companion", ["11", "22", "30", "40"]),
        ("own", ["10", "22", "30", "40"]),
    ):
        choice = Preference(column="price", theirs="price", wins=wins)
        chosen, _ = run(items(), on("sku", "code", prefer=(choice,)), **theirs)
        assert chosen["price"].to_list() == expected


def test_a_companion_may_add_rows():
    frame, told = run(items(), on("sku", "code", adds=True), code=["001", "777"], qty=["1", "2"])
    assert frame["sku"].to_list() == ["001", "002", "003", None, "777"]
    assert frame["stock: qty"].to_list()[-1] == "2" and frame["price"].to_list()[-1] is None
    assert told["companion_no_partner"].level == "note"


def test_companions_chain():
    """A later companion may join on what an earlier one brought."""
    tables = {
        "a": ArrivingTable(table(k=["1"], node=["n7"]), []),
        "b": ArrivingTable(table(id=["n7"], name=["Easels"]), []),
    }
    own = (
        Companion(name="a", keys=(KeyPair(column="sku", theirs="k"),)),
        Companion(name="b", keys=(KeyPair(column="a: node", theirs="id"),)),
    )
    frame = join_all(table(sku=["1", "2"]), own, tables, []).collect()
    assert frame["b: name"].to_list() == ["Easels", None]


def test_a_fault_of_the_companions_row_comes_along():
    broken = table(code=["001"], qty=["5"]).with_columns(pl.lit("line 3: 1 cell").alias(FAULT))
    frame = join_all(items(), (on("sku", "code"),), {"stock": ArrivingTable(broken, [])}, [])
    assert frame.collect()[FAULT].to_list() == ["stock: line 3: 1 cell", None, None, None]


def test_a_companion_that_has_not_come_is_told():
    frame, told = run(items(), on("sku", "code"))
    assert frame.height == 4 and "companion_missing" in told


@pytest.mark.parametrize(
    ("column", "theirs", "says"), [("nope", "code", "feed"), ("sku", "x", "stock")]
)
def test_a_missing_key_column_is_named_with_its_side(column, theirs, says):
    with pytest.raises(UnreadableFile, match=says) as refused:
        run(items(), on(column, theirs), **STOCK)
    assert "Choose among" in refused.value.remedy
