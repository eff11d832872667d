"""Tables held against contracts, beside what Table Schema says of each rule."""

import json

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nomotax.core.contract.checking import Written, check
from nomotax.core.contract.drafting import draft
from nomotax.core.contract.model import ColumnTerms, Contract, parse_contract
from nomotax.core.contract.words import about_column, about_file
from nomotax.core.errors import UnfitValue, UnreadableFile
from nomotax.core.reading.model import DelimitedReading
from nomotax.core.reading.profile import profile_columns
from nomotax.core.table import FAULT, ROW

LINES = {"format": "delimited", "encoding": "utf-8", "delimiter": ";"}
NAMES = {"pris": "Pris", "nr": "Art.nr"}


def table(**columns):
    """Rows from row 2 on, as after a heading."""
    height = len(next(iter(columns.values())))
    named = {NAMES.get(name, name): cells for name, cells in columns.items()}
    frame = pl.DataFrame(named, schema_overrides=dict.fromkeys(named, pl.String))
    rows = pl.Series(ROW, range(2, height + 2), dtype=pl.UInt32)
    return frame.with_columns(rows, pl.lit(None, pl.String).alias(FAULT)).lazy()


def contract(*fields, **more):
    return Contract.model_validate({"fields": list(fields), **more})


def broken(field, cells, **more):
    """Kind, number of rows and first row of what one column breaks."""
    found = check(table(Pris=cells), contract({"name": "Pris", **field}, **more))
    return [(one.kind, one.rows, one.row) for one in found]


@pytest.mark.parametrize(
    ("field", "cells", "expected"),
    [
        ({}, ["x", None], []),
        ({"type": "number"}, ["1.5", "1,234.50", "-2", None, "3"], []),
        ({"type": "number"}, ["1,5", "auf Anfrage", "3"], [("type", 2, 2)]),
        ({"type": "number", "decimalChar": ","}, ["1.234,50", "1,5", "2.5"], [("type", 1, 4)]),
        ({"type": "number", "bareNumber": False}, ["1.5 kg", "kr 12", "kg"], [("type", 1, 4)]),
        ({"type": "integer"}, ["5", "1,000", "5.0", "5.5"], [("type", 1, 5)]),
        ({"type": "boolean", "trueValues": ["ja"], "falseValues": ["nej"]},
         ["ja", "nej", "yes"], [("type", 1, 4)]),
        ({"type": "date"}, ["2026-02-28", "2026-02-29", "28.02.2026"], [("type", 2, 3)]),
        ({"type": "date", "format": "%d.%m.%Y"}, ["28.02.2026", "28.2.26"], [("type", 1, 3)]),
        ({"type": "date", "format": "any"}, ["2026-02-28", "28.02.2026", "x"], [("type", 1, 4)]),
        ({"type": "number", "constraints": {"minimum": 0, "maximum": 9.99}},
         ["0", "9.99", "-0.01", "10"], [("minimum", 1, 4), ("maximum", 1, 5)]),
        ({"type": "date", "constraints": {"minimum": "2026-01-01"}},
         ["2025-12-31", "2026-01-01"], [("minimum", 1, 2)]),
        ({"constraints": {"pattern": "[A-Z]{2}|[0-9]"}}, ["AB", "1", "A1", "ABC"],
         [("pattern", 2, 4)]),
        ({"constraints": {"enum": ["ja", "nej"]}}, ["ja", "Ja", None], [("enum", 1, 3)]),
        ({"constraints": {"minLength": 2, "maxLength": 3}}, ["é", "ééé", "éééé"],
         [("min_length", 1, 2), ("max_length", 1, 4)]),
        ({"constraints": {"required": True}}, ["x", None, None], [("empty", 2, None)]),
        ({"filled": 60}, ["x", None, None], [("filled_low", 2, None)]),
        ({"filled": "33.3"}, ["x", None, None], []),
        ({"constraints": {"unique": True}}, ["a", "b", "a", "a", None, None],
         [("unique", 2, 4)]),
    ],
)  # fmt: skip
def test_each_rule_says_how_many_cells_break_it_and_the_first(field, cells, expected):
    assert broken(field, cells) == expected


