"""Documents and files around the engine: profiles, encodings, tables in every format, words."""

from __future__ import annotations

import io
from decimal import Decimal

import openpyxl
import polars as pl
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from nomotax.artifacts.store import ArtifactStore
from nomotax.core.crosswalk.evidence import unit_in_name
from nomotax.core.crosswalk.model import Bundle, Crosswalk, Fill, Part
from nomotax.core.crosswalk.plain import plain, prefix_of
from nomotax.core.crosswalk.words import describe
from nomotax.core.errors import NomotaxError, NotFound, TooLarge
from nomotax.core.lookups.tables import CategoryTable, ValueTable
from nomotax.core.reading.delimited import read_delimited
from nomotax.core.reading.encoding import detect_encoding, to_utf8
from nomotax.core.reading.model import DelimitedReading
from nomotax.core.reading.profile import profile_table
from nomotax.core.writing.tables import format_of, write_table


@pytest.mark.parametrize(
    ("values", "looks_like"),
    [
        (["9520044210001", "9520044210018"], "GTIN"),
        (["1", "20", "300"], "whole number"),
        (["001", "020"], "digits with leading zeros"),
        (["1,50", "1.234,00", "7"], "decimal with comma"),
        (["1.50", "1,234.00"], "decimal with point"),
        (["12.03.2024", "1.1.2025"], "date (day.month.year)"),
        (["2024-03-12"], "date (year-month-day)"),
        (["J", "N", "n"], "yes/no"),
        (["http://a.example/x.PNG?w=1"], "picture link"),
        (["http://a.example/x"], "link"),
        (["<p>a</p>", "b <br> c"], "html"),
        (["Paint/Oil", "Paint/Oil/Tubes"], "category path"),
        (["12 cm", '3,5 "'], "measure with unit"),
        (["€ 12,50", "3.10 EUR"], "money"),
        (["Cobalt blue", "Red"], "text"),
        (["", ""], "empty"),
    ],
)
def test_a_column_is_recognised_by_its_values(values, looks_like):
    quoted = "\n".join('"' + v.replace('"', '""') + '",x' for v in values)
    table = read_delimited(f"c,d\n{quoted}\n".encode(), DelimitedReading())
    assert profile_table(table)[0].looks_like == looks_like


def test_a_profile_counts_and_names_what_is_odd():
    rows = ["b ", "a", "a", "", "9.52E+12", "x\ufffd"]
    table = read_delimited(
        ("c,d\n" + "".join(f"{r},1\n" for r in rows)).encode(), DelimitedReading()
    )
    found = profile_table(table)[0]
    assert (found.filled, found.rows, found.distinct) == (5, 6, 4)
    assert (found.shortest, found.longest) == (1, 8)
    assert found.frequent[0].model_dump() == {"value": "a", "count": 2}
    assert [o.split(" ", 1)[1] for o in found.odd] == [
        "with blanks at an end",
        "with characters lost to a wrong encoding",
        "barcodes damaged by a spreadsheet (as in 9.52E+12)",
    ]


@pytest.mark.parametrize(
    ("data", "encoding"),
    [
        (b"abc", "utf-8"),
        ("blåbär, größe".encode(), "utf-8"),
        ("\ufeffa,b".encode(), "utf-8"),
        ("a,b\nc,d\n".encode("utf-16"), "utf-16-le"),
        ("a,b\n" * 40, "utf-16-le"),
        ("Désignation;Größe €\n".encode("cp1252"), "cp1252"),
    ],
)
def test_encodings_are_found_with_a_reason(data, encoding):
    data = data.encode("utf-16-le") if isinstance(data, str) else data
    found, why = detect_encoding(data)
    assert found == encoding and why


@given(st.text(alphabet=st.characters(codec="cp1252", exclude_categories=("Cc",)), max_size=60))
def test_what_an_encoding_can_write_is_read_back(text):
    # A byte order mark says another encoding, whatever was meant by it.
    assume(not text.startswith(("þÿ", "ÿþ", "ï»¿", "\ufeff")))
    for encoding in ("cp1252", "utf-8", "utf-16-le"):
        utf8, problems = to_utf8(text.encode(encoding), encoding)
        assert utf8.decode() == text.removeprefix("\ufeff") and not problems


def test_an_unknown_encoding_is_refused():
    with pytest.raises(NomotaxError, match="no encoding called 'klingon'"):
        to_utf8(b"a", "klingon")


TABLE = pl.DataFrame(
    {
        "code": ["007", "=1+1", "@x", None],
        "text": ['a "b", c', "line\nbreak", "http://x.example", ""],
        "price": [Decimal("1.50"), Decimal("-0.10"), None, Decimal("12345678901234567.89")],
    },
    schema_overrides={"price": pl.Decimal(38, 2)},
)


