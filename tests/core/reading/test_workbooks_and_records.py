"""Workbooks as a person sees them; XML and JSON flattened without losing what belongs together."""

from __future__ import annotations

import datetime
import io
import zipfile

import pytest
import xlsxwriter
import xlwt

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.model import JsonReading, WorkbookReading, XmlReading
from nomotax.core.reading.proposals import propose_unfold
from nomotax.core.reading.read import Source, detect, read
from nomotax.core.table import FAULT
from tests.core.reading import files


@pytest.fixture
def book(tmp_path):
    """A workbook that begins away from the corner, with all that a workbook can hide."""
    path = tmp_path / "book.xlsx"
    made = xlsxwriter.Workbook(str(path))
    sheet = made.add_worksheet("List")
    zeros, day = made.add_format({"num_format": "00000"}), made.add_format({"num_format": "d.m.yy"})
    time = made.add_format({"num_format": "d.m.yy h:mm"})
    sheet.write(1, 2, "Our list")
    sheet.merge_range(3, 2, 4, 2, "Code")
    sheet.merge_range(3, 3, 3, 4, "Price")
    sheet.write_row(4, 3, ["net", "gross"])
    sheet.merge_range(3, 5, 4, 5, "Since")
    sheet.merge_range(3, 6, 4, 6, "EAN")
    for r, code in enumerate([7, 4711, 815], 5):
        sheet.write_number(r, 2, code, zeros)
        sheet.write_number(r, 3, 0.1 + 0.2)
        sheet.write_number(r, 6, 9520000000000 + r)
    sheet.write_formula(5, 4, "=D6*2", None, 0.6)
    sheet.write_formula(6, 4, "=D7*2", None, "")
    sheet.write_formula(7, 4, "=1/0", None, "#DIV/0!")
    sheet.write_datetime(5, 5, datetime.datetime(2026, 3, 4), day)
    sheet.write_datetime(6, 5, datetime.datetime(2026, 3, 4, 12, 30), time)
    sheet.set_row(7, None, None, {"hidden": True})
    sheet.write_string(9, 2, "Total 3 articles")
    made.add_worksheet("Empty")
    made.close()
    return path


def test_a_workbook_arrives_as_it_is_seen(book):
    found = detect(Source(book))
    reading = found.reading
    assert (reading.header_row, reading.header_height, reading.footer_rows) == (4, 2, 2)
    table = read(Source(book), reading)
    assert table.columns == ["Code", "Price net", "Price gross", "Since", "EAN"]
    assert table.frame.select(table.columns).rows() == [
        ("00007", "0.3", "0.6", "2026-03-04", "9520000000005"),
        ("04711", "0.3", None, "2026-03-04 12:30:00", "9520000000006"),
        ("00815", "0.3", None, None, "9520000000007"),
    ]
    faults = table.frame[FAULT].to_list()
    assert faults[0] is None
    assert faults[1] == "List!E7 (Price gross): its formula has no result stored"
    assert faults[2] == "List!E8 (Price gross): it shows #DIV/0!"
    assert {"title_rows", "hidden_rows", "footer_rows", "formula"} <= {
        p.kind for p in table.problems
    }


def test_hidden_rows_are_left_out_when_asked(book):
    reading = detect(Source(book)).reading.model_copy(update={"hidden_rows": False})
    assert read(Source(book), reading).rows == 2


def test_a_missing_sheet_is_named_with_those_there(book):
    with pytest.raises(UnreadableFile, match="'Prices'") as refused:
        read(Source(book), WorkbookReading(sheets=("Prices",)))
    assert "'List', 'Empty'" in refused.value.where


def test_old_workbooks_keep_zeros_dates_and_errors(tmp_path):
    made = xlwt.Workbook()
    sheet = made.add_sheet("List")
    for c, name in enumerate(["code", "day", "n", "flag"]):
        sheet.write(0, c, name)
    sheet.write(1, 0, 42, xlwt.easyxf(num_format_str="00000"))
    sheet.write(1, 1, datetime.datetime(2026, 3, 4), xlwt.easyxf(num_format_str="DD.MM.YYYY"))
    sheet.write(1, 2, 12.95)
    sheet.write(1, 3, True)
    path = tmp_path / "old.xls"
    made.save(str(path))
    table = read(Source(path), WorkbookReading())
    assert table.frame.select(table.columns).rows() == [("00042", "2026-03-04", "12.95", "true")]


def test_ods_keeps_leading_zeros_and_hidden_rows(tmp_path):
    """Found by the cell's style, whatever the value alone says."""
    plain = files.ods(["code", "n"], [["x", "1"], ["y", "2"]])
    with zipfile.ZipFile(io.BytesIO(plain)) as archive:
        parts = {n: archive.read(n) for n in archive.namelist()}
    number = "urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0"
    style = "urn:oasis:names:tc:opendocument:xmlns:style:1.0"
    styles = (
        f'<number:number-style xmlns:number="{number}" xmlns:style="{style}" style:name="N5">'
        '<number:number number:min-integer-digits="5" number:decimal-places="0"/>'
        f'</number:number-style><style:style xmlns:style="{style}" style:name="z" '
        'style:family="table-cell" style:data-style-name="N5"/>'
    )
    content = parts["content.xml"].decode()
    content = content.replace(
        "<office:automatic-styles/>", f"<office:automatic-styles>{styles}</office:automatic-styles>"
    )
    old = content[
        content.index('<table:table-row><table:table-cell office:value-type="string"><text:p>x') :
    ]
    new = old.replace(
        '<table:table-cell office:value-type="string"><text:p>x</text:p></table:table-cell>',
        '<table:table-cell office:value-type="float" office:value="42" table:style-name="z">'
        "<text:p>00042</text:p></table:table-cell>",
        1,
    ).replace("<table:table-row>", '<table:table-row table:visibility="collapse">', 1)
    parts["content.xml"] = content.replace(old, new).encode()
    path = files.put(tmp_path, "a.ods", files.zipped(parts))
    table = read(Source(path), WorkbookReading())
    assert table.frame["code"].to_list() == ["00042", "y"]
    assert [p.count for p in table.problems if p.kind == "hidden_rows"] == [1]


