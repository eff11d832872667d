"""What two crosswalks make of one delivery, against plain rows; and what is said of it."""

from __future__ import annotations

from decimal import Decimal

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.contrast import (
    AFTER,
    BEFORE,
    DIFFERS,
    FATE_AFTER,
    FATE_BEFORE,
    NO_LINE,
    STORE,
    contrasted,
    differences,
)  # fmt: skip
from nomotax.core.changes.later import LATER
from nomotax.core.kinds import FieldKind
from nomotax.core.schema.model import Role, StoreField, StoreSchema

SCHEMA = StoreSchema(
    name="tea",
    key="code",
    fields=(
        StoreField(name="code", title="Code", kind=FieldKind.IDENTIFIER, unique=True),
        StoreField(name="name", title="Ad", kind=FieldKind.TEXT),
        StoreField(name="price", title="Fiyat", kind=FieldKind.MONEY, currency="TRY",
                   role=Role.PRICE),
        StoreField(name="cost", title="Alış", kind=FieldKind.MONEY, currency="TRY",
                   role=Role.COST),
        StoreField(name="leaf", title="Yaprak", kind=FieldKind.TEXT),
    ),
)  # fmt: skip
FIELDS = ("name", "price", "cost", "leaf")
#: What the store has of each product.
STORED = {
    "Ç1": {"name": "Rize", "price": "120.00", "cost": "80.00", "leaf": "siyah"},
    "Ç2": {"name": "Ihlamur", "price": "60.00", "cost": "65.00", "leaf": None},
}
KNOWN, WRITES = ("changed", "same"), ("changed", "new")


def line(row, key, status, new=(), reason=None, later=()):
    """A line of a changeset: ``new`` are the values that it would write."""
    old = STORED.get(key, {})
    values = {f: dict(new).get(f, old.get(f)) for f in FIELDS}
    names = [f for f in FIELDS if values[f] != old.get(f)] if status in (*WRITES, "gone") else []
    return {
        "row": row, "key": key, "title": values["name"], "status": status, "reason": reason,
        "fields": [f for f in names if f not in later], LATER: list(later),
        **{"new:" + f: v for f, v in values.items()},
        **{"old:" + f: old.get(f) for f in FIELDS},
    }  # fmt: skip


def frame(lines, without=()):
    kinds = {"row": pl.UInt32, "fields": pl.List(pl.String), LATER: pl.List(pl.String)}
    columns = line(0, None, "same")
    schema = {c: kinds.get(c, pl.String) for c in columns}
    made = pl.DataFrame(lines, schema=schema, orient="row")
    return made.drop([f"{side}:{f}" for f in without for side in ("new", "old")]).lazy()


def told(before, after, **without):
    lines = contrasted(frame(before, **without), frame(after), SCHEMA)
    return [one.said for one in differences(lines.lazy(), SCHEMA)], lines


VALUES = st.fixed_dictionaries(
    {},
    optional={
        "name": st.sampled_from(["Rize", "Hopa"]),
        "price": st.sampled_from(["120.00", "70.00", "150.50"]),
        "cost": st.sampled_from(["80.00", "140.00"]),
        "leaf": st.sampled_from(["siyah", "yeşil"]),
    },
)
ROW = st.tuples(
    st.sampled_from(["Ç1", "Ç2", "Ç9"]),
    st.sampled_from(["written", "held", "rejected"]),
    VALUES,
    st.booleans(),
)


def as_line(number, drawn):
    key, status, new, later = drawn
    if status != "written":
        return line(number, key, status, {}, f"{status} {sorted(new)}")
    status = "new" if key not in STORED else "changed"
    waits = [f for f in ("price",) if later and status == "changed" and f in new]
    return line(number, key, status, new, later=waits)


def plain(one):
    """What becomes of a line, and what its product would hold: out of what was drawn."""
    if one is None:
        return NO_LINE, None, None, {}
    fate = "known" if one["status"] in KNOWN else one["status"]
    old = {f: one["old:" + f] for f in FIELDS}
    new = {f: one["new:" + f] for f in FIELDS}
    return fate, one["key"], one["reason"], new if fate in ("known", "new") else old


