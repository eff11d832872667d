"""A streamed file gives the same table however it falls into pieces, and what an independent parser
finds in it."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from hypothesis import given, settings
from hypothesis import strategies as st

from nomotax.core.reading import json_records, json_walk, spool, xml_records
from nomotax.core.reading.model import JsonReading, XmlReading
from nomotax.core.table import FAULT, ROW

NAMES = ("a", "b", "c", "long-name")
text = st.text(st.sampled_from('xyž 水<&"\n\t0'), max_size=6)
#: One child of a record: its name, its text, an attribute, whether it has a child of its own.
child = st.tuples(st.sampled_from(NAMES), text, st.sampled_from(("", "u")), st.booleans())
plain = st.lists(st.tuples(st.sampled_from(NAMES), text), max_size=4, unique_by=lambda c: c[0])
record = st.one_of(
    plain.map(lambda cs: [(n, t, "", False) for n, t in cs]), st.lists(child, max_size=5)
)
#: What stands in a shelf: records, and things between them that are none.
shelf = st.lists(st.one_of(record, st.sampled_from(("note", "other"))), max_size=9)


def xml_of(shelves) -> bytes:
    out = ["<shop>"]
    for n, things in enumerate(shelves):
        out.append(f'<shelf no="{n}">')
        for thing in things:
            if isinstance(thing, str):
                out.append(f"<{thing}>between</{thing}>")
                continue
            cells = "".join(
                f"<{name}{f' u={chr(34)}{unit}{chr(34)}' if unit else ''}>{escape(said)}"
                f"{'<in>deep</in>' if deep else ''}</{name}>"
                for name, said, unit, deep in thing
            )
            out.append(f'<item id="i">{cells}</item>\n')
        out.append("</shelf>")
    return "".join([*out, "</shop>"]).encode()


def own_texts(data: bytes) -> list[dict[str, str]]:
    """The texts of each record's children that are alone and hold nothing else."""
    found = []
    for item in ElementTree.fromstring(data).iter("item"):
        names = [c.tag for c in item]
        found.append(
            {
                c.tag: c.text
                for c in item
                if names.count(c.tag) == 1
                and not (len(c) or c.attrib)
                and c.text
                and c.text.strip()
            }
        )
    return found


@given(st.lists(shelf, min_size=1, max_size=4), st.integers(1, 60), st.integers(1, 4))
@settings(max_examples=60)
def test_xml_is_the_same_table_in_any_stretches(shelves, stretch, pack):
    data, reading = xml_of(shelves), XmlReading(records="shop/shelf/item")
    expected = own_texts(data)
    if not expected:
        return
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.xml"
        path.write_bytes(data)
        whole = xml_records.read_xml(path, reading)
        begun = xml_records.read_xml(path, reading, limit=2).frame
        with (
            mock.patch.object(xml_records, "_STRETCH", stretch),
            mock.patch.object(spool, "_PACK", pack),
            mock.patch.object(spool, "_BATCH", 2 * pack),
            mock.patch.object(spool, "_IN_MEMORY", 0),
        ):
            pieces = xml_records.read_xml(path, reading)
            some = xml_records.read_xml(path, reading, limit=2)
            table = pieces.frame
            first = some.frame
    assert table.equals(whole.frame.select(table.columns)) and whole.complete
    assert set(table.columns) == set(whole.frame.columns)
    assert table[ROW].to_list() == list(range(1, len(expected) + 1))
    assert first.height == begun.height == min(2, len(expected))
    for row, own in zip(table.iter_rows(named=True), expected, strict=True):
        assert row["@id"] == "i" and row["shelf@no"] is not None
        for name, said in own.items():
            assert row[name] in (said, json.dumps([said], ensure_ascii=False))


scalar = st.one_of(text, st.integers(-99, 99).map(str), st.none(), st.booleans(), st.integers())
value = st.one_of(scalar, st.lists(scalar, max_size=3), st.dictionaries(text, scalar, max_size=2))
objects = st.lists(
    st.one_of(
        st.dictionaries(st.sampled_from(NAMES), text, max_size=4),
        st.dictionaries(st.sampled_from(NAMES), value, max_size=4),
    ),
    min_size=1,
    max_size=12,
)


@given(
    objects, st.integers(1, 40), st.sampled_from((None, 1)), st.sampled_from((", ", ",", " ,\n"))
)
@settings(max_examples=60)
def test_json_is_the_same_table_in_any_pieces(records, chunk, indent, comma):
    document = json.dumps({"items": records}, ensure_ascii=False, indent=indent)
    if indent is None:
        inside = comma.join(json.dumps(r, ensure_ascii=False) for r in records)
        document = f'{{"items": [{inside}]}}'
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.json"
        path.write_text(document, encoding="utf-8")
        whole = json_records.read_json(path, JsonReading(records="items")).frame
        with (
            mock.patch.object(json_walk, "_CHUNK", chunk),
            mock.patch.object(spool, "_PACK", 1),
            mock.patch.object(spool, "_BATCH", 3),
        ):
            pieces = json_records.read_json(path, JsonReading(records="items")).frame
        path.write_text("\n".join(json.dumps(r) for r in records), encoding="utf-8")
        lines = json_records.read_json(path, JsonReading(lines=True)).frame
    assert pieces.equals(whole.select(pieces.columns)) and lines.equals(whole.select(lines.columns))
    assert set(pieces.columns) == set(whole.columns) == set(lines.columns)
    assert whole.height == len(records)
    for row, given_ in zip(whole.iter_rows(named=True), records, strict=True):
        for name, said in given_.items():
            if isinstance(said, str) and said:
                assert row[name] in (said, json.dumps([said], ensure_ascii=False))


flat = st.dictionaries(
    st.sampled_from(NAMES),
    st.one_of(text, st.lists(st.one_of(text, st.none()), min_size=1, max_size=3)),
    max_size=4,
)


@given(st.lists(flat, min_size=1, max_size=20), st.integers(1, 5), st.booleans())
def test_a_spool_loses_no_cell_and_makes_none_up(records, pack, strip):
    with (
        mock.patch.object(spool, "_PACK", pack),
        mock.patch.object(spool, "_BATCH", 2 * pack),
        mock.patch.object(spool, "_IN_MEMORY", 40),
    ):
        kept = spool.Spool(strip=strip)
        for n in range(0, len(records), 3):
            kept.add(records[n : n + 3])
        frame = kept.finish().collect()
    listed = {n for r in records for n, v in r.items() if isinstance(v, list)}

    def cell(name: str, said: str | list[str | None] | None) -> str | None:
        if isinstance(said, list):
            return json.dumps(said, ensure_ascii=False, separators=(",", ":"))
        if not said or (strip and not said.strip()):
            return None
        return json.dumps([said], ensure_ascii=False) if name in listed else said

    expected = [{n: cell(n, v) for n, v in r.items()} for r in records]
    names = {n for r in expected for n, v in r.items() if v is not None}
    assert set(frame.columns) == names | {ROW, FAULT} and kept.rows == frame.height
    for row, wanted in zip(frame.iter_rows(named=True), expected, strict=True):
        assert {n: row[n] for n in names} == {n: wanted.get(n) for n in names}
