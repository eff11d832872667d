"""For any table: writing it in any format and reading it back changes nothing; a damaged file
gives a table with named problems or a clear error."""

from __future__ import annotations

import random
import re
import tempfile
import zipfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from nomotax.core.errors import NomotaxError
from nomotax.core.reading.mending import mended
from nomotax.core.reading.model import DelimitedReading, JsonReading, WorkbookReading, XmlReading
from nomotax.core.reading.profile import profile_table
from nomotax.core.reading.read import Source, detect, read
from nomotax.core.table import FAULT, ROW
from nomotax.demo.load import DATA
from tests.core.reading import files

_SCRIPTS = "abcXYZ 019-/äéñßœŁżČřğışАЖяΩλ水彩紙한글עבריתعربي€£\"'<>&;,|{}[]\\#"
#: Text as suppliers write it, in any script; no blanks at the ends, nothing that only looks empty.
cell = st.text(st.sampled_from(_SCRIPTS), max_size=9).filter(lambda t: t == t.strip())
tables = st.integers(1, 5).flatmap(
    lambda width: st.lists(
        st.lists(cell, min_size=width, max_size=width).filter(any), min_size=1, max_size=8
    )
)
WRITERS = {
    "csv": (files.delimited, DelimitedReading(delimiter=";")),
    "utf-16": (
        lambda n, r: b"\xff\xfe" + files.delimited(n, r, encoding="utf-16-le"),
        DelimitedReading(delimiter=";", encoding="utf-16-le"),
    ),
    "tab": (
        lambda n, r: files.delimited(n, r, "\t", ending="\n"),
        DelimitedReading(delimiter="\t"),
    ),
    "xlsx": (files.xlsx, WorkbookReading()),
    "xls": (files.xls, WorkbookReading()),
    "ods": (files.ods, WorkbookReading()),
    "xml": (files.xml, XmlReading(records="list/item")),
    "json": (files.json_list, JsonReading(records="items")),
    "jsonl": (files.json_lines, JsonReading(lines=True)),
}


def read_bytes(data: bytes, reading, name="file"):
    with tempfile.TemporaryDirectory() as folder:
        path = files.put(Path(folder), name, data)
        table = read(Source(path, name), reading or detect(Source(path, name)).reading)
        return table, table.frame


@pytest.mark.parametrize("kind", WRITERS)
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(rows=tables)
def test_what_is_written_is_read(kind, rows):
    write, reading = WRITERS[kind]
    names = [f"c{n}" for n in range(len(rows[0]))]
    table, frame = read_bytes(write(names, rows), reading)
    wanted = [[c or None for c in row] for row in rows]
    columns = [n for n in names if n in frame.columns]  # no record names a column of nothing
    assert all(wanted[r][c] is None for r in range(len(rows)) for c in _absent(names, columns))
    kept = [[row[names.index(n)] for n in columns] for row in wanted]
    assert [list(r) for r in frame.select(columns).iter_rows()] == kept
    assert frame[ROW].to_list() == list(range(1, len(rows) + 1))
    assert frame[FAULT].null_count() == frame.height and table.complete


def _absent(names, columns):
    return [i for i, n in enumerate(names) if n not in columns]


@settings(max_examples=20, deadline=None)
@given(rows=tables, delimiter=st.sampled_from(["||", "::", "|~|", "¦", "<>"]))
def test_long_and_foreign_delimiters(rows, delimiter):
    """A delimiter of several characters cuts, and inside quotes it does not."""
    names = [f"c{n}" for n in range(len(rows[0]))]
    quoted = [delimiter.join('"' + c.replace('"', '""') + '"' for c in r) for r in [names, *rows]]
    reading = DelimitedReading(delimiter=delimiter)
    _, frame = read_bytes("\n".join(quoted).encode(), reading)
    assert [list(r) for r in frame.select(names).iter_rows()] == [
        [c or None for c in r] for r in rows
    ]


@pytest.mark.parametrize("password", ["", "open sesame"])
@pytest.mark.parametrize("kind", ["csv", "xlsx", "xml", "jsonl"])
def test_the_same_table_comes_out_of_archives(kind, password):
    rows = [["水彩", "12"], ["Żółć", "0007"]]
    inner = {f"deep/items.{kind}": WRITERS[kind][0](["c0", "c1"], rows)}
    data = files.zipped(inner, password)
    with tempfile.TemporaryDirectory() as folder:
        source = Source(files.put(Path(folder), "a.zip", data), "a.zip", password)
        found = detect(source)
        frame = read(source, found.reading).frame
    assert found.reading.files == (f"deep/items.{kind}",)
    assert [list(r) for r in frame.select("c0", "c1").iter_rows()] == rows


