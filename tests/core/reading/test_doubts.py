"""Every doubt is told: encodings, damaged barcodes, odd columns, changes since last time."""

from __future__ import annotations

import polars as pl
import pytest

from nomotax.core.crosswalk.compiler import compile_plan
from nomotax.core.crosswalk.model import Crosswalk, Fill, Part
from nomotax.core.crosswalk.problems import problems_of
from nomotax.core.errors import UnreadableFile
from nomotax.core.flow.context import Context
from nomotax.core.reading.detect_delimited import detect_delimited
from nomotax.core.reading.differs import differs_from_detected
from nomotax.core.reading.encoding import detect_encoding
from nomotax.core.reading.model import ArrivingTable, DelimitedReading, Detection
from nomotax.core.reading.profile import profile_table
from nomotax.core.reading.read import Source, detect, read
from nomotax.core.schema.model import StoreField, StoreSchema
from nomotax.core.table import FAULT
from nomotax.demo.load import SENDERS
from nomotax.demo.make import DATA
from tests.core.reading import files
from tests.core.reading.test_reshape import table

WORDS = {
    "cp1251": "Кисть беличья круглая;12,50\nКраска масляная белила;8,30\n",
    "koi8_r": "Кисть беличья круглая;12,50\nКраска масляная белила титановые;8,30\n",
    "cp866": "Кисть беличья круглая;12,50\nКраска масляная;8\n",
    "cp1253": "Πινέλο στρογγυλό;12,50\nΧρώμα λαδιού λευκό;8,30\n",
    "cp1254": "Yağlıboya fırçası;12,50\nSuluboya kâğıdı ışıltılı;8,30\n",
    "shift_jis": "水彩絵具 ホワイト;1250\n油絵用の筆セット;830\n",
    "euc_jp": "水彩絵具 ホワイト;1250\n油絵用の筆セット;830\n",
    "gb18030": "水彩颜料 白色;1250\n油画笔套装;830\n",
    "big5": "水彩顏料 白色;1250\n油畫筆套裝組合;830\n",
    "euc_kr": "수채화 물감 흰색;1250\n유화 붓 세트;830\n",
    "cp1250": "Štětec kulatý přírodní;12,50\nOlejová barva běloba žlutá;8,30\n",
    "iso8859_2": "Pędzel okrągły, włosie;12,50\nFarba żółta, łagodna, śnieżna;8,30\n",
    "cp1252": "Pinceau carré à lavis;12,50\nÖl weiß Größe;8,30 €\n",
    "utf-16": "水彩;12\nŻółć;8\n",
}


@pytest.mark.parametrize("encoding", WORDS)
def test_encodings_are_told_apart_by_their_words(encoding):
    data = (WORDS[encoding] * 6).encode(encoding)
    found, why = detect_encoding(data)
    text = data.decode(found).removeprefix("\ufeff")
    assert text == WORDS[encoding] * 6 and why


@pytest.mark.parametrize(
    ("text", "encoding"),
    [
        ("Varenr;Navn;Vægt\n1;Reb;12\n", "cp1252"),
        ("Nr;Størrelse;Vægt\n1;L;12\n", "cp1252"),
        ("Nr;Høyde;Bredde\n1;3;4\n", "cp1252"),
        ("Nr;Kaffekværn;Bælte og snøre\n", "cp1252"),
        ("Nr;Storlek;Bälte och snöre\n", "cp1252"),
        ("Kód;Barva;Štětec\n1;žlutá;přírodní\n", "cp1250"),
        ("Nr;Głębokość;Szerokość\n", "cp1250"),
    ],
)
def test_a_few_letters_of_a_heading_tell_the_north_from_the_east(text, encoding):
    assert detect_encoding(text.encode(encoding))[0] == encoding


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("List 2026\n\nsku;name;price\n;;EUR\nA;x;1,50\nB;y;2,50\nTotal;;4,00\n",
         {"header_row": 3, "notes_rows": 1, "footer_rows": 1, "decimal": ","}),
        ("a;b\n# remark\n1;2\n# more\n3;4\n", {"comment": "#"}),
        ('a,b\n"12\\" canvas",1\n"x\\"y",2\n', {"escape": "\\"}),
        ("a||b||c\n1||||3\n4||5||6\n", {"delimiter": "||"}),
        ("a¦b\n1¦2\n3¦4\n", {"delimiter": "¦"}),
        ("a;b;;d\n1;2;;4\n5;6;;8\n", {"delimiter": ";"}),
    ],
)  # fmt: skip
def test_the_shape_of_text_is_found(text, expected):
    found = detect_delimited(text.encode()).reading.model_dump()
    assert {k: found[k] for k in expected} == expected