def test_words_for_nothing_are_nothing():
    cells = ["-", "n/a", "5"]
    number = {"type": "number", "constraints": {"required": True}}
    found = broken(number, cells, missingValues=["", "-", "n/a"])
    assert found == [("empty", 2, None)]


def test_a_key_of_two_columns_is_filled_and_told_once():
    made = contract({"name": "Art.nr"}, {"name": "Farg"}, primaryKey=["Art.nr", "Farg"])
    rows = table(nr=["1", "1", "1", "2", None], Farg=["a", "b", "a", "a", "a"])
    empty, twice = check(rows, made)
    assert (empty.rows, empty.row, twice.rows, twice.row) == (1, 6, 1, 4)
    assert twice.value == "1, a" and "'Art.nr' and 'Farg'" in twice.said


def test_the_file_its_size_and_its_columns_come_first():
    made = contract({"name": "Pris"}, {"name": "Lager"}, {"name": "Ny", "optional": True},
                    others=False, rows={"least": 3, "most": 9},
                    file=LINES)  # fmt: skip
    rows = table(pris=["1"], lager=["2"], Rea=["3"])
    found = check(rows, made, Written("delimited", "cp1252", ","))
    assert [one.kind for one in found] == [
        "file_encoding", "file_delimiter", "rows_few", "column_missing", "column_more",
        "column_more",
    ]  # fmt: skip
    assert "'lager' is there, written otherwise" in found[3].said
    assert check(rows, made, Written("xml"))[0].kind == "file_format"
    same = check(rows, made, Written("delimited", "UTF_8-sig", ";"))
    assert not any(one.kind.startswith("file") for one in same)
    many = table(pris=["1"] * 10, Lager=["1"] * 10)
    assert [one.kind for one in check(many, made)] == ["rows_many"]


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ({}, "fields"),
        ({"fields": []}, "fields"),
        ({"fields": [{"name": "a"}, {"name": "a"}]}, "told twice"),
        ({"fields": [{"name": "a", "type": "geopoint"}]}, "fields.0.type"),
        ({"fields": [{"name": "a", "constraints": {"pattern": "("}}]}, "no pattern"),
        # What no pattern of ours can say would pass everything.
        ({"fields": [{"name": "a", "constraints": {"pattern": "(?=x)y"}}]}, "no pattern"),
        ({"fields": [{"name": "a", "constraints": {"minimum": 3}}]}, "only numbers and dates"),
        ({"fields": [{"name": "a", "type": "date", "constraints": {"minimum": "3"}}]}, "no date"),
        ({"fields": [{"name": "a", "rdfType": "x"}]}, "fields.0.rdfType"),
        ({"fields": [{"name": "a"}], "primaryKey": "b"}, "'b'"),
        ("[", "JSON"),
    ],
)  # fmt: skip
def test_what_is_no_contract_is_refused_with_the_place(document, says):
    data = document if isinstance(document, str) else json.dumps(document)
    with pytest.raises(UnreadableFile) as refused:
        parse_contract(data.encode())
    assert says in f"{refused.value.message} {refused.value.where}"


def test_it_is_written_as_table_schema_writes_it_and_read_back():
    made = contract(
        {"name": "Pris", "type": "number", "decimalChar": ",", "constraints": {"minimum": "0"}},
        {"name": "Ny", "optional": True, "filled": "95"}, primaryKey="Pris",
        missingValues=["", "-"],
    )  # fmt: skip
    told = json.loads(made.descriptor())
    assert told["fields"][0] == {
        "name": "Pris", "type": "number", "decimalChar": ",", "constraints": {"minimum": "0"},
    }  # fmt: skip
    assert told["primaryKey"] == ["Pris"] and told["missingValues"] == ["", "-"]
    assert parse_contract(made.descriptor().encode()) == made


