"""One change at any place of a list is told as what it is, and wherever columns and rows stand."""

from __future__ import annotations

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.drift.weeks import GROUPS, goods, history, imprints, kinds, later, table, told

from nomotax.core.drift.find import behold

HISTORY = history(4)
KNOWN = [table(rows) for rows in HISTORY[:-1]]
KEPT = imprints(KNOWN)
WEEK = HISTORY[-1]
COLUMNS = list(WEEK[0])
#: What no supplier calls a column that is there already.
NAMES = st.text(st.characters(categories=["Lu", "Ll", "Nd"]), min_size=3, max_size=12).filter(
    lambda name: name.lower() not in {c.lower() for c in COLUMNS}
)


def beside(rows):
    return behold(table(rows), KNOWN[-1], KEPT)


def in_order(rows, rng):
    """The same cells with columns and rows in another order."""
    columns = rng.sample(COLUMNS, len(COLUMNS))
    return [{c: row[c] for c in columns if c in row} for row in rng.sample(rows, len(rows))]


@settings(max_examples=30, deadline=None)
@given(st.sampled_from(["Varenr", "Navn", "Gruppe", "Pris", "Vekt g", "Dato"]), NAMES,
       st.randoms(use_true_random=False))  # fmt: skip
def test_a_column_is_found_again_under_any_name_and_wherever_it_stands(column, name, rng):
    renamed = [{(name if c == column else c): v for c, v in row.items()} for row in WEEK]
    columns = rng.sample(list(renamed[0]), len(renamed[0]))
    found = beside([{c: row[c] for c in columns} for row in renamed])
    told_of = [(one.kind, one.column, one.to) for one in found.findings if one.rank]
    assert told_of == [("column_renamed", column, name)]


@settings(max_examples=20, deadline=None)
@given(st.sampled_from(COLUMNS))
def test_a_column_that_is_gone_is_told_as_that_alone(column):
    found = beside([{c: v for c, v in row.items() if c != column} for row in WEEK])
    assert [(one.kind, one.column) for one in found.findings if one.rank] == [
        ("column_gone", column)
    ]


@settings(max_examples=25, deadline=None)
@given(st.sampled_from([100, 1000, 0.01, 0.001]), st.randoms(use_true_random=False))
def test_a_price_of_another_scale_is_told_with_its_factor_in_any_order(factor, rng):
    rows = [dict(row) for row in WEEK]
    for row in rows:
        price = float(str(row["Pris"]).replace(",", "."))
        row["Pris"] = f"{price * factor:.5f}".replace(".", ",")
    found = beside(in_order(rows, rng))
    (one,) = [f for f in found.findings if f.kind == "scale_shifted"]
    assert (one.column, one.rows) == ("Pris", len(rows))
    assert one.factor == pytest.approx(factor, rel=0.02)


@settings(max_examples=20, deadline=None)
@given(st.sampled_from(GROUPS), st.sampled_from([100, 0.001]))
def test_a_part_of_the_goods_in_another_scale_is_told_with_its_rows(group, factor):
    rows = [dict(row) for row in WEEK]
    touched = [row for row in rows if row["Gruppe"] == group]
    for row in touched:
        price = float(str(row["Pris"]).replace(",", "."))
        row["Pris"] = f"{price * factor:.5f}".replace(".", ",")
    found = [one for one in beside(rows).findings if one.rank]
    assert {(one.kind, one.column) for one in found} == {("scale_shifted", "Pris")}
    assert [one.rows for one in found] == [len(touched)]
    assert group in found[0].said


@settings(max_examples=15, deadline=None)
@given(st.integers(0, 39), st.integers(0, 10_000))
def test_the_more_rows_are_missing_the_more_is_told(gone, seed):
    """What is told of so many missing rows is told of one more as well."""
    order = random.Random(seed).sample(WEEK, len(WEEK))

    def dropped(many):
        return [one for one in beside(order[many:]).findings if one.kind == "rows_dropped"]

    fewer, more = dropped(gone), dropped(gone + 1) if gone < 39 else dropped(gone)
    assert len(more) >= len(fewer) <= 1
    if gone >= 20:
        assert fewer and fewer[0].severity != "note"
    if gone == 0:
        assert not fewer


@settings(max_examples=15, deadline=None)
@given(st.randoms(use_true_random=False), st.integers(0, 10_000))
def test_what_is_told_does_not_hang_on_where_columns_stand(rng, seed):
    """Of a week that is strange in three ways, beside weeks of any order."""
    chance = random.Random(seed)
    strange = later(WEEK, seed)
    for row in strange:
        row["Vekt g"] = str(int(str(row["Vekt g"])) / 1000).replace(".", ",")
        row["Valuta"] = "SEK"
    strange = strange[: chance.randint(24, 40)]
    plain = kinds(beside(strange))
    mixed = [table(in_order(rows, rng)) for rows in HISTORY[:-1]]
    other = kinds(behold(table(in_order(strange, rng)), mixed[-1], imprints(mixed)))
    assert other == plain and len(plain) >= 2


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 10_000), st.integers(0, 4), st.integers(50, 90))
def test_a_promotion_is_quiet(seed, many, percent):
    """Up to a tenth of the prices lower for a week; and back again the week after."""
    chance = random.Random(seed)
    lowered = {row["Varenr"] for row in chance.sample(WEEK, many)}
    rows = [dict(row) for row in WEEK]
    for row in rows:
        if row["Varenr"] in lowered:
            price = float(str(row["Pris"]).replace(",", ".")) * percent / 100
            row["Pris"] = f"{price:.2f}".replace(".", ",")
    assert kinds(beside(rows)) == set()
    assert kinds(told(*KNOWN, table(rows), table(later(WEEK, seed)))) == set()


def test_another_first_week_is_another_list():
    """What these weeks are made from hangs on its seed alone."""
    assert goods(seed=1) == goods(seed=1) != goods(seed=2)