def read_text(tmp_path, text, **choices):
    source = Source(files.put(tmp_path, "a.csv", text.encode()))
    reading = detect(source).reading.model_copy(update=choices)
    return read(source, reading)


def test_titles_notes_totals_and_comments_are_told_with_what_they_hold(tmp_path):
    text = "List 2026\n\nsku;name;price\n;;EUR\nA;x;1,50\n# moved\nB;y;2,50\nTotal;;4,00\n"
    told = read_text(tmp_path, text)
    assert told.frame["sku"].to_list() == ["A", "B"]
    said = {p.kind: p for p in told.problems}
    assert said["title_rows"].examples == ("List 2026",) and said["notes_rows"].examples == ("EUR",)
    assert said["footer_rows"].examples == ("Total | 4,00",) and said["comments"].count == 1
    assert {p.level for p in told.problems} == {"note"}


def test_a_delimiter_that_changes_half_way_is_named(tmp_path):
    text = "a;b;c\n" + "1;2;3\n" * 20 + "4,5,6\n" * 7
    told = {p.kind: p for p in read_text(tmp_path, text).problems}
    assert (told["delimiter_changes"].line, told["delimiter_changes"].count) == (22, 7)


def test_zero_bytes_and_huge_cells_are_named(tmp_path):
    text = "a;b\n1\0;2\n" + "3;" + "x" * (10 << 20) + "\n"
    table = read_text(tmp_path, text)
    said = {p.kind: p for p in table.problems}
    assert table.frame["a"].to_list() == ["1", "3"]
    assert said["zero_bytes"].line == 2 and "10.0 MB" in said["huge_cell"].message


@pytest.mark.parametrize("damaged", ["hold", "empty"])
def test_damaged_barcodes_never_pass(tmp_path, damaged):
    rows = ["9520000000004", "9.52E+12", "9,52044E+12", "952000000000", "1,5E+3", "9520440000000"]
    text = "ean;x\n" + "".join(f"{r};1\n" for r in rows)
    table = read_text(tmp_path, text, damaged=damaged)
    """They arrive as they are, or empty; a field that takes codes refuses them either way."""
    empty = ["9520000000004", None, None, None, "1,5E+3", None]
    assert table.frame["ean"].to_list() == (empty if damaged == "empty" else rows)
    assert table.frame[FAULT].null_count() == len(rows)
    for kind in ("identifier", "gtin"):
        field = StoreField.model_validate({"name": "ean", "kind": kind})
        schema = StoreSchema(name="s", key="ean", fields=(field,))
        walk = Crosswalk(fills={"ean": Fill(parts=(Part(column="ean"),))})
        plan = compile_plan(walk, schema, Context(","), table.columns)
        filled = plan.fill(table.frame)
        wrong = set(problems_of(filled, plan, table.frame)["row"])
        damaged_rows = {n for n, cell in enumerate(empty, 1) if cell is None}
        assert wrong >= damaged_rows if damaged == "hold" else wrong <= {5}
    assert any(p.kind == "damaged_barcode" and p.examples[0] == "9.52E+12" for p in table.problems)


@pytest.mark.parametrize(
    ("values", "looks", "more"),
    [
        (["12/31/2025", "01/02/2026"], "date (month/day/year)", {}),
        (["31/12/2025", "01/02/2026"], "date (day/month/year)", {}),
        (["2026-01-02T10:00:00Z"], "date and time (ISO 8601)", {}),
        (["$ 12.50", "$3"], "money", {"currency": "USD"}),
        (["2 lb", "3.5 lb", "7 oz"], "measure with unit", {"units": ["lb", "oz"]}),
        (["30 x 40 cm", "12x18 cm"], "dimensions", {"units": ["cm"]}),
        (["A > B > C", "A > B", "A > D"], "category path", {"separator": " > "}),
        (["S|M|L", "S|M", "M|L", "S|L", "L|S", "L|M"] * 3, "list", {"separator": "|"}),
        (['["a","b"]', '["c"]'], "list (JSON)", {}),
        (["a.png", "b c.JPG"], "picture file", {}),
        (["ein weicher Pinsel für Aquarell", "ein harter Pinsel für die Ölmalerei",
          "der große Malblock mit festem Papier"], "text", {"language": "de"}),
    ],
)  # fmt: skip
def test_a_profile_says_what_a_column_looks_like(values, looks, more):
    found = profile_table(ArrivingTable(table(c=values), []))[0]
    assert found.looks_like == looks and {k: getattr(found, k) for k in more} == more


