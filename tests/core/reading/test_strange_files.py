"""Files of strangers: what stands at another place, is hidden, or is written in another way is
read, or told."""

from __future__ import annotations

import datetime
import json
import re
import zipfile

import pytest
import xlsxwriter
from hypothesis import given
from hypothesis import strategies as st
from odf.number import Number, NumberStyle
from odf.opendocument import OpenDocumentSpreadsheet
from odf.style import Style
from odf.table import Table, TableCell, TableRow
from odf.text import P

from nomotax.core.errors import UnreadableFile
from nomotax.core.reading.model import Companion, JsonReading, XmlReading
from nomotax.core.reading.read import Source, detect, read
from nomotax.core.table import FAULT, HIDDEN


def arrived(path, **reading):
    """The rows of a file read as detected (or changed), and the kinds of its problems."""
    found = detect(Source(path)).reading
    table = read(Source(path), found.model_copy(update=reading) if reading else found)
    return table.columns, table.frame.drop(HIDDEN).rows(), [p.kind for p in table.problems]


def saved(tmp_path, name, data):
    path = tmp_path / name
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    return path


ITEM = "<item><sku>{0}</sku><price>{0}</price></item>"
DEPTHS = (
    "<catalog>" + "".join(ITEM.format(n) for n in range(35)) + "<section>"
    + "".join(f"<group><name>g{n}</name>{ITEM.format(n)}</group>" for n in range(100, 110))
    + "</section></catalog>"
)  # fmt: skip


def test_records_at_several_depths_are_all_read(tmp_path):
    path = saved(tmp_path, "depths.xml", DEPTHS)
    assert detect(Source(path)).reading.records == "//item"
    columns, rows, _ = arrived(path)
    assert columns == ["sku", "price", "group.name"] and len(rows) == 45
    assert rows[0] == ("0", "0", None) and rows[-1] == ("109", "109", "g109")


@given(st.lists(st.integers(0, 3), min_size=1, max_size=30))
def test_no_record_is_lost_wherever_it_stands(tmp_path_factory, depths):
    """Each at its own depth; the path says 'anywhere'."""
    records = "".join("<a>" * d + f"<r><k>{n}</k></r>" + "</a>" * d for n, d in enumerate(depths))
    path = saved(tmp_path_factory.mktemp("x"), "x.xml", f"<all>{records}</all>")
    table = read(Source(path), XmlReading(records="//r"))
    assert table.frame["k"].to_list() == [str(n) for n in range(len(depths))]


def test_a_record_within_a_record_is_a_part_of_it(tmp_path):
    text = "<all><r><k>1</k><r><k>2</k></r></r><r><k>3</k></r></all>"
    table = read(Source(saved(tmp_path, "n.xml", text)), XmlReading(records="//r"))
    assert table.frame["k"].to_list() == ["1", "3"]


@pytest.mark.parametrize(
    ("document", "columns", "rows"),
    [
        ([["sku", "price"], ["a", 1], ["b", 2]], ["sku", "price"], [("a", "1"), ("b", "2")]),
        ({"items": [["a", 1], ["b", 2]]}, ["Column 1", "Column 2"], [("a", "1"), ("b", "2")]),
        ([["a", {"p": 1}], ["b", {"p": 2}]], ["Column 1", "Column 2.p"], [("a", "1"), ("b", "2")]),
        ([{"sku": "a", "v": [{"s": 1, "c": 2}, {"s": 3, "c": 4}]}, {"sku": "b", "v": []}],
         ["sku", "v.s", "v.c"], [("a", '["1","3"]', '["2","4"]'), ("b", None, None)]),
    ],
)  # fmt: skip
def test_json_records_may_be_lists_and_hold_lists(tmp_path, document, columns, rows):
    path = saved(tmp_path, "r.json", json.dumps(document))
    found = detect(Source(path)).reading.model_copy(update={"reshape": ()})
    table = read(Source(path), found)
    assert (table.columns, table.frame.drop(HIDDEN).rows()) == (columns, rows)
    assert isinstance(found, JsonReading)


def test_a_hidden_sheet_is_not_read_in_place_of_the_visible_one(tmp_path):
    path = tmp_path / "h.xlsx"
    book = xlsxwriter.Workbook(str(path))
    old, new = book.add_worksheet("Old"), book.add_worksheet("List")
    for n in range(50):
        old.write_row(n, 0, [f"o{n}", n, n])
    new.write_row(0, 0, ["code", "price", "secret"])
    new.write_row(1, 0, ["c1", 2.5, "s"])
    new.set_column(2, 2, None, None, {"hidden": True})
    new.activate()
    new.set_first_sheet()
    old.hide()
    book.close()
    columns, rows, kinds = arrived(path)
    assert (columns, rows) == (["code", "price", "secret"], [("c1", "2.5", "s")])
    assert kinds == ["hidden_sheet", "hidden_columns"]
    offers = {o.name: o.detail for o in detect(Source(path)).offers}
    assert offers["Old"].endswith("hidden") and not offers["List"].endswith("hidden")