def test_tables_are_written_so_that_nothing_is_retyped():
    """Codes keep their zeros and formulas stay text, in every format; decimals stay exact."""
    out = {kind: io.BytesIO() for kind in ("csv", "xlsx", "jsonl", "parquet")}
    for kind, stream in out.items():
        write_table(TABLE, stream, kind)
    table = read_delimited(out["csv"].getvalue(), DelimitedReading())
    assert table.frame["code"].to_list() == ["007", "=1+1", "@x", None]
    assert table.frame["price"].to_list()[3] == "12345678901234567.89"
    sheet = list(openpyxl.load_workbook(out["xlsx"]).active.iter_rows(min_row=2))
    assert [c.value for c in sheet[1]] == ["=1+1", "line\nbreak", "-0.10"]
    assert all(c.data_type in ("s", "n") and not c.hyperlink for row in sheet for c in row)
    assert sheet[3][2].value == "12345678901234567.89"
    assert pl.read_parquet(io.BytesIO(out["parquet"].getvalue())).equals(TABLE)
    assert out["jsonl"].getvalue().decode().count("\n") == 4


@pytest.mark.parametrize("name", ["a.doc", "a", "a.csv.gz"])
def test_a_format_we_do_not_write_is_named(name):
    from pathlib import Path

    with pytest.raises(NomotaxError, match="Cannot write"):
        format_of(Path(name))


def test_artifacts_are_kept_under_their_hash_and_large_ones_refused(tmp_path):
    store = ArtifactStore(str(tmp_path), tmp_path / "nearby", 100)
    kept = store.receive(io.BytesIO(b"hello"), 10)
    again = store.receive(io.BytesIO(b"hello"), 10)
    assert kept == again and store.read(kept.name) == b"hello" and store.head(kept.name, 2) == b"he"
    with pytest.raises(TooLarge):
        store.receive(io.BytesIO(b"x" * 11), 10)
    assert [p.name for p in (tmp_path / "incoming").iterdir()] == []
    store.write_frame("t/a.parquet", TABLE)
    assert store.scan("t/a.parquet").slice(1, 1).collect()["code"].to_list() == ["=1+1"]
    for missing in (lambda: store.read("no"), lambda: store.head("no", 1), lambda: store.scan("no"),
                    lambda: store.read("../etc/passwd")):  # fmt: skip
        with pytest.raises(NotFound):
            missing()


def test_a_part_is_a_column_or_a_text():
    for wrong in ({}, {"column": "a", "text": "b"}):
        with pytest.raises(ValidationError, match="one of: a column"):
            Part.model_validate(wrong)


def test_a_crosswalk_knows_what_is_undecided():
    crosswalk = Crosswalk(
        fills={"name": Fill(parts=(Part(column="a"), Part(text=" "), Part(column="b")))},
        parked={"c": "spare_1"},
        left_out=("d",),
    )
    assert crosswalk.undecided(["a", "b", "c", "d", "e"]) == ["e"]
    assert crosswalk.used_columns() == {"c": ["spare_1"], "a": ["name"], "b": ["name"]}
    assert describe(crosswalk.fills["name"]) == "a + ' ' + b"


def test_the_demo_bundle_is_described_in_plain_words(bundle):
    price = describe(bundle.crosswalk.fills["price"])
    assert price == "Cost EUR · number · price ladder 'Standard'"
    assert describe(bundle.crosswalk.fills["brand"]) == "always 'Quarrow'"
    assert Bundle.model_validate_json(bundle.model_dump_json()) == bundle


def test_names_units_and_prefixes():
    assert plain("  Désignation (EUR)") == "designation eur"
    assert unit_in_name("Net g").code == "g" and unit_in_name("Width (mm)").code == "mm"
    assert unit_in_name("Range") is None
    assert (prefix_of("Quarrow Pigments"), prefix_of("Castelune")) == ("QP-", "CA-")


paths = st.lists(st.sampled_from("abc"), min_size=1, max_size=4).map("/".join)


@settings(max_examples=100)
@given(placements=st.dictionaries(paths, st.sampled_from(["", "X", "Y"]), max_size=6), path=paths)
def test_the_longest_placed_branch_decides(placements, path):
    table = CategoryTable(name="t", placements=placements)
    place, by = table.resolve(path)
    parts = path.split("/")
    covering = [p for p in placements if parts[: len(p.split("/"))] == p.split("/")]
    expected = max(covering, key=len, default=None)
    assert by == expected and place == (placements[expected] if expected else None)
    placed = pl.DataFrame({"p": [path, None, path]}).select(table.place(pl.col("p")))
    assert placed.to_series().to_list() == [place, None, place]


@given(st.dictionaries(st.text(max_size=5), st.text(max_size=5), max_size=8))
def test_value_tables_find_what_they_list(entries):
    table = ValueTable(name="t", match="exact", entries=entries)
    words = [*entries, "\x00 not listed"]
    frame = pl.DataFrame({"w": words}, schema={"w": pl.String})
    found = frame.with_columns(f=table.look_up(pl.col("w")))["f"].to_list()
    assert found == [*entries.values(), None]