@pytest.mark.parametrize(
    ("values", "says"),
    [
        (["1,50", "2.50", "3,10", "7.25"], "decimal comma"),
        (["31/12/2025", "12/31/2025"], "day first"),
        (["€ 5", "$ 6", "€ 7"], "several currencies"),
        (["CafÃ©", "x"], "wrong encoding"),
        (["1", "2", "n/a", "4"], "stand-in for nothing"),
        (["x\u200by"], "invisible"),
        ([f"k{i}" for i in range(40)] + ["k1"], "repeat an earlier value"),
    ],
)
def test_a_profile_says_what_is_odd(values, says):
    found = profile_table(ArrivingTable(table(c=values), []))[0]
    assert any(says in odd for odd in found.odd), found.odd


def test_numbers_have_a_spread_and_large_tables_are_sampled():
    rows = 60_000
    big = table(n=[str(i % 100) for i in range(rows)], key=[f"k{i}" for i in range(rows)])
    numbers, keys = profile_table(ArrivingTable(big, []))
    assert sum(numbers.histogram.counts) == numbers.sampled < rows
    assert (numbers.least, numbers.greatest, numbers.filled) == ("0", "99", rows)
    assert abs(keys.distinct - rows) < rows * 0.2


def test_what_changed_since_last_time_is_said():
    found = Detection(DelimitedReading(delimiter=","), {"delimiter": "a comma gives 9 cells"})
    message = differs_from_detected(DelimitedReading(delimiter=";"), found)[0].message
    assert "';'" in message and "looks like ','" in message and "9 cells" in message


@pytest.mark.parametrize("supplier", SENDERS)
def test_every_suppliers_second_file_is_read_by_the_first_ones_reading(supplier):
    first, second = (Source(DATA / name) for name in SENDERS[supplier].files)
    found = detect(first)
    before, now = read(first, found.reading), read(second, found.reading)
    assert now.complete and now.rows > before.rows * 0.9
    assert before.columns == now.columns
    assert not differs_from_detected(found.reading, detect(second))


def test_a_reading_of_another_format_says_so(tmp_path):
    source = Source(files.put(tmp_path, "a.xml", b"<l><i><a>1</a></i><i/></l>"))
    with pytest.raises(UnreadableFile, match="for delimited text; this file is XML"):
        read(source, DelimitedReading())


def test_several_files_are_one_table_with_their_names(tmp_path):
    data = files.zipped({"a-1.csv": b"k;v\n1;x\n", "a-2.csv": b"k;w\n2;y\n", "z.txt": b"no"})
    source = Source(files.put(tmp_path, "a.zip", data))
    table_ = read(source, DelimitedReading(files=("a-*.csv",), delimiter=";"))
    assert table_.frame.select("k", "v", "w", "File").rows() == [
        ("1", "x", None, "a-1.csv"), ("2", None, "y", "a-2.csv"),
    ]  # fmt: skip
    assert any(p.kind == "differing_columns" for p in table_.problems)
    with pytest.raises(UnreadableFile, match=r"b\*\.csv") as refused:
        read(source, DelimitedReading(files=("b*.csv",)))
    assert "a-1.csv" in refused.value.where


def test_a_preview_reads_only_the_head(tmp_path):
    """What follows the head may be anything: it is not looked at."""
    path = tmp_path / "big.csv"
    path.write_bytes(b"a;b\n" + b"1;2\n" * 700_000 + b'"never closed;' * 3)
    table_ = read(Source(path), DelimitedReading(delimiter=";"), limit=50)
    assert table_.rows == 50 and not table_.problems


def test_streamed_records_beyond_memory_are_whole(tmp_path, monkeypatch):
    """Batches that went to files come back in order, with columns that appear late."""
    from nomotax.core.reading import spool

    monkeypatch.setattr(spool, "_BATCH", 10)
    monkeypatch.setattr(spool, "_IN_MEMORY", 1000)
    lines = [f'{{"a": {i}}}' if i < 90 else f'{{"a": {i}, "late": [{i}, 1]}}' for i in range(100)]
    path = files.put(tmp_path, "a.jsonl", "\n".join(lines).encode() + b"\n")
    frame = read(Source(path), detect(Source(path)).reading).frame
    assert frame["a"].to_list() == [str(i) for i in range(100)]
    assert frame["late"].null_count() == 90 and frame["late"][99] == '["99","1"]'
    assert isinstance(frame, pl.DataFrame)
