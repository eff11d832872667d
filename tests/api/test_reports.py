"""A run told to others: a rope maker's list in Dutch, with faults of its own, beside the demo."""

from __future__ import annotations

import io

import openpyxl
import polars as pl
import pytest

from tests.api.test_deciding import decide
from tests.api.test_goods import receive
from tests.api.test_matching import apply, crosswalk, draw, prepare
from tests.api.test_path import get, send, take_back, unguarded

HEAD = "Artikel;Omschrijving;Inkoop;Aantal\n"
FIRST = [f"TW-{n};Touw {n};{n},50;{n}\n" for n in range(1, 7)]
#: One dearer, one cheaper, one emptied, one new; three that only their supplier can mend.
NEXT = ["TW-1;Touw 1;3,00;1\n", "TW-2;Touw 2;1,25;2\n", "TW-3;Touw 3;3,50;0\n",
        "TW-4;Touw 4;op aanvraag;4\n", ";Touw 5;5,50;5\n", "TW-6;Touw 6;6,50;6;los\n",
        "TW-9;Lijn 9;9,00;9\n"]  # fmt: skip


@pytest.fixture
def ropes(client, work, once):
    """The second week's run, prepared, with a margin of the store's in its price."""

    @once
    def begun():
        body = {"supplier": "Touwslagerij Aalders", "name": "Prijslijst"}
        feed = unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])
        receive(client, feed, "lijst.csv", (HEAD + "".join(FIRST)).encode("utf-8"))
        document = crosswalk({"sku": "Artikel", "name": "Omschrijving", "price": "Inkoop",
                              "cost": "Inkoop", "stock": "Aantal"})  # fmt: skip
        number = {"do": "number", "style": "comma"}
        document["fills"]["price"]["steps"] = [number, {"do": "scale", "times": "2"}]
        document["fills"]["cost"]["steps"] = [number]
        document["fills"]["stock"]["steps"] = [{"do": "number"}]
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        draw(client, feed, document)
        apply(client, work, feed)
        receive(client, feed, "lijst.csv", (HEAD + "".join(NEXT)).encode("utf-8"))
        return prepare(client, work, feed)["id"]

    return begun


def told(client, run, what="changes"):
    data = client.get(f"/api/v1/runs/{run}/{what}?format=csv").data
    return pl.read_csv(io.BytesIO(data), infer_schema=False)


def test_every_changed_value_is_told_with_its_difference_and_what_is_decided(client, ropes):
    decide(client, ropes, "decline", "stock", keys=["TW-3"])
    own = {"verdict": "correct", "of": {"keys": ["TW-2"]}, "field": "price", "value": "2.60"}
    send(client, "post", f"/runs/{ropes}/decisions", own, 201)
    changed = told(client, ropes).filter(pl.col("status") == "changed")
    assert changed.select("key", "field", "before", "after", "difference", "percent",
                          "decision").rows() == [
        ("TW-1", "Cost", "1.50", "3.00", "1.5", "100.0", None),
        ("TW-1", "Price", "3.00", "6.00", "3", "100.0", None),
        ("TW-2", "Cost", "2.50", "1.25", "-1.25", "-50.0", None),
        ("TW-2", "Price", "5.00", "2.60", "-2.4", "-48.0", "corrected by hand"),
        ("TW-3", "Stock", "3", "0", "-3", "-100.0", "declined"),
    ]  # fmt: skip
    assert changed["supplier"].unique().to_list() == ["Touwslagerij Aalders"]
    new = told(client, ropes).filter(pl.col("status") == "new")
    assert new["before"].null_count() == new.height > 0
    assert new["title"].unique().to_list() == ["Lijn 9"]
    assert new["category"].unique().to_list() == ["Painting"]


def test_a_workbook_has_the_sums_beside_the_changes(client, work, ropes):
    decide(client, ropes, "decline", keys=["TW-1"])
    data = client.get(f"/api/v1/runs/{ropes}/changes?format=xlsx").data
    book = openpyxl.load_workbook(io.BytesIO(data))
    assert book.sheetnames == ["Changes", "By category", "By supplier"]
    cells = [[c.value for c in row] for row in book["By supplier"].iter_rows()]
    head = ["supplier", "products", "new", "changed", "gone", "dearer", "cheaper", "middle_percent"]
    assert cells == [head, ["Touwslagerij Aalders", 3, 1, 2, 0, 0, 1, -50],
                     ["all", 3, 1, 2, 0, 0, 1, -50]]  # fmt: skip
    # What is taken back is told, too, whoever's the products are.
    send(client, "post", f"/runs/{ropes}/apply", None, 202)
    work()
    back = told(client, take_back(client, work, ropes)["id"])
    assert {*back["supplier"]} == {"Touwslagerij Aalders"}
    assert ("TW-2", "Price", "2.50", "5.00") in back.select(
        "key", "field", "before", "after"
    ).rows()


def test_the_supplier_is_told_what_to_mend_and_nothing_of_the_store(client, work, ropes):
    own = told(client, ropes, "to-mend")
    assert own.rows() == [
        ("4", "TW-4", "Touw 4", "Inkoop", "op aanvraag", "is no number"),
        ("5", "", "Touw 5", "Artikel", "", "is empty"),
        ("6", "TW-6", "Touw 6", "", "", own["what"][2]),
    ]
    assert "5 cells where the header has 4" in own["what"][2]
    text = client.get(f"/api/v1/runs/{ropes}/to-mend?format=jsonl").data.decode()
    assert not any(ours in text for ours in ("Cost", "Price", "Painting", "SKU", "Quarrow"))
    edit = send(client, "put", "/stores/1/products/TW-1", {"values": {"stock": "4"}}, 200)
    assert edit, get(client, "/stores/1/runs")
    newest = max(run["id"] for run in get(client, "/stores/1/runs")["runs"])
    refused = client.get(f"/api/v1/runs/{newest}/to-mend")
    assert refused.status_code == 409 and "of no delivery" in refused.json["detail"]


def test_a_run_that_changes_nothing_is_told_as_nothing(client, work, ropes):
    send(client, "post", f"/runs/{ropes}/apply", None, 202)
    work()
    feed = get(client, f"/runs/{ropes}")["feed_id"]
    same = prepare(client, work, feed)["id"]
    assert told(client, same).height == 0 and told(client, same).columns[0] == "key"
    book = client.get(f"/api/v1/runs/{same}/changes?format=xlsx")
    assert openpyxl.load_workbook(io.BytesIO(book.data))["By supplier"].max_row == 1