def test_times_and_durations_are_no_dates_of_1899(tmp_path):
    path = tmp_path / "t.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheet = book.add_worksheet()
    clock, hours = (book.add_format({"num_format": f}) for f in ("hh:mm", "[h]:mm"))
    long, day = (book.add_format({"num_format": f}) for f in ("[h]:mm:ss", "dd.mm.yyyy hh:mm"))
    sheet.write_row(0, 0, ["code", "opens", "lasts", "long", "since"])
    sheet.write_row(1, 0, ["a"])
    sheet.write_datetime(1, 1, datetime.time(8, 0), clock)
    sheet.write_number(1, 2, 26.5 / 24, hours)
    sheet.write_number(1, 3, 1 / 86400, long)
    sheet.write_datetime(1, 4, datetime.datetime(2026, 11, 26, 8, 30), day)
    book.close()
    assert arrived(path)[1] == [("a", "08:00", "26:30", "00:00:01", "2026-11-26 08:30:00")]


def ods(tmp_path):
    document = OpenDocumentSpreadsheet()
    number = NumberStyle(name="N5")
    number.addElement(Number(decimalplaces="0", minintegerdigits="5"))
    parent = Style(name="five", family="table-cell", datastylename="N5")
    child = Style(name="bold", family="table-cell", parentstylename="five")
    for one in (number, parent, child):
        document.automaticstyles.addElement(one)
    table = Table(name="L")
    document.spreadsheet.addElement(table)

    def row(*cells, **more):
        line = TableRow(**more)
        for kind, value, style in cells:
            names = {"string": "stringvalue", "float": "value", "time": "timevalue"}
            cell = TableCell(valuetype=kind, **{names[kind]: value}, **style)
            cell.addElement(P(text=value))
            line.addElement(cell)
        table.addElement(line)

    row(("string", "code", {}), ("string", "lasts", {}))
    row(("float", "7", {"stylename": "five"}), ("time", "PT26H30M00S", {}))
    row(("float", "8", {"stylename": "bold"}), ("time", "PT08H00M00S", {}))
    row(("float", "9", {"stylename": "five"}), ("time", "PT08H00M05S", {}), numberrowsrepeated="2")
    path = tmp_path / "z.ods"
    document.save(str(path))
    return path


def test_formats_of_ods_show_zeros_and_times_in_every_row(tmp_path):
    assert arrived(ods(tmp_path))[1] == [
        ("00007", "26:30"), ("00008", "08:00"), ("00009", "08:00:05"), ("00009", "08:00:05"),
    ]  # fmt: skip


def test_cells_without_addresses_keep_their_zeros(tmp_path):
    whole = tmp_path / "a.xlsx"
    book = xlsxwriter.Workbook(str(whole))
    sheet, zeros = book.add_worksheet(), book.add_format({"num_format": "00000"})
    sheet.write_row(0, 0, ["code", "n"])
    sheet.write_number(1, 0, 7, zeros)
    sheet.write_number(1, 1, 5)
    book.close()
    bare = tmp_path / "b.xlsx"
    with zipfile.ZipFile(whole) as source, zipfile.ZipFile(bare, "w") as target:
        for name in source.namelist():
            data = source.read(name)
            sheet1 = name.endswith("sheet1.xml")
            target.writestr(name, re.sub(rb' r="[A-Z]*\d+"', b"", data) if sheet1 else data)
    assert arrived(bare)[1] == arrived(whole)[1] == [("00007", "5")]


def test_a_column_of_formulas_under_a_formula_is_told(tmp_path):
    """None has a result stored: the column is there, and its rows are held."""
    path = tmp_path / "f.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, ["code", "n"])
    sheet.write_formula(0, 2, '="Pr"&"ice"', None, "")
    sheet.write_row(1, 0, ["c", 1])
    sheet.write_formula(1, 2, "=B2*2", None, "")
    book.close()
    table = read(Source(path), detect(Source(path)).reading)
    assert table.columns == ["code", "n", "Column 3"]
    assert "no result stored" in table.frame[FAULT][0]


@pytest.mark.parametrize("far", [(1_048_575, 16_383), (400_000, 800)])
def test_a_sheet_bomb_is_refused_at_once(tmp_path, far):
    path = tmp_path / "bomb.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, ["code", "n"])
    sheet.write(*far, "x")
    book.close()
    with pytest.raises(UnreadableFile, match=r"spread over .* the limit is 100,000,000"):
        detect(Source(path))


