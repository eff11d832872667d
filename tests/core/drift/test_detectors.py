"""Each detector at its edge: what it tells, and the like of it that is quiet. The list is a spice
merchant's in Hungarian, with habits of its own."""

from __future__ import annotations

import random
from functools import cache

import pytest
from tests.core.drift.weeks import imprints, kinds, table, told

from nomotax.core.drift.find import behold

MANY = 48


def rows(week, **more):
    """A week's list; ``more`` are columns made of a row's number and the week."""
    made = []
    for n in range(MANY):
        own, chance = random.Random(n), random.Random(f"{n} {week}")
        made.append(
            {
                "Kód": f"FŰ{n:04d}",
                "Név": f"Fűszer {n}",
                "EAN": f"95211{n:07d}",
                "Csoport": ("Só", "Bors", "Keverék")[n % 3],
                "Ár": str(own.randint(300, 9000)),
                "Súly": str(own.randint(20, 900)),
                "Egység": "g",
                "Készlet": str(int(own.randint(0, 60) * chance.uniform(0.5, 1))),
                "Kapható": ("igen", "nem")[n % 5 == 0],
                "Áfa": ("5", "27")[n % 4 == 0],
                "Érvényes": f"2027-0{1 + n % 9}-{1 + n % 28:02d}",
            }
            | {name: make(n, week) for name, make in more.items()}
        )
    return made


def after(change, weeks=3, **more):
    """What is told after some ordinary weeks of one in which each row is changed by its number."""
    new = [change(n, dict(row)) for n, row in enumerate(rows(weeks, **more))]
    tables, kept = usual(weeks, tuple(more.items()))
    return behold(table([row for row in new if row is not None]), tables[-1], kept)


@cache
def usual(weeks, more):
    """Ordinary weeks, and what is kept of them."""
    tables = [table(rows(week, **dict(more))) for week in range(weeks)]
    return tables, imprints(tables)


def the(found, kind):
    """The one finding of a kind."""
    (one,) = [one for one in found.findings if one.kind == kind]
    return one


def test_an_ordinary_week_is_quiet():
    assert not after(lambda n, row: row).findings