def test_it_is_told_in_plain_words():
    made = contract({"name": "Pris"}, others=False, rows={"least": 3000},
                    file=LINES)  # fmt: skip
    assert about_file(made) == [
        "It is text in lines, its columns separated by semicolons, its letters encoded as utf-8.",
        "It has at least 3,000 rows.", "It has no other columns.",
    ]  # fmt: skip
    field = {"name": "Pris", "type": "number", "decimalChar": ",", "filled": "95",
             "constraints": {"minimum": 0, "unique": True}}  # fmt: skip
    assert about_column(ColumnTerms.model_validate(field)) == (
        "a number with a decimal comma, as 1234,50; 0 or more; filled in at least 95 % of the "
        "rows; in no two rows the same"
    )


CELLS = st.none() | st.sampled_from(
    ["1", "2,50", "3.75", "0007", "2026-01-05", "05.01.2026", "ja", "nej", "Hö", "-4", "1 kg"]
)


@given(st.data())
def test_a_draft_is_kept_by_all_that_it_was_drafted_from(data):
    """Whatever stands in them: what was promised and is not so is no promise."""
    names = data.draw(st.lists(st.sampled_from("abcde"), min_size=1, max_size=4, unique=True))
    tables = []
    for _ in range(data.draw(st.integers(1, 3))):
        height = data.draw(st.integers(0, 6))
        columns = {n: data.draw(st.lists(CELLS, min_size=height, max_size=height)) for n in names}
        tables.append(table(**columns))
    profiles = [profile_columns(one) for one in tables]
    made = draft(tables, profiles, DelimitedReading(delimiter=";"), "t")
    assert [one.name for one in made.fields] == names
    for one in tables:
        assert check(one, made, Written("delimited", "utf-8", ";")) == []


def week(n, price="{},50"):
    rows = range(60)
    return table(
        nr=[f"{i:06d}" for i in rows], Namn=[f"Skruv {i}" for i in rows],
        pris=[price.format(i + n) for i in rows], Lager=[str(i % 7) for i in rows],
        Moms=["25"] * 30 + ["12"] * 30, Enhet=["st", "kg"] * 30,
        EAN=[None] * 6 + ["4006381333931"] * 54, Sedan=["2026-01-05"] * 60,
    )  # fmt: skip


def test_a_draft_says_what_three_weeks_have_in_common():
    weeks = [week(n) for n in range(3)]
    made = draft(weeks, [profile_columns(w) for w in weeks], DelimitedReading(delimiter=";"))
    told = {one.name: about_column(one) for one in made.fields}
    assert told == {
        "Art.nr": "text; 6 digits; never empty; in no two rows the same",
        "Namn": "text; never empty",
        "Pris": "a number with a decimal comma, as 1234,50; 0 or more; never empty",
        "Lager": "a whole number; 0 or more; never empty",
        "Moms": "a whole number; 0 or more; never empty",
        "Enhet": "text; one of: kg, st; never empty",
        "EAN": "text; 8, 12, 13 or 14 digits; filled in at least 85 % of the rows",
        "Sedan": "a date as 2026-11-30; never empty",
    }
    assert made.rows.least == 42
    kinds = [(one.kind, one.column) for one in check(week(9, "{}.50 kr"), made)]
    assert kinds == [("type", "Pris")]


@pytest.mark.parametrize(
    ("document", "says"),
    [
        ({"fields": [{"name": "a", "type": "date",
                      "constraints": {"minimum": "2026-02-01", "maximum": "2026-01-31"}}]},
         "In 'a' nothing is at least 2026-02-01"),
        ({"fields": [{"name": "a", "type": "number",
                      "constraints": {"minimum": "10", "maximum": "9.5"}}]},
         "In 'a' nothing is at least 10"),
        ({"fields": [{"name": "a", "constraints": {"minLength": 3, "maxLength": 2}}]},
         "In 'a' no text has at least 3"),
        ({"fields": [{"name": "a"}], "rows": {"least": 3, "most": 2}}, "No file has at least 3"),
    ],
)  # fmt: skip
def test_bounds_that_nothing_keeps_are_refused(document, says):
    with pytest.raises(UnfitValue, match=says) as refused:
        parse_contract(json.dumps(document).encode())
    assert refused.value.where and refused.value.remedy
