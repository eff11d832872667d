"""Lines of a run that have something in common: a tea merchant's list in Turkish whose groups and
makers are the supplier's own words."""

from __future__ import annotations

import pytest

from tests.api.test_deciding import decide
from tests.api.test_goods import receive
from tests.api.test_matching import apply, crosswalk, draw, prepare
from tests.api.test_path import get, unguarded
from tests.api.test_path import send as sent

HEAD = "Kod;Ürün;Fiyat;Grup;row;Seri\n"
FIRST = [f"CY-{n};Çay {n};{n},00;{'Siyah' if n % 3 else 'Yeşil'};{n % 2};S{n // 2}\n"
         for n in range(1, 25)]  # fmt: skip
#: Six dearer, of both groups; two rejected, one of them without a group; a new maker in a new
#: group with three variants of one product, and one that is none.
NEXT = [line.replace(",00", ",50") if n < 6 else line for n, line in enumerate(FIRST)]
NEXT[10] = "CY-11;Çay 11;pahalı;Siyah;1;S5\n"
NEXT[11] = "CY-12;Çay 12;pahalı;;0;S6\n"
NEXT += [f"CY-{n};Demlik {n};9,00;Demlik;7;{'S90' if n < 93 else 'S93'}\n" for n in range(90, 94)]


@pytest.fixture
def tea(client, work, once):
    """The second week's run, prepared."""

    @once
    def begun():
        body = {"supplier": "Çınar Çay", "name": "Liste"}
        feed = unguarded(client, sent(client, "post", "/stores/1/feeds", body, 201)["id"])
        receive(client, feed, "liste.csv", (HEAD + "".join(FIRST)).encode("utf-8"))
        document = crosswalk({"sku": "Kod", "name": "Ürün", "price": "Fiyat", "brand": "Grup",
                              "variant_of": "Seri"})  # fmt: skip
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        document["fills"]["options"] = {"parts": [{"text": "Kod: "}, {"column": "Kod"}]}
        draw(client, feed, document)
        apply(client, work, feed)
        receive(client, feed, "liste.csv", (HEAD + "".join(NEXT)).encode("utf-8"))
        return prepare(client, work, feed)["id"]

    return begun


def keys(client, run, **of):
    found = get(client, f"/runs/{run}/rows", limit=400, **of)["rows"]
    return [row["key"].removeprefix("CY-") for row in found if row["key"]]


def grouped(client, run, group, **of):
    found = get(client, f"/runs/{run}/groups", group=group, **of)
    return {one["word"]: one["count"] for one in found["groups"]}


def test_lines_are_grouped_by_columns_as_they_arrived_and_decided_so(client, tea):
    by = {one["by"]: one["label"] for one in get(client, f"/runs/{tea}/summary")["groupings"]}
    assert by["file:Grup"] == "Grup" and by["file:row"] == "row" and "sku" not in by
    changed = grouped(client, tea, "file:Grup", status="changed")
    assert changed == {"Siyah": 4, "Yeşil": 2}
    assert keys(client, tea, by="file:Grup", word="Yeşil", status="changed") == ["3", "6"]
    # A column may be named as ours are, and a cell may be empty.
    assert keys(client, tea, by="file:row", word="7") == ["90", "91", "92", "93"]
    assert keys(client, tea, by="file:Grup", word="") == ["12"]
    assert keys(client, tea, by="file:No such", word="x") == []
    assert grouped(client, tea, "no_such") == {}
    of = {"by": "file:Grup", "word": "Yeşil", "status": "changed"}
    decide(client, tea, "decline", **of)
    told = get(client, f"/runs/{tea}/decisions")
    assert (told["decisions"][0]["said"], told["declined"]) == (
        "all changed with Grup “Yeşil”", 2
    )  # fmt: skip
    assert told["writing"] == {"changed": 4, "new": 4}


def test_rows_are_shown_by_the_reason_why_they_are_refused(client, tea):
    summary = get(client, f"/runs/{tea}/summary")
    reasons = {one["kind"]: one["count"] for one in summary["reasons"]}
    assert reasons["not_a_number"] == 2
    assert keys(client, tea, status="rejected", reason="not_a_number") == ["11", "12"]
    assert keys(client, tea, reason="repeated_key") == []
    assert grouped(client, tea, "file:Grup", reason="not_a_number") == {"Siyah": 1, "": 1}


def test_new_products_variants_and_words_are_counted_apart(client, work, tea):
    summary = get(client, f"/runs/{tea}/summary")
    # Names are no words, and of a first delivery nothing is told: all of it may be new.
    assert summary["strange"] == [
        {"field": "brand", "label": "Brand", "count": 1, "some": ["Demlik"]}
    ]
    assert summary["made"] == {"products": 2, "variants": 3}
    assert keys(client, tea, by="brand", word="Demlik") == ["90", "91", "92", "93"]
    first = get(client, "/stores/1/runs")["runs"][-1]
    earlier = get(client, f"/runs/{first['id']}/summary")
    assert earlier["strange"] == [] and earlier["made"] == {"products": 13, "variants": 22}