def spread_ods(path, *rows):
    """An OpenDocument sheet of rows given as how often each and its cells are repeated."""
    document, sheet = OpenDocumentSpreadsheet(), Table(name="S")
    for times, *cells in rows:
        row = TableRow(numberrowsrepeated=times)
        for many, text in cells:
            value = {"valuetype": "string"} if text else {}
            one = TableCell(numbercolumnsrepeated=many, **value)
            if text:
                one.addElement(P(text=text))
            row.addElement(one)
        sheet.addElement(row)
    document.spreadsheet.addElement(sheet)
    document.save(str(path))
    return Source(path)


@pytest.mark.parametrize(("times", "wide"), [(1_048_576, 200), (20_000, 16_384)])
def test_a_sheet_that_repeats_its_cells_everywhere_is_refused(tmp_path, times, wide):
    source = spread_ods(tmp_path / "bomb.ods", (times, (wide, "x")))
    with pytest.raises(UnreadableFile, match=r"spread over .* the limit is 100,000,000"):
        detect(source)


def test_empty_rows_below_a_table_are_no_bomb(tmp_path):
    """As every program writes them: the rest of the sheet as one repeated empty row."""
    rest = (16_382, "")
    rows = [(1, (1, a), (1, b), rest) for a, b in
            [("code", "name"), ("007", "Spade"), ("008", "Rake")]]  # fmt: skip
    source = spread_ods(tmp_path / "fine.ods", *rows, (1_048_573, (16_384, "")))
    found = read(source, detect(source).reading)
    assert found.frame.select(found.columns).rows() == [("007", "Spade"), ("008", "Rake")]


GREEK = "κωδικός;όνομα\n1;Άσπρο χρώμα λαδιού\n2;Έλατο και ξύλο\n3;Όμορφο πινέλο ζωγραφικής\n"


@pytest.mark.parametrize(
    ("name", "data", "columns", "rows"),
    [
        ("trail.csv", "a;b;c\n1;2;3;\n4;5;6;\n", ["a", "b", "c"],
         [("1", "2", "3"), ("4", "5", "6")]),
        ("pipes.csv", "a||b||c\n1||2||3\n4||5||6\n", ["a", "b", "c"],
         [("1", "2", "3"), ("4", "5", "6")]),
        ("html.xml", "<?xml version='1.0'?><ps><p><sku>1</sku><html>x</html></p>"
                     "<p><sku>2</sku><html>y</html></p></ps>", ["sku", "html"],
         [("1", "x"), ("2", "y")]),
        ("greek.csv", GREEK.encode("iso8859_7"), ["κωδικός", "όνομα"],
         [tuple(line.split(";")) for line in GREEK.splitlines()[1:]]),
        ("greek-windows.csv", GREEK.encode("cp1253"), ["κωδικός", "όνομα"],
         [tuple(line.split(";")) for line in GREEK.splitlines()[1:]]),
    ],
)  # fmt: skip
def test_text_of_another_habit_is_read_right(tmp_path, name, data, columns, rows):
    assert arrived(saved(tmp_path, name, data)) == (columns, rows, [])


def test_a_web_page_is_still_no_feed(tmp_path):
    page = "<?xml version='1.0'?>\n<!-- x -->\n<!DOCTYPE html><html><body>gone</body></html>"
    with pytest.raises(UnreadableFile, match="web page"):
        detect(Source(saved(tmp_path, "p.xml", page)))


def test_a_key_that_fits_two_rows_without_its_zeros_is_given_to_neither(tmp_path):
    feed = saved(tmp_path, "feed.csv", "code;n\n07;a\n7;b\n8;c\n")
    stock = saved(tmp_path, "stock.csv", "art;qty\n7;1\n8;2\n007;3\n")
    own = Companion.model_validate(
        {"name": "stock", "keys": [{"column": "code", "theirs": "art"}], "ignore_zeros": True}
    )
    reading = detect(Source(feed)).reading.model_copy(update={"companions": (own,)})
    other = read(Source(stock), detect(Source(stock)).reading)
    table = read(Source(feed), reading, {"stock": other})
    assert table.frame["stock: qty"].to_list() == [None, None, "2"]
    told = next(p for p in table.problems if p.kind == "companion_ambiguous_key")
    assert told.examples == ("007 and 7",)


def test_pictures_that_do_not_fit_the_table_are_told(tmp_path):
    path = tmp_path / "p.zip"
    rows = "sku;pic\n1;a.png\n2;B.PNG\n3;gone.png\n4;c.png\n"
    with zipfile.ZipFile(path, "w") as archive:
        archive.writestr("items.csv", rows)
        for name in ("a.png", "b.png", "x/c.png", "y/c.png", "never.png"):
            archive.writestr(name, b"\x89PNG" + name.encode())
    table = read(Source(path), detect(Source(path)).reading)
    told = {p.kind: p.examples for p in table.problems}
    assert told["missing_pictures"] == ("gone.png",)
    assert told["doubled_pictures"] == ("c.png",)
    assert set(told["unused_pictures"]) == {"x/c.png", "y/c.png", "never.png"}
    assert told["picture_case"] == ("B.PNG",)