@given(st.lists(st.tuples(st.none() | ROW, st.none() | ROW), max_size=5))
def test_lines_differ_where_their_products_would(pairs):
    sides = [
        {n: as_line(n, pair[side]) for n, pair in enumerate(pairs, 1) if pair[side]}
        for side in (0, 1)
    ]
    lines = contrasted(*(frame(list(one.values())) for one in sides), SCHEMA)
    wanted = {}
    for n in sorted({*sides[0], *sides[1]}):
        (fate_a, key_a, why_a, a), (fate_b, key_b, why_b, b) = (plain(s.get(n)) for s in sides)
        there = NO_LINE not in (fate_a, fate_b)
        comparable = there and (fate_a == "new") == (fate_b == "new")
        other = there and key_a != key_b and {fate_a, fate_b} != {"new"}
        names = [f for f in FIELDS if a[f] != b[f]] if comparable and not other else []
        if other or names or fate_a != fate_b or why_a != why_b:
            wanted[n] = (fate_a, fate_b, key_b if other else None, names, a, b)
    found = {one["row"]: one for one in lines.iter_rows(named=True)}
    assert list(found) == list(wanted)
    for n, (fate_a, fate_b, other, names, a, b) in wanted.items():
        one = found[n]
        assert (one[FATE_BEFORE], one[FATE_AFTER], one["key_after"]) == (fate_a, fate_b, other)
        assert one[DIFFERS] == names
        for mark, values in ((BEFORE, a), (AFTER, b)):
            assert {f: one[mark + f] for f in values} == values
    said = differences(lines.lazy(), SCHEMA)
    assert all(one.count == lines.filter(one.where).height > 0 for one in said)
    assert {r for d in said for r in lines.filter(d.where)["row"]} == set(wanted)


def test_prices_that_move_and_fall_under_cost():
    before = [line(1, "Ç1", "changed", {"price": "130.00"}), line(2, "Ç2", "same")]
    after = [line(1, "Ç1", "changed", {"price": "78.00"}),
             line(2, "Ç2", "changed", {"price": "66.00"})]  # fmt: skip
    said, lines = told(before, after)
    assert said == [
        "Fiyat of 2 products moves: 1 up, 1 down, the middle one by -15.0 %",
        "1 product falls under cost",
        "1 product is under cost no more",
    ]
    assert lines[STORE + "price"].to_list() == ["120.00", "60.00"]
    exact = lines.select(pl.col(AFTER + "price").cast(pl.Decimal(38, 2))).to_series()
    assert exact.to_list() == [Decimal("78.00"), Decimal("66.00")]


def test_a_field_that_only_one_of_them_fills_stays_as_the_store_has_it_in_the_other():
    before = [line(1, "Ç1", "same"), line(2, "Ç2", "same")]
    after = [line(1, "Ç1", "same"), line(2, "Ç2", "changed", {"leaf": "yeşil"})]
    said, lines = told(before, after, without=["leaf"])
    assert said == ["Yaprak of 1 product is another"]
    assert lines.select("key", BEFORE + "leaf", AFTER + "leaf").rows() == [("Ç2", None, "yeşil")]


@pytest.mark.parametrize(
    ("before", "after", "said"),
    [
        (line(1, "Ç1", "same"), line(1, "Ç1", "rejected", reason="no price"),
         "1 row is rejected that was about a product of the store"),
        (line(1, "Ç9", "held", reason="which?"), line(1, "Ç9", "new", {"name": "Of"}),
         "1 row is about a new product that was held"),
        (line(1, "Ç9", "held", reason="which?"), line(1, "Ç9", "held", reason="what?"),
         "1 row is held for another reason"),
        (line(1, "Ç1", "same"), line(1, "Ç2", "same"), "1 row is about another product"),
        (line(None, "Ç1", "gone"), None, "1 line is not there that was gone"),
    ],
)  # fmt: skip
def test_what_is_said_of_a_line(before, after, said):
    found, lines = told([one for one in [before] if one], [one for one in [after] if one])
    assert found == [said] and lines.height == 1


def test_rows_for_several_products_are_set_beside_each_other_one_by_one():
    """A row that is for two products by the one and for three by the other."""
    before = [line(7, "Ç1", "same"), line(7, "Ç2", "same")]
    after = [*before, line(7, "Ç9", "new", {"name": "Of"})]
    said, lines = told(before, after)
    assert said == ["1 line is about a new product that was not there"]
    assert lines["key"].to_list() == ["Ç9"]


def test_the_same_twice_says_nothing():
    both = [line(1, "Ç1", "changed", {"price": "1.00"}), line(2, None, "rejected", reason="no")]
    assert told(both, both)[0] == []
    assert contrasted(frame([]), frame([]), SCHEMA).is_empty()