def test_a_gzip_file_is_what_it_holds():
    table, frame = read_bytes(files.packed(b"a;b\n1;2\n"), None, "list.csv.gz")
    assert frame.select("a", "b").rows() == [("1", "2")] and table.complete


SOURCES = {
    "csv": (DATA / "quarrow-week-1.csv").read_bytes()[:60_000].rsplit(b"\r\n", 1)[0] + b"\r\n",
    "xml": (DATA / "sollund-week-1.xml").read_bytes().split(b"  <shelf", 3)[0]
    + b"  <shelf".join([b"", *(DATA / "sollund-week-1.xml").read_bytes().split(b"  <shelf")[1:3]])
    + b"</book:pricebook>",
    "xlsx": (DATA / "brindlecombe-week-1.xlsx").read_bytes(),
    "zip": (DATA / "castelune-week-1.zip").read_bytes(),
    "jsonl": files.json_lines(
        ["sku", "name", "n"], [[f"S{i}", f"n{i}", str(i)] for i in range(200)]
    ),
    "json": files.json_list(["sku", "name", "n"], [[f"S{i}", f"n{i}", str(i)] for i in range(200)]),
    "xls": files.xls(["sku", "name"], [[f"S{i}", f"n{i}"] for i in range(200)]),
    "ods": files.ods(["sku", "name"], [[f"S{i}", f"n{i}"] for i in range(60)]),
}


#: What an XLSX with a password looks like from outside.
LOCKED = b"\xd0\xcf\x11\xe0" + bytes(900) + "EncryptedPackage".encode("utf-16-le")
MANY = b"a;b\n" + b"".join(b"%d;x%d\n" % (i, i * 7919) for i in range(4000))


def damage(data: bytes, rng: random.Random) -> tuple[str, bytes]:
    """One of the ways a file comes to harm: cut off, bytes turned, a stretch lost or doubled."""
    way, at = rng.randrange(4), rng.randrange(len(data))
    length = rng.randrange(1, max(2, len(data) // 8))
    if way == 0:
        return "cut", data[:at]
    if way == 1:
        turned = bytearray(data)
        for _ in range(rng.randrange(1, 12)):
            turned[rng.randrange(len(data))] = rng.randrange(256)
        return "turned", bytes(turned)
    if way == 2:
        return "lost", data[:at] + data[at + length :]
    return "doubled", data[: at + length] + data[at:]


#: Damaged files of each kind.
DAMAGED = 25


@pytest.mark.parametrize("kind", SOURCES)
def test_damaged_files_are_never_a_crash_nor_a_silent_loss(kind):
    """200 damaged files in all: each a clear error, or a table whose losses are told."""
    rng, whole = random.Random(kind), SOURCES[kind]
    _, before = read_bytes(whole, None)
    clear = 0
    for n in range(DAMAGED):
        way, data = damage(whole, rng)
        try:
            table, frame = read_bytes(data, None)
            if n % 4 == 0:
                profile_table(table)
        except NomotaxError as error:
            assert error.message and "Traceback" not in str(error)
            clear += 1
            continue
        assert frame.height == frame[ROW].n_unique()
        if frame.height < before.height and (way == "cut" or kind in ("xlsx", "ods", "zip", "xls")):
            # Text that is cut between two lines, or lost a stretch of whole ones, shows no wound.
            unseen = kind in ("csv", "jsonl") and data.endswith(b"\n")
            assert unseen or table.problems or frame.columns != before.columns, (way, len(data))
    assert clear < DAMAGED or kind in ("xlsx", "ods", "zip")  # a checksum guards those


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("page.csv", b"\n<!DOCTYPE html><html><body>gone</body></html>", "web page"),
        ("page.xml", b"<?xml version='1.0'?><html xmlns='x'><p>gone</p></html>", "web page"),
        ("pic.csv", b"\x89PNG\r\n\x1a\n" + bytes(80), "PNG picture"),
        ("doc.csv", b"%PDF-1.4 ....", "PDF"),
        ("cut.zip", files.zipped({"a.csv": b"a;b\n1;2\n" * 400})[:60], "cut off or damaged"),
        ("cut.xlsx", SOURCES["xlsx"][:9000], "cut off or damaged"),
        ("bomb.xml", b"<!DOCTYPE x [<!ENTITY a 'aa'>]><x><y>&a;</y></x>", "entities"),
        ("locked.xlsx", LOCKED, "encrypted"),
        ("wide.csv", (";".join(f"c{i}" for i in range(5000)) + "\n").encode(), "5,000 columns"),
        ("none.xml", b"<?xml version='1.0'?><nothing/>", "no records"),
        ("none.json", b'{"a": 1, "b": [1, 2', "JSON"),
        ("pics.zip", files.zipped({"a.png": b"x"}), "no file that could be a table"),
        ("up.zip", files.zipped({"../../etc/evil.csv": b"a;b\n1;2\n"}), "outside its folder"),
        ("bomb.zip", files.zipped({"a.csv": bytes(80 << 20)}), "fill a disk"),
    ],
    ids=lambda value: value if isinstance(value, str) else "data",
)  # fmt: skip
def test_what_cannot_be_read_says_why_and_what_to_do(name, data, says):
    with pytest.raises(NomotaxError) as refused:
        table, frame = read_bytes(data, None, name)
        assert not table.complete, frame
        raise NomotaxError(table.problems[0].message, where="x", remedy="ask")
    assert re.search(says, str(refused.value)), refused.value
    assert refused.value.where or refused.value.remedy


