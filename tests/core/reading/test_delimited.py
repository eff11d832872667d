"""Reading delimited text: detection, fidelity, and every fault named with its place."""

from __future__ import annotations

import csv
import io

import polars as pl
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading import pieces, regular
from nomotax.core.reading.delimited import read_delimited
from nomotax.core.reading.detect_delimited import detect_delimited
from nomotax.core.reading.encoding import Decoder
from nomotax.core.reading.model import DelimitedReading
from nomotax.core.table import FAULT, ROW
from nomotax.demo.load import DATA


def read(text: str, **choices):
    return read_delimited(text.encode(), DelimitedReading(**choices))


def cells(table):
    return [list(r) for r in table.frame.select(table.columns).iter_rows()]


def test_detects_the_demo_file():
    """Semicolons, Windows-1252, decimal commas, header on the first line; each with a reason."""
    found = detect_delimited((DATA / "quarrow-week-1.csv").read_bytes()[:200_000])
    assert found.reading == DelimitedReading(encoding="cp1252", delimiter=";", decimal=",")
    assert all(found.why[k] for k in ("encoding", "delimiter", "quote", "header_row", "decimal"))


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("a,b\n1.5,x\n2.25,y\n", {"delimiter": ",", "decimal": "."}),
        ("a\tb\n1,5\tx\n", {"delimiter": "\t", "decimal": ","}),
        ("Price list 2026\n\nsku|name|stock\n1|x|2\n3|y|4\n", {"delimiter": "|", "header_row": 3}),
        ("1;2;3\n4;5;6\n", {"delimiter": ";", "header_row": 0}),
        ("a;b\n'x;y';2\n'z';3\n", {"quote": "'"}),
    ],
)
def test_detects_dialects(text, expected):
    found = detect_delimited(text.encode()).reading.model_dump()
    assert {k: found[k] for k in expected} == expected


def test_cells_stay_text():
    """No leading zero, no barcode and no date is helpfully changed."""
    table = read("code;ean;day;flag\n007;0095200000012;01.02.2026;TRUE\n", delimiter=";")
    assert cells(table) == [["007", "0095200000012", "01.02.2026", "TRUE"]]


def test_blank_and_repeated_headers_are_made_distinct_and_told():
    table = read("a,,a\n1,2,3\n")
    assert table.columns == ["a", "Column 2", "a (2)"]
    assert [p.kind for p in table.problems] == ["blank_header", "repeated_header"]


def test_rows_of_wrong_width_are_kept_and_named():
    """Too many or too few cells: the row stays in place, at fault, with line and leftovers."""
    table = read("a,b\n1,2\n3\n4,5,6\n7,8\n")
    assert cells(table) == [["1", "2"], ["3", None], ["4", "5"], ["7", "8"]]
    faults = table.frame[FAULT].to_list()
    assert faults[0] is None and faults[3] is None
    assert "line 3: 1 cells where the header has 2" in faults[1]
    assert "left over: '6'" in faults[2]


def test_unclosed_quote_costs_one_line_only():
    table = read('a,b\n1,2\n"3,4\n5,6\n"7",8\n')
    assert [r for r in cells(table) if r[0] != '"3'] == [["1", "2"], ["5", "6"], ["7", "8"]]
    assert [p.line for p in table.problems] == [3]
    assert "never closed" in table.problems[0].message


def test_quote_inside_a_cell_is_forgiven():
    """Inches are written with a quote sign; the row is sound all the same."""
    table = read('name,n\n12" canvas,1\nround,2\n')
    assert cells(table) == [['12" canvas', "1"], ["round", "2"]]
    assert not table.problems


def test_mixed_encodings_are_read_line_by_line():
    data = "a,b\nblåbär,1\n".encode() + "grön,2\n".encode("cp1252")
    table = read_delimited(data, detect_delimited(data).reading)
    assert cells(table) == [["blåbär", "1"], ["grön", "2"]]
    assert (table.problems[0].kind, table.problems[0].line) == ("mixed_encoding", 3)


def test_wrong_choices_are_visible():
    """A wrong delimiter gives one column and a wrong encoding tells its lost characters."""
    assert read("a;b\n1;2\n", delimiter=",").problems[0].kind == "one_column"
    table = read_delimited("é,1\nx,2\n".encode("cp1250"), DelimitedReading(encoding="shift_jis"))
    assert any(p.kind == "wrong_encoding" for p in table.problems)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "empty"),
        (b"\r\n  \n", "empty"),
        (b"\x89PNG\r\n\x1a\n....", "PNG picture"),
        (b"a,b\n1," + bytes(40), "binary"),
        (b"<!DOCTYPE html><html>expired</html>", "web page"),
    ],
)
def test_what_is_no_table_is_refused_with_a_remedy(data, says):
    with pytest.raises(UnreadableFile, match=says) as refused:
        detect_delimited(data)
    assert refused.value.remedy and refused.value.where


def test_header_only_is_a_table_without_rows():
    table = read("a,b\n")
    assert table.columns == ["a", "b"] and table.rows == 0
    assert [p.kind for p in table.problems] == ["no_rows"]


def test_header_row_past_the_end_is_refused():
    with pytest.raises(UnreadableFile, match="line 9"):
        read("a,b\n1,2\n", header_row=9)


cell = st.text(
    st.characters(codec="utf-8", exclude_categories=("Cc", "Cs")) | st.sampled_from(';"\n,'),
    max_size=8,
).filter(lambda t: t == t.strip())
tables = st.integers(1, 5).flatmap(
    lambda width: st.lists(st.lists(cell, min_size=width, max_size=width), min_size=1, max_size=12)
)


