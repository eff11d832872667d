"""A delivery beside the last ones: what changes nothing that matters is quiet, what is told says
how many rows and by which factor, and what is kept of a delivery is all that is needed."""

from __future__ import annotations

import random

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.core.drift.weeks import goods, history, kinds, later, ordinary, table, told

from nomotax.core.drift.find import behold, first
from nomotax.core.drift.imprint import Imprint, Table, imprint

few = settings(max_examples=8, deadline=None)


def with_week(change, weeks=3):
    """What is told of a week that begins as an ordinary one, and is changed."""
    tables, kept = ordinary(weeks)
    new = [change(i, dict(row)) for i, row in enumerate(later(history(weeks)[-1], 99))]
    return behold(table([row for row in new if row is not None]), tables[-1], kept)


@given(st.randoms(use_true_random=False))
@few
def test_order_and_blanks_change_nothing(rng):
    """Rows and columns in any order and with blanks around cells are told the same of."""
    rows = history()
    new = [row | {"Pris": "1,00"} if i < 6 else row for i, row in enumerate(later(rows[-1], 7))]
    tables, kept = ordinary()
    plain = behold(table(new), tables[-1], kept)
    columns = list(new[0])
    rng.shuffle(columns)
    shuffled = [{c: row[c] and f" {row[c]} " for c in columns} for row in new]
    rng.shuffle(shuffled)
    other = behold(table(shuffled), tables[-1], kept)
    assert {(o.kind, o.column, o.rows) for o in plain.findings} == {
        (o.kind, o.column, o.rows) for o in other.findings
    }
    assert plain.imprint.content == other.imprint.content


@given(st.integers(0, 10_000), st.integers(2, 5))
@few
def test_ordinary_weeks_are_quiet(seed, weeks):
    tables, kept = ordinary(weeks)
    assert not kinds(behold(table(later(history(weeks)[-1], seed)), tables[-1], kept))


@pytest.mark.parametrize("factor", [100.0, 0.001, 1000.0, 1.18, 0.72, 25.4])
def test_a_factor_is_told_as_it_is(factor):
    def change(i, row):
        price = float(row["Pris"].replace(",", ".")) * factor
        return row | {"Pris": f"{price:.4f}".replace(".", ",")}

    found = [one for one in with_week(change).findings if one.column == "Pris"]
    assert found[0].factor == pytest.approx(factor, rel=0.02)
    assert found[0].rows == 40
    slipped = factor > 5 or factor < 0.2
    assert found[0].kind == ("scale_shifted" if slipped else "prices_moved")


def test_a_part_of_the_goods_is_named():
    """A category whose prices are all in another currency is told by its name."""

    def change(i, row):
        if row["Gruppe"] != "Tau":
            return row
        return row | {
            "Pris": f"{float(row['Pris'].replace(',', '.')) * 1.17:.2f}".replace(".", ",")
        }

    found = [one for one in with_week(change).findings if one.rank]
    assert [(one.kind, one.column, one.rows) for one in found] == [("prices_moved", "Pris", 10)]
    assert "all of them with Gruppe 'Tau'" in found[0].said
    assert found[0].factor == pytest.approx(1.17, rel=0.03)


def test_labels_say_what_their_amounts_do():
    """A currency by name is told once, with the factor of the prices beside it."""

    def change(i, row):
        price = float(row["Pris"].replace(",", ".")) * 0.088
        return row | {"Valuta": "EUR", "Pris": f"{price:.2f}".replace(".", ",")}

    found = [one for one in with_week(change).findings if one.rank]
    assert [(one.kind, one.column, one.to) for one in found] == [
        ("currency_changed", "Valuta", "EUR")
    ]
    assert found[0].severity == "hold"
    assert found[0].factor == pytest.approx(0.088, rel=0.03)


