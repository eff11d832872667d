"""What a changeset changes, value by value; what is wrong in a file, told to its sender."""

from __future__ import annotations

import io
from decimal import ROUND_HALF_UP, Decimal

import openpyxl
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.changes.report import TOLD, percent_text, told_changes, totals
from nomotax.core.changes.verdicts import Verdict, Verdicts
from nomotax.core.crosswalk.complaints import complaints
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.crosswalk.trace import TraceStep, behind
from nomotax.core.errors import NomotaxError
from nomotax.core.schema.model import StoreSchema
from nomotax.core.writing import tables

SCHEMA = StoreSchema.model_validate({
    "name": "Rope shop",
    "key": "sku",
    "fields": [
        {"name": "sku", "title": "SKU", "kind": "text", "role": "key", "required": True},
        {"name": "naam", "title": "Naam", "kind": "text", "role": "title"},
        {"name": "prijs", "title": "Prijs", "kind": "money", "currency": "EUR", "role": "price"},
        {"name": "stock", "title": "Voorraad", "kind": "integer", "role": "stock"},
    ],
})  # fmt: skip
FIELDS = ("naam", "prijs", "stock")

numbers = st.decimals(-(10**6), 10**6, places=2) | st.integers(-9, 9).map(Decimal)


@given(numbers, numbers)
def test_a_percent_is_that_of_exact_decimals(old, new):
    frame = pl.DataFrame({"old": [str(old)], "new": [str(new)]})
    told = frame.select(percent_text(pl.col("old"), pl.col("new"))).item()
    if old == 0:
        assert told is None
    else:
        exact = ((new - old) * 100 / old).quantize(Decimal("0.1"), ROUND_HALF_UP)
        assert Decimal(told) == exact and not told.startswith("-0.0")


@pytest.mark.parametrize("old, new", [("0", "5"), (None, "5"), ("red", "5"), ("1e3", None),
                                      ("9" * 20, "1")])  # fmt: skip
def test_what_moves_by_no_share_has_none(old, new):
    frame = pl.DataFrame(
        {"old": [old], "new": [new]}, schema=dict.fromkeys(("old", "new"), pl.String)
    )
    assert frame.select(percent_text(pl.col("old"), pl.col("new"))).item() is None


words = st.none() | st.sampled_from(["1", "2.50", "10", "touw"])
line = st.fixed_dictionaries({
    "status": st.sampled_from(["new", "changed", "same", "gone", "stays"]),
    **{side + f: words for side in ("old:", "new:") for f in FIELDS},
})  # fmt: skip


def changeset(lines):
    """Lines as a comparison gives them: their fields are those whose values differ."""
    shape = {
        "key": pl.String,
        "title": pl.String,
        "status": pl.String,
        "fields": pl.List(pl.String),
    }
    shape |= {side + f: pl.String for side in ("old:", "new:") for f in FIELDS}
    rows = [
        own | {"key": f"R{n}", "title": f"Touw {n}", "fields": [
            f for f in FIELDS if own["status"] != "same" and own["old:" + f] != own["new:" + f]
        ]} for n, own in enumerate(lines)
    ]  # fmt: skip
    return pl.DataFrame(rows, schema=shape)


verdicts = st.lists(st.tuples(
    st.sampled_from(["decline", "accept", "correct"]),
    st.integers(0, 5), st.sampled_from(["", *FIELDS]),
), max_size=5)  # fmt: skip


@given(st.lists(line, min_size=1, max_size=6), verdicts, st.lists(st.booleans(), min_size=6))
def test_every_value_that_becomes_another_is_told_once_with_what_is_decided(lines, rules, held):
    prepared = changeset(lines)
    places = pl.Series([n for n, on in enumerate(held[: len(lines)]) if on], dtype=pl.UInt32)
    decided = Verdicts(len(lines), {"under_cost:prijs": places})
    plain = {(f"R{n}", f): (row["new:" + f], "") for n, row in enumerate(lines)
             for f in prepared["fields"][n] if row["status"] != "stays"}  # fmt: skip
    for verdict, at, field in rules:
        if at >= len(lines) or (verdict == "correct" and not field):
            continue
        own = {"verdict": verdict, "of": {"keys": [f"R{at}"]}, "field": field, "value": "7"}
        rule = Verdict.model_validate(own)
        decided = decided.after(rule, pl.Series([at], dtype=pl.UInt32))
    at = pl.int_range(0, len(lines), eager=True)
    left = decided.left(decided.corrected(prepared, at), at).with_columns(
        supplier=pl.lit("Manilla"), category=pl.lit("Ropes")
    )
    told = told_changes(left, prepared, SCHEMA)
    assert told.columns == list(TOLD)
    labels = {SCHEMA[f].label: f for f in FIELDS}
    seen = {(r["key"], labels[r["field"]]): r for r in told.iter_rows(named=True)}
    assert len(seen) == told.height and {*plain} <= {*seen}
    for row in left.iter_rows(named=True):
        writes = {f for (key, f), r in seen.items() if key == row["key"]
                  and r["decision"] in (None, "corrected by hand")}  # fmt: skip
        assert writes == ({*row["fields"]} if row["status"] != "stays" else set())
        for (key, field), r in seen.items():
            if key == row["key"]:
                assert (r["before"], r["after"]) == (row["old:" + field], row["new:" + field])
                assert (r["decision"] == "held") == row["held"]
    whole = totals(left, "category", SCHEMA)
    written = [
        row for row in left.iter_rows(named=True) if row["fields"] and row["status"] != "stays"
    ]
    assert (whole["products"].to_list() or [0])[-1] == len(written)
    assert [whole[s].sum() for s in ("new", "changed", "gone")] == [
        2 * sum(row["status"] == s for row in written) for s in ("new", "changed", "gone")
    ]