@settings(max_examples=60, deadline=None)
@given(rows=tables, delimiter=st.sampled_from(";,|\t"), ending=st.sampled_from(["\n", "\r\n"]))
def test_what_is_written_is_read(rows, delimiter, ending):
    """For any table, writing and reading give it back: nothing is lost, nothing is added."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, delimiter=delimiter, lineterminator=ending, quoting=csv.QUOTE_ALL)
    writer.writerow([f"c{i}" for i in range(len(rows[0]))])
    writer.writerows(rows)
    table = read_delimited(out.getvalue().encode(), DelimitedReading(delimiter=delimiter))
    kept = [[c or None for c in row] for row in rows if any(row)]
    assert cells(table) == kept
    assert table.frame[ROW].to_list() == list(range(1, len(kept) + 1))
    assert table.frame[FAULT].null_count() == len(kept)


@settings(max_examples=60, deadline=None)
@given(rows=tables, tail=st.sampled_from(["", "\n", "1,2,3,4,5,6,7\n", "x\n"]))
def test_all_readers_agree(rows, tail):
    """A file gives the same table through the plain, the scanned and the careful reader."""
    out = io.StringIO(newline="")
    csv.writer(out, lineterminator="\n").writerows([["h"] * len(rows[0]), *rows])
    data = (out.getvalue() + tail).encode()
    fast = read_delimited(data, DelimitedReading())
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(regular, "_read_plain", lambda *args: None)
        scanned = read_delimited(data, DelimitedReading())
        patch.setattr(regular, "_is_regular", lambda *args: False)
        careful = read_delimited(data, DelimitedReading())
    assert fast.frame.equals(careful.frame) and scanned.frame.equals(careful.frame)


def test_regular_files_take_the_fast_path():
    """The scan accepts quoted delimiters and line breaks, and refuses ragged rows."""

    def read_fast(data):
        reading = DelimitedReading()
        census = regular.Census.of(data, reading)
        return regular.read_regular(regular.Body(data, 4, 1, ["a", "b"], reading, census))

    assert read_fast(b'a,b\n1,"x,\ny"\n2,z\n').rows() == [("1", "x,\ny"), ("2", "z")]
    assert read_fast(b"a,b\n1,2\n3\n") is None
    assert read_fast(b'a,b\n12" x,2\n') is None


#: What people really send among the rows: ragged, blank, stray quotes, other encodings, zeros.
ODD = st.sampled_from(
    [
        b"x\n",
        b"\n",
        b"1,2,3,4,5,6,7\n",
        b'12" x\n',
        b'"open\n',
        b"bl\xe5\n",
        b"a\0b\n",
        b"# c\n",
        b"\r",
    ]
)


@settings(max_examples=80, deadline=None)
@given(
    rows=tables,
    quoting=st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
    odd=st.lists(st.tuples(st.integers(0, 12), ODD), max_size=3),
    encoding=st.sampled_from(["utf-8", "cp1252", "utf-16-le"]),
    ends=st.sampled_from(["\n", "\r\n"]),
    piece=st.integers(1, 60),
    choices=st.sampled_from([{}, {"comment": "#"}, {"footer_rows": 2}, {"header_row": 0}]),
)
def test_pieces_make_the_same_table(rows, quoting, odd, encoding, ends, piece, choices):
    """However small the pieces that a file is taken in: the same table, and the same is told."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator=ends, quoting=quoting)
    lines = []
    for row in [["h"] * len(rows[0]), *rows]:
        writer.writerow(row)
        lines.append(out.getvalue().encode(encoding, errors="replace"))
        out.seek(0)
        out.truncate()
    for at, line in odd:
        lines.insert(
            1 + at, line if encoding == "utf-8" else line.decode("latin-1").encode(encoding)
        )
    data, reading = b"".join(lines), DelimitedReading(encoding=encoding, **choices)
    try:
        whole = read_delimited(data, reading)
    except UnreadableFile:  # zero bytes in a small file, or nothing in it
        assume(False)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(pieces, "PIECE", piece)
        cut = read_delimited(data, reading)
    assert cut.frame.equals(whole.frame), (data, reading, piece)
    assert cut.problems == whole.problems and cut.exponents == whole.exponents


def test_a_piece_ends_where_many_quotes_are_even():
    """Quotes are counted through the whole piece, also those far from its end."""
    rows = b'"a""b","c\nd"\n' * 20_000
    text = rows + b'"open\n' + b'"",x\n' * 200_000
    source = pieces.Pieces(io.BytesIO(text), Decoder("utf-8"), '"')
    assert source.next() == text
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(pieces, "PIECE", len(text) - 3)
        cut = pieces.Pieces(io.BytesIO(text), Decoder("utf-8"), '"')
        # With one quote open, no line end behind it is the end of a record.
        assert cut.next() == rows and cut.rest() == text[len(rows) :] and cut.next() == b""


def test_every_row_of_the_demo_file_is_there():
    data = (DATA / "quarrow-week-1.csv").read_bytes()
    table = read_delimited(data, detect_delimited(data).reading)
    assert table.rows == 1188
    assert [p.kind for p in table.problems] == ["broken_row", "broken_row"]
    assert table.frame.filter(pl.col(FAULT).is_not_null())[ROW].to_list() == [333, 901]