STRANGE = {
    "units by name": (
        lambda n, r: r | {"Egység": "kg", "Súly": f"{int(r['Súly']) / 1000:.3f}"},
        "unit_changed", "Egység", 48, "hold",
    ),
    "units by name of a few": (
        lambda n, r: r | {"Egység": "kg", "Súly": f"{int(r['Súly']) / 1000:.3f}"} if n < 4 else r,
        "unit_changed", "Egység", 4, "warn",
    ),
    "a unit in the cells": (
        lambda n, r: r | {"Súly": f"{r['Súly']} g"}, "kind_changed", "Súly", 48, "hold"
    ),
    "stock in packs": (
        lambda n, r: r | {"Készlet": str(int(r["Készlet"]) * 100)},
        "scale_shifted", "Készlet", None, "hold",
    ),
    "yes and no in English": (
        lambda n, r: r | {"Kapható": {"igen": "yes", "nem": "no"}[r["Kapható"]]},
        "new_words", "Kapható", 48, "warn",
    ),
    "yes and no as digits": (
        lambda n, r: r | {"Kapható": {"igen": "1", "nem": "0"}[r["Kapható"]]},
        "new_words", "Kapható", 48, "warn",
    ),
    "another rate of tax": (
        lambda n, r: r | {"Áfa": "18"} if r["Áfa"] == "5" else r, "new_words", "Áfa", 36, "warn"
    ),
    "N/A for names": (
        lambda n, r: r | {"Név": "N/A"} if n % 4 == 0 else r, "fill_dropped", "Név", 12, "warn"
    ),
    "barcodes without": (
        lambda n, r: r | {"EAN": None} if n % 5 == 0 else r, "fill_dropped", "EAN", 10, "warn"
    ),
    "barcodes with a zero": (
        lambda n, r: r | {"EAN": "0" + r["EAN"]}, "keys_reformatted", "EAN", 48, "note"
    ),
    "barcodes in powers of ten": (
        lambda n, r: r | {"EAN": f"{r['EAN'][0]}.{r['EAN'][1:6]}E+11"},
        "keys_reformatted", "EAN", 48, "hold",
    ),
    "a price of nothing": (
        lambda n, r: r | {"Ár": "0"} if n == 7 else r, "outliers", "Ár", 1, "warn"
    ),
    "a price below nothing": (
        lambda n, r: r | {"Ár": "-" + r["Ár"]} if n == 7 else r, "outliers", "Ár", 1, "warn"
    ),
    "nines": (lambda n, r: r | {"Ár": "99999"} if n == 7 else r, "outliers", "Ár", 1, "warn"),
    "three times": (
        lambda n, r: r | {"Ár": str(3 * int(r["Ár"]))} if n == 7 else r, "outliers", "Ár", 1, "note"
    ),
    "two prices in fillér": (
        lambda n, r: r | {"Ár": r["Ár"] + "00"} if n in (7, 9) else r, "scale_shifted", "Ár", 2,
        "warn",
    ),
    "a quarter cheaper": (
        lambda n, r: r | {"Ár": str(round(0.75 * int(r["Ár"])))}, "prices_moved", "Ár", 48, "hold"
    ),
    "dates day first": (
        lambda n, r: r | {"Érvényes": ".".join(reversed(r["Érvényes"].split("-")))},
        "dates_shifted", "Érvényes", 48, "warn",
    ),
    "dates in another year": (
        lambda n, r: r | {"Érvényes": "2026" + r["Érvényes"][4:]}, "dates_shifted", "Érvényes", 48,
        "warn",
    ),
    "words for dates": (
        lambda n, r: r | {"Érvényes": "azonnal"} if n % 3 == 0 else r,
        "kind_changed", "Érvényes", 16, "warn",
    ),
    "question marks": (
        lambda n, r: r | {"Név": r["Név"].replace("ű", "?")}, "encoding_damaged", "Név", 48, "warn"
    ),
    "one group is gone": (
        lambda n, r: r if r["Csoport"] != "Bors" else None, "rows_dropped", "", 16, "hold"
    ),
    "one group sold out": (
        lambda n, r: r | {"Készlet": "0"} if r["Csoport"] == "Bors" else r,
        "stock_emptied", "Készlet", None, None,
    ),
    "names are groups": (
        lambda n, r: r | {"Név": r["Csoport"], "Csoport": r["Név"]} if n % 2 else r,
        "shuffled_columns", "Név", 24, "warn",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", STRANGE)
def test_what_is_told(name):
    change, kind, column, hits, severity = STRANGE[name]
    found = after(change)
    one = the(found, kind)
    assert one.column == column
    assert hits in (None, one.rows)
    assert severity in (None, one.severity)
    loud = kinds(found)
    assert loud <= {(kind, column)}, loud


QUIET = {
    "units spelt otherwise": lambda n, r: r | {"Egység": "gramm" if n % 2 else "G"},
    "words in capitals": lambda n, r: r | {"Csoport": r["Csoport"].upper()},
    "promotions on a tenth": lambda n, r: (
        r | {"Ár": str(round(int(r["Ár"]) * (0.65 + 0.02 * n / 4)))} if n % 11 == 0 else r
    ),
    "five per cent dearer": lambda n, r: r | {"Ár": str(round(1.05 * int(r["Ár"])))},
    "decimals that are nothing": lambda n, r: r | {"Súly": r["Súly"] + ".0"},
    "two articles gone": lambda n, r: r if n not in (3, 30) else None,
    "a few dates later": lambda n, r: r | {"Érvényes": "2027-11-11"} if n % 9 == 0 else r,
}


@pytest.mark.parametrize("name", QUIET)
def test_what_is_quiet(name):
    found = after(QUIET[name])
    assert not kinds(found), [one.said for one in found.findings if one.rank]


def test_new_articles_of_another_scale_are_told():
    extra = [
        row | {"Kód": f"ÚJ{n:03d}", "Név": f"Új {n}", "EAN": f"95299{n:07d}", "Súly": "0.35"}
        for n, row in enumerate(rows(3)[:6])
    ]
    found = told(*(table(rows(week)) for week in range(3)), table([*rows(3), *extra]))
    one = the(found, "scale_shifted")
    assert (one.column, one.rows, one.factor) == ("Súly", 6, 0.001)


def test_a_heading_that_says_another_unit_or_currency_is_told():
    """A column renamed from grams to kilograms, and one from forints to euros."""
    named = {"Tömeg (g)": lambda n, w: str(100 + n), "Ár HUF": lambda n, w: str(5000 + 11 * n)}

    def change(n, row):
        row["Tömeg (kg)"] = f"{int(row.pop('Tömeg (g)')) / 1000:.3f}"
        row["Ár EUR"] = f"{int(row.pop('Ár HUF')) / 400:.2f}"
        return row

    found = after(change, **named)
    unit, money = the(found, "unit_changed"), the(found, "currency_changed")
    assert (unit.column, unit.to, unit.factor) == ("Tömeg (g)", "kg", 0.001)
    assert (money.column, money.to, money.severity) == ("Ár HUF", "EUR", "hold")


def test_a_sign_in_the_cells_that_becomes_another_is_told():
    priced = {"Nettó": lambda n, w: f"€ {10 + n}.50"}
    found = after(lambda n, row: row | {"Nettó": row["Nettó"].replace("€", "$")}, **priced)
    one = the(found, "currency_changed")
    assert (one.column, one.to, one.rows) == ("Nettó", "$", MANY)


def test_thousands_that_are_grouped_now_are_told_and_those_that_always_were_are_not():
    plain = {"Lista": lambda n, w: f"{1500 + 37 * n}.00"}
    grouped = {"Lista": lambda n, w: f"{1500 + 37 * n:,}.00"}
    found = after(lambda n, row: row | {"Lista": f"{1500 + 37 * n:,}.00"}, **plain)
    one = the(found, "decimal_style_changed")
    assert (one.column, one.to, one.rows) == ("Lista", "commas", MANY)
    assert not kinds(after(lambda n, row: row, **grouped))


@pytest.mark.parametrize("name", ["count", "n", "word", "times", "o", "i", "k", "__index"])
def test_columns_may_be_called_anything(name):
    """The names of helpers' columns are free to the supplier."""
    own = {name: lambda n, w: ("bal", "jobb")[n % 2]}
    found = after(lambda n, row: row | {name: "közép"} if n % 3 else row, **own)
    assert ("new_words", name) in kinds(found)


def test_a_column_that_comes_and_goes_is_a_note():
    weeks = [rows(week) for week in range(4)]
    for row in weeks[1]:
        del row["Kapható"]
    for row in weeks[3]:
        del row["Kapható"]
    found = told(*map(table, weeks))
    assert the(found, "column_gone").severity == "note"


def test_repeated_articles_are_told_only_where_there_are_more_than_ever():
    twice = [table(rows(week) + rows(week)[:2]) for week in range(4)]
    assert not kinds(told(*twice))
    more = table(rows(4) + rows(4)[:9])
    one = the(told(*twice, more), "duplicates_up")
    assert (one.rows, one.severity) == (9, "warn")