def test_sums_tell_what_became_dearer_by_category():
    lines = changeset([
        {"status": "changed", "old:naam": "a", "new:naam": "a", "old:stock": "1", "new:stock": "1",
         "old:prijs": old, "new:prijs": new}
        for old, new in [("10", "12"), ("10", "11"), ("10", "5"), ("0", "5")]
    ])  # fmt: skip
    placed = lines.with_columns(
        category=pl.Series(["Rope", "Rope", "Wire", None]), supplier=pl.lit("M")
    )
    assert totals(placed, "category", SCHEMA).rows() == [
        ("", 1, 0, 1, 0, 0, 0, None),
        ("Rope", 2, 0, 2, 0, 2, 0, "15.0"),
        ("Wire", 1, 0, 1, 0, 0, 1, "-50.0"),
        ("all", 4, 0, 4, 0, 2, 1, "10.0"),
    ]


OWN = ["Code", "row", "Prijs", "Maat"]
CELLS = [
    ("1", "A1", "call us", "12 zz"), ("2", "A2", "", ""), ("3", "A3", "7,00", "-4"),
    ("4", "A4", "8,00", "5"), ("5", "A4", "9,00", "5"),
]  # fmt: skip


@pytest.mark.parametrize("row, field, kind, seen, expected", [
    (1, "cost", "not_a_number", "call us", ("A1", "Prijs", "call us", "is no number")),
    (1, "size", "unknown_unit", "12 zz", ("A1", "Maat", "12 zz", "has a unit that is not known")),
    (2, "cost", "missing", "", ("A2", "Prijs", "", "is empty")),
    (3, "size", "too_small", "-4", ("A3", "Maat", "-4", "is below nothing")),
    (3, "cost", "not_a_number", "7.0", ("A3", "Prijs", "7,00", "is no number")),
    (4, "sku", "repeated_key", "QP-A4",
     ("A4", "", "", "the article stands on several rows that differ")),
    (4, "", "broken_row", "", ("A4", "", "", "the row is broken: 3 cells where 4 should be")),
    # What the store has made of a cell, allows, or asks is its own affair.
    (3, "cost", "not_a_number", "21.00 with our margin", None),
    (4, "size", "too_small", "5", None),
    (3, "cost", "missing", "", None),
    (1, "cost", "negative_cost", "call us", None),
    (1, "cost", "too_long", "call us", None),
    (1, "secret", "not_a_number", "call us", None),
])  # fmt: skip
def test_a_supplier_is_told_what_is_wrong_in_the_file_and_nothing_else(
    row, field, kind, seen, expected
):
    arriving = pl.DataFrame(
        [(int(n), code, code, price, size, "9.99") for n, code, price, size in CELLS],
        schema=["__row", *OWN, "catalog: cost"], orient="row",
    )  # fmt: skip
    walk = Crosswalk(fills={
        "sku": Fill(parts=(Part(column="Code"),)), "cost": Fill(parts=(Part(column="Prijs"),)),
        "size": Fill(parts=(Part(column="Maat"),)),
        "secret": Fill(parts=(Part(column="catalog: cost"),)),
    })  # fmt: skip
    message = "3 cells where 4 should be" if kind == "broken_row" else f"Our cost: '{seen}'"
    problems = pl.DataFrame([(row, field, kind, "refuse", seen, message)] * 2,
                            schema=PROBLEM_SCHEMA, orient="row")  # fmt: skip
    found = complaints(problems, arriving.lazy(), walk, OWN, {"article": ["Code"], "name": []})
    assert found.rows() == ([(row, expected[0], "", *expected[1:])] if expected else [])


def test_numbers_in_a_book_are_numbers_while_they_are_exact(monkeypatch):
    frame = pl.DataFrame({"key": ["007", "008"], "percent": ["-2.5", "1234567890123456.5"]})
    out = io.BytesIO()
    tables.write_book({"A": frame, "B": frame.clear()}, out, numbers=["percent"])
    book = openpyxl.load_workbook(out)
    assert book.sheetnames == ["A", "B"]
    assert [[c.value for c in row] for row in book["A"].iter_rows()] == [
        ["key", "percent"], ["007", -2.5], ["008", "1234567890123456.5"]
    ]  # fmt: skip
    monkeypatch.setattr(tables, "_XLSX_ROWS", 1)
    with pytest.raises(NomotaxError, match="A worksheet holds 1 rows and this table has 2"):
        tables.write_book({"A": frame}, io.BytesIO())


def _steps(*told):
    return [TraceStep(label="", **one) for one in told]


TABLE = {"kind": "value_table", "table": "Kleuren"}


@pytest.mark.parametrize("steps, value, word", [
    (_steps({"value": "rd"}, {"value": "Rood", **TABLE}), "Rood", "rd"),
    (_steps({"value": " RD "}, {"value": "Rood", "entry": "rd", **TABLE}), "Rood", "rd"),
    (_steps({"value": "rd"}, {"value": "Rood", **TABLE}, {"value": "Rood"}), "Rood", "rd"),
    (_steps({"value": "rd"}, {"value": "Rood", **TABLE}, {"value": "ROOD"}), "ROOD", None),
    (_steps({"value": None}, {"value": "Rood", **TABLE}), "Rood", None),
    (_steps({"value": "1"}, {"value": "2", **TABLE}), "2.00", None),
    (_steps({"value": "rd"}, {"value": "Rood"}), "Rood", None),
])  # fmt: skip
def test_the_entry_behind_a_value_is_the_one_that_nothing_has_changed_since(steps, value, word):
    found = behind(steps, value)
    assert (found.word if found else None) == word
