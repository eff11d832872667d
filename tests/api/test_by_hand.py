"""Values written by hand on the product: each a run, undone like any other."""

from __future__ import annotations

from copy import deepcopy

import pytest

from nomotax.records.database import session
from nomotax.records.repositories import Stores
from tests.api.test_path import BUNDLE, catalog, get, prepare, send, take_back

KEY = "QP-003999"


@pytest.fixture
def written(client):
    """Writes values into a product; gives it as it then is."""

    def write(values, status=200, key=KEY, **more):
        return send(client, "put", f"/stores/1/products/{key}", {"values": values, **more}, status)

    return write


def test_a_value_written_by_hand_is_a_run_with_its_history(client, written):
    before = catalog(client)
    shown = written({"stock": "12", "price": "9.5"})
    assert shown["product"]["content"]["price"] == "9.50"
    (entry,) = shown["history"]
    assert entry["run_kind"] == "edit" and entry["undone_by"] is None
    assert {(c["field"], c["after"]) for c in entry["changes"]} == {
        ("stock", "12"), ("price", "9.50")}  # fmt: skip
    run = get(client, f"/runs/{entry['run_id']}")
    assert (run["kind"], run["status"], run["feed_id"], run["version"]) == (
        "edit", "applied", None, None)  # fmt: skip
    assert get(client, "/stores/1/runs")["runs"][0]["id"] == run["id"]
    rows = get(client, f"/runs/{run['id']}/rows")["rows"]
    assert [c["before"] for r in rows for c in r["changes"] if c["field"] == "price"] == [
        before[KEY]["price"]
    ]
    after = catalog(client)
    assert {k for k in after if after[k] != before[k]} == {KEY}


def test_it_is_undone_and_done_again_like_any_other_run(client, written, work):
    before = catalog(client)
    run = written({"name": "Called otherwise", "brand": None})["history"][0]["run_id"]
    after = catalog(client)
    assert after[KEY]["name"] == "Called otherwise" and not after[KEY]["brand"]
    page = get(client, "/stores/1/products", search="called otherwise")
    assert [p["key"] for p in page["products"]] == [KEY]
    undo = take_back(client, work, run)
    assert catalog(client) == before
    take_back(client, work, undo["id"])
    assert catalog(client) == after


def test_what_a_person_wrote_stays_when_an_earlier_run_is_undone(client, written, work):
    before = catalog(client)
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = prepare(client, work)["id"]
    send(client, "post", f"/runs/{run}/apply", status=202)
    work()
    rows = get(client, f"/runs/{run}/rows", status="changed", field="price", limit=1)["rows"]
    key = rows[0]["key"]
    hand = written({"price": "77"}, key=key)["history"][0]["run_id"]
    undo = take_back(client, work, run)
    stays = get(client, f"/runs/{undo['id']}/rows", status="stays", search=key)["rows"]
    assert f"Price stays as run {hand} wrote it" in stays[0]["reason"]
    assert catalog(client)[key]["price"] == "77.00"
    take_back(client, work, hand)
    assert catalog(client) == before


def test_a_run_prepared_before_is_stale_where_a_person_wrote(client, written, work):
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = prepare(client, work)["id"]
    key = get(client, f"/runs/{run}/rows", status="changed", field="price")["rows"][0]["key"]
    written({"price": "77"}, key=key)
    send(client, "post", f"/runs/{run}/apply", status=202)
    work()
    shown = get(client, f"/runs/{run}")
    assert shown["status"] == "prepared" and f"{key} (price)" in shown["since"]
    (line,) = get(client, f"/runs/{run}/rows", again=True)["rows"]
    assert shown["again"] == 1 and line["key"] == key
    assert [c["before"] for c in line["changes"] if c["field"] == "price"] == ["77.00"]
    send(client, "post", f"/runs/{run}/apply", status=202)
    work()
    assert get(client, f"/runs/{run}")["status"] == "applied"


@pytest.mark.parametrize(
    ("values", "more", "status", "says"),
    [
        ({"price": "dear"}, {}, 422, "Price"),
        ({"name": ""}, {}, 422, "must not be empty"),
        ({"category": "No such > Branch"}, {}, 422, "Category"),
        ({"sku": "X"}, {}, 422, "key"),
        ({"no_field": "x"}, {}, 422, "no field"),
        ({}, {}, 422, ""),
        ({"stock": "5"}, {"saw": {"stock": "999"}}, 409, "by now"),
    ],
)
def test_what_cannot_be_written_changes_nothing(client, written, values, more, status, says):
    before = catalog(client)
    told = written(values, status, **more)
    assert says in str(told)
    assert catalog(client) == before and get(client, "/stores/1/runs")["runs"] == []


def test_what_is_there_already_is_no_run(client, written):
    price = catalog(client)[KEY]["price"]
    assert "already" in written({"price": price}, 409)["detail"]
    written({"price": "1"}, 404, key="nobody")


def test_a_value_that_all_products_must_differ_in_is_no_others(client, written):
    with session() as db:
        store = Stores(db).get(1)
        document = deepcopy(store.schema_document)
        (field,) = [f for f in document["fields"] if f["name"] == "gtin"]
        field["constraints"] = {"unique": True}
        store.schema_document = document
    other = next(p for k, p in catalog(client).items() if k != KEY and p["gtin"])
    told = written({"gtin": other["gtin"]}, 422)
    assert f"is that of {other['sku']} already" in told["detail"]
    written({"gtin": "9520000000004"})