CHANGES = {
    "gone": (lambda i, r: {k: v for k, v in r.items() if k != "Farge"}, ("column_gone", "Farge")),
    "renamed": (
        lambda i, r: {("Colour" if k == "Farge" else k): v for k, v in r.items()},
        ("column_renamed", "Farge"),
    ),
    "words": (
        lambda i, r: r | {"Pris": "på forespørsel"} if i % 4 == 0 else r,
        ("kind_changed", "Pris"),
    ),
    "mark": (
        lambda i, r: r | {"Pris": r["Pris"].replace(",", ".")},
        ("decimal_style_changed", "Pris"),
    ),
    "empty": (lambda i, r: r | {"Farge": None} if i % 3 == 0 else r, ("fill_dropped", "Farge")),
    "same": (lambda i, r: r | {"Navn": "Ukjent"}, ("constant_column", "Navn")),
    "half": (lambda i, r: r if i % 2 else None, ("rows_dropped", "")),
    "keys": (lambda i, r: r | {"Varenr": r["Varenr"][2:]}, ("keys_reformatted", "Varenr")),
    "colours": (lambda i, r: r | {"Farge": f"F{i % 4}"}, ("new_words", "Farge")),
    "tree": (lambda i, r: r | {"Gruppe": f"Ny > {r['Gruppe']}"}, ("new_categories", "Gruppe")),
    "sold": (lambda i, r: r | {"Lager": "0"}, ("stock_emptied", "Lager")),
    "accents": (
        lambda i, r: r | {"Navn": r["Navn"].encode().decode("cp1252")},
        ("encoding_damaged", "Navn"),
    ),
    "months": (
        lambda i, r: r | {"Dato": f"{r['Dato'][3:6]}{r['Dato'][:3]}2027"},
        ("dates_shifted", "Dato"),
    ),
    "swap": (
        lambda i, r: r | {"Navn": r["Gruppe"], "Gruppe": r["Navn"]},
        ("shuffled_columns", "Navn"),
    ),
    "kilos": (
        lambda i, r: r | {"Vekt g": f"{int(r['Vekt g']) / 1000:.3f}".replace(".", ",")},
        ("scale_shifted", "Vekt g"),
    ),
    "english": (
        lambda i, r: r | {"Farge": ("red", "green", "azure", "white")[i % 4]},
        ("language_changed", "Farge"),
    ),
    "another": (
        lambda i, r: r | {"Varenr": f"Z/{90000 + 13 * i}", "Navn": f"Lampe {900 - i}"},
        ("wrong_file", ""),
    ),
}


@pytest.mark.parametrize("name", CHANGES)
def test_one_thing_is_told_once(name):
    """A change is told of the column that it is about, and nothing that only follows from it."""
    change, expected = CHANGES[name]
    assert kinds(with_week(change)) == {expected}


def test_two_deliveries_are_enough():
    rows = goods()
    assert not kinds(told(table(rows), table(later(rows, 5))))
    found = told(table(rows), table([r | {"Lager": "0"} for r in later(rows, 5)]))
    assert kinds(found) == {("stock_emptied", "Lager")}


def test_the_same_again_is_stale_and_an_older_one_too():
    first_week, second, third = history(3)
    weeks = [table(first_week), table(second), table(third)]
    again = told(*weeks, table(list(reversed(third))))
    assert kinds(again) == {("stale", "")}
    assert "the last delivery" in again.findings[0].said
    older = told(*weeks, table(second))
    assert ("stale", "") in kinds(older)
    assert "the delivery 2 before this one" in next(
        o.said for o in older.findings if o.kind == "stale"
    )


def test_a_supplier_who_often_sends_the_same_is_no_news():
    rows = goods()
    found = told(*[table(rows)] * 5).findings
    assert [(one.kind, one.severity) for one in found] == [("stale", "note")]


def test_a_file_that_broke_off_is_told_by_what_is_missing():
    rows = history()
    found = told(*map(table, rows), table(later(rows[-1], 3)[:25]), cut=True)
    assert kinds(found) == {("truncated", "")}
    assert found.findings[0].rows == 15


@pytest.mark.parametrize("rows", [0, 1, 2, 3])
def test_the_smallest_lists_are_looked_at_without_a_fault(rows):
    small = goods(rows) if rows else [dict.fromkeys(goods(1)[0])][:0]
    columns = dict.fromkeys(goods(1)[0], pl.String)
    one = Table(pl.DataFrame(small, schema=columns).lazy(), ",")
    assert not [o for o in told(one, one).findings if o.kind != "stale"]
    told(table(goods(5)), one)
    told(one, table(goods(5)))


def test_an_imprint_is_kept_as_text_and_says_the_same():
    weeks = [table(rows) for rows in history()]
    kept: list[Imprint] = []
    for at, one in enumerate(weeks):
        made = behold(one, weeks[at - 1], kept).imprint if at else first(one)
        kept.append(Imprint.model_validate_json(made.model_dump_json()))
        assert kept[-1] == made
    new = table([row | {"Lager": "0"} for row in later(history()[-1], 4)])
    assert behold(new, weeks[-1], kept).findings == told(*weeks, new).findings


def test_content_hangs_on_cells_alone():
    rows = goods()
    dated = [row | {"Laget": "01.02.2027"} for row in rows]
    again = [row | {"Laget": "08.02.2027"} for row in random.Random(3).sample(rows, len(rows))]
    assert imprint(table(dated)).content == imprint(table(again)).content
    other = [row | {"Pris": "1,00"} if i == 3 else row for i, row in enumerate(dated)]
    assert imprint(table(dated)).content != imprint(table(other)).content