NESTED = """<?xml version="1.0"?><s:shop xmlns:s="urn:s" xmlns="urn:p" cur="USD">
<!-- x --><made>2026</made>
<shelf path="A &gt; B"><title>Paper</title>
<item no="1"><name>One</name><text><![CDATA[<b>x</b> & y]]></text><note>see <i>this</i></note>
<size code="a"><w unit="in">9</w><pic/><pic>p1</pic></size>
<size code="b"><w unit="in">12</w></size></item>
<item no="2"><name>Two</name><text/></item></shelf>
<shelf path="C"><item no="3"><name>Three</name>
<size code="c"><w unit="in">7</w></size></item></shelf>
</s:shop>""".encode()  # noqa: UP012


def test_xml_keeps_lists_aligned_and_carries_what_stands_above(tmp_path):
    source = Source(files.put(tmp_path, "a.xml", NESTED))
    table = read(source, XmlReading(records="s:shop/shelf/item"))
    rows = table.frame.to_dicts()
    assert rows[0]["size@code"] == '["a","b"]' and rows[2]["size@code"] == '["c"]'
    assert rows[0]["size.pic"] == '[[null,"p1"],null]'
    assert rows[0]["text"] == "<b>x</b> & y" and rows[0]["note"] == "see <i>this</i>"
    assert [r["shelf@path"] for r in rows] == ["A > B", "A > B", "C"]
    assert [r["shelf.title"] for r in rows] == ["Paper", "Paper", None]
    assert {r["s:shop.made"] for r in rows} == {"2026"}
    assert {r["s:shop@cur"] for r in rows} == {"USD"} and rows[1]["size.w"] is None


def test_xml_offers_the_whole_record_and_its_variants(tmp_path):
    body = "".join(
        f'<item no="{i}"><name>n{i}</name><line>l</line><kind>k</kind>'
        + "".join(f'<size code="{i}-{n}"><w>{n}</w></size>' for n in range(i % 4))
        + "</item>"
        for i in range(40)
    )
    source = Source(files.put(tmp_path, "a.xml", f"<shop>{body}</shop>".encode()))
    found = detect(source)
    assert found.reading.records == "shop/item" and found.why["reshape"]
    table = read(source, found.reading)
    assert table.rows == sum(max(i % 4, 1) for i in range(40))
    assert table.frame.filter(table.frame["size@code"].is_null()).height == 10
    with pytest.raises(UnreadableFile, match="no element") as refused:
        read(source, XmlReading(records="shop/product"))
    assert "shop/item" in refused.value.remedy


def test_a_broken_entity_is_named_with_its_line(tmp_path):
    path = files.put(tmp_path, "a.xml", b"<l>\n<i><a>1</a></i>\n<i><a>x&nbsp;y</a></i>\n</l>")
    table = read(Source(path), XmlReading(records="l/i"))
    assert table.rows == 1 and not table.complete
    assert table.problems[0].line == 3 and "nbsp" in table.problems[0].message


def test_json_flattens_and_keeps_the_digits(tmp_path):
    data = b"""{"shop": {"name": "x", "goods": [
      {"id": 1.50, "a": {"b": [1, 2]}, "ok": true,
       "v": [{"s": "S", "p": [1]}, {"s": "M", "q": false}]},
      {"id": 1e2, "a": {"b": 7}, "v": []}, {"id": "007", "none": null}]}}"""
    source = Source(files.put(tmp_path, "a.json", data))
    found = detect(source)
    assert found.reading.records == "shop/goods" and found.offers[0].count == 3
    rows = read(source, JsonReading(records="shop/goods")).frame.to_dicts()
    assert [r["id"] for r in rows] == ["1.50", "1e2", "007"]
    assert rows[0]["a.b"] == '["1","2"]' and rows[1]["a.b"] == '["7"]' and rows[0]["ok"] == "true"
    assert rows[0]["v.s"] == '["S","M"]' and rows[0]["v.q"] == '[null,"false"]'


def test_json_records_by_key_and_lines_that_are_wrong(tmp_path):
    keyed = files.put(tmp_path, "k.json", b'{"S1": {"n": 1}, "S2": {"n": 2}, "S3": {"n": 3}}')
    found = detect(Source(keyed))
    assert found.reading.records == "*"
    assert read(Source(keyed), found.reading).frame["@key"].to_list() == ["S1", "S2", "S3"]
    lines = files.put(tmp_path, "l.jsonl", b'{"a": 1}\nnot json\n{"a": 12345678901234567890.10}\n')
    table = read(Source(lines), JsonReading(lines=True))
    assert table.frame["a"].to_list() == ["1", "12345678901234567890.10"]
    assert [(p.kind, p.line) for p in table.problems] == [("bad_line", 2)] and table.complete


def test_a_list_of_pictures_is_no_variant():
    import polars as pl

    frame = pl.DataFrame({"pics.pic": ['["a","b"]', '["c"]'], "sku": ["1", "2"]})
    assert propose_unfold(frame) == ()