@pytest.mark.parametrize("given", ["", "wrong"])
def test_a_missing_or_wrong_password_is_said(given, tmp_path):
    path = files.put(tmp_path, "a.zip", files.zipped({"a.csv": b"a;b\n1;2\n"}, "right"))
    with pytest.raises(NomotaxError, match="password") as refused:
        detect(Source(path, "a.zip", given))
    assert refused.value.where == "'a.csv'" and refused.value.remedy


@pytest.mark.parametrize(
    ("data", "rows"),
    [
        (b"<list>" + b"".join(b"<item><a>%d</a></item>" % i for i in range(9)) + b"<item><a", 9),
        (b'{"items": [{"a": 1}, {"a": 2}, {"a":', 2),
        (b'{"a": "1"}\n{"a": "2"}\n{"a": "3', 2),
        (files.packed(MANY)[:9000], None),
        (files.zipped({"a.csv": MANY, "b.csv": MANY})[:-60], 4000),
        (files.zipped({"a.csv": MANY})[:9000], None),
    ],
)  # fmt: skip
def test_what_stands_before_a_break_can_be_looked_at(data, rows):
    table, frame = read_bytes(data, None, "list.csv.gz")
    assert not table.complete and "broken_off" in {p.kind for p in table.problems}
    assert frame.height == rows if rows else 100 < frame.height < 4000
    assert all(p.level == "broken" for p in table.problems if p.kind == "broken_off")


@settings(max_examples=60)
@given(
    contents=st.lists(st.binary(min_size=1, max_size=400), min_size=1, max_size=5),
    method=st.sampled_from([zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED]),
    streamed=st.booleans(),
    data=st.data(),
)
def test_an_archive_cut_anywhere_keeps_every_whole_file(contents, method, streamed, data):
    """Files whose last byte arrived come out as they are; the next may break off, and no other
    bytes are ever made up."""
    names = [f"d/{n}.csv" for n in range(len(contents))]
    packed = files.zipped_streaming if streamed else files.zipped
    whole = packed(dict(zip(names, contents, strict=True)), method=method)
    ends = files.ends_in(whole)
    cut = data.draw(st.integers(4, len(whole)))
    with tempfile.TemporaryDirectory() as folder:
        path = files.put(Path(folder), "a.zip", whole[:cut])
        try:
            with mended(path) as (mended_path, told), zipfile.ZipFile(mended_path) as archive:
                found = {i.filename: archive.read(i) for i in archive.infolist()}
        except NomotaxError as refused:
            assert refused.remedy
            found, told = {}, ["refused"]
    arrived = [n for n, end in zip(names, ends, strict=True) if end <= cut]
    for name in arrived:
        assert found.get(name) == contents[names.index(name)] or told == ["refused"]
    for name, came in found.items():
        assert contents[names.index(name)].startswith(came)
    assert told or cut == len(whole)
    assert not arrived or found
