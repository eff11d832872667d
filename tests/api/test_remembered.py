"""Values that are declined until their supplier says something else: the lamp maker's list, weeks
that repeat themselves and then do not."""

from __future__ import annotations

import pytest

from tests.api.test_deciding import FIRST, HEAD, decide, lamps  # noqa: F401  # a fixture
from tests.api.test_goods import receive
from tests.api.test_matching import prepare
from tests.api.test_path import catalog, get, send, take_back


def week(client, work, feed, *rows):
    """The next list, prepared: its first rows are these; gives the run and what changes in it."""
    rest = [line for line in FIRST if line.split(";")[0] not in {r.split(";")[0] for r in rows}]
    text = HEAD + "".join(f"{row}\n" for row in rows) + "".join(rest)
    receive(client, feed, "liste.csv", text.encode("cp1252"))
    run = prepare(client, work, feed)["id"]
    found = get(client, f"/runs/{run}/rows", status="changed", limit=400)["rows"]
    return run, {r["key"]: {c["field"]: c["after"] for c in r["changes"]} for r in found}


def apply(client, work, run):
    send(client, "post", f"/runs/{run}/apply", None, 202)
    work()
    assert get(client, f"/runs/{run}")["status"] == "applied"


def remember(client, run, field="", **of):
    body = {"verdict": "decline", "of": of, "field": field, "remember": True}
    return send(client, "post", f"/runs/{run}/decisions", body, 201)


def declined(client, key):
    found = get(client, f"/stores/1/products/{key}")["declined"]
    return [(one["field"], one["value"], one["run_id"]) for one in found]


@pytest.fixture
def begun(client, work, lamps):  # noqa: F811  # the fixture of another module
    """The lamps' feed with its first list, and nothing prepared of the second."""
    feed = get(client, f"/runs/{lamps}")["feed_id"]
    send(client, "post", f"/runs/{lamps}/decline", {})
    return feed


def test_what_is_declined_stays_so_until_the_supplier_changes_it(client, work, begun):
    run, changes = week(client, work, begun, "LU-1;Lampe une;9,00;1", "LU-2;Lampe 2;9,00;2")
    assert changes == {"LU-1": {"name": "Lampe une", "price": "9.00"}, "LU-2": {"price": "9.00"}}
    remember(client, run, "price", status="changed")
    said = get(client, f"/runs/{run}/decisions")["decisions"][0]["said"]
    assert said == "Price of all changed, until the supplier changes it"
    apply(client, work, run)
    assert catalog(client)["LU-1"]["price"] == "1.00"
    assert declined(client, "LU-1") == [("price", "9.00", run)]
    # The same value again changes nothing, and the line says why; another field of it does.
    again, changes = week(client, work, begun, "LU-1;Lampe I;9,00;1", "LU-2;Lampe 2;9,00;2")
    assert changes == {"LU-1": {"name": "Lampe I"}}
    same = get(client, f"/runs/{again}/rows", status="same", search="LU-2")["rows"][0]
    assert same["reason"] == "declined before: Price 9.00"
    apply(client, work, again)
    # Another value is asked about again; what was declined before is over with it.
    third, changes = week(client, work, begun, "LU-1;Lampe I;8,00;1", "LU-2;Lampe 2;9,00;2")
    assert changes == {"LU-1": {"price": "8.00"}}
    apply(client, work, third)
    assert declined(client, "LU-1") == [] and declined(client, "LU-2") == [("price", "9.00", run)]
    _, changes = week(client, work, begun, "LU-1;Lampe I;9,00;1", "LU-2;Lampe 2;9,00;2")
    assert changes == {"LU-1": {"price": "9.00"}}


def test_it_goes_and_comes_back_with_the_runs_that_are_undone(client, work, begun):
    run, _ = week(client, work, begun, "LU-1;Lampe 1;9,00;1")
    remember(client, run, keys=["LU-1"])
    apply(client, work, run)
    other, _ = week(client, work, begun, "LU-1;Lampe 1;7,00;1")
    apply(client, work, other)
    assert declined(client, "LU-1") == []
    take_back(client, work, other)
    assert declined(client, "LU-1") == [("price", "9.00", run)]
    back = take_back(client, work, run)
    assert declined(client, "LU-1") == []
    take_back(client, work, back["id"])
    assert declined(client, "LU-1") == [("price", "9.00", run)]


def test_it_is_forgotten_by_a_person_and_is_of_its_feed_alone(client, work, begun):
    run, _ = week(client, work, begun, "LU-1;Lampe 1;9,00;1", "LU-9;Spot;3,00;1")
    decide(client, run, "decline", keys=["LU-1"])
    remember(client, run, "price", keys=["LU-1"])
    # New products and what is gone come again: what is declined is a value of a product.
    remember(client, run, status="new")
    apply(client, work, run)
    one = get(client, "/stores/1/products/LU-1")["declined"][0]
    assert (one["label"], one["feed"], one["feed_id"]) == ("Price", "Liste", begun)
    send(client, "delete", f"/stores/1/declined/{one['id']}")
    gone = send(client, "delete", f"/stores/1/declined/{one['id']}", None, 404)
    assert gone["detail"] == "This is forgotten already."
    again, changes = week(client, work, begun, "LU-1;Lampe 1;9,00;1", "LU-9;Spot;3,00;1")
    assert changes == {"LU-1": {"price": "9.00"}}
    assert get(client, f"/runs/{again}")["counts"]["new"] == 1


def test_a_product_says_what_waiting_runs_would_change(client, work, begun):
    run, _ = week(client, work, begun, "LU-1;Lampe une;9,00;1")
    decide(client, run, "decline", "name", keys=["LU-1"])
    coming = get(client, "/stores/1/products/LU-1")["coming"]
    assert [(one["run_id"], one["line"]["status"]) for one in coming] == [(run, "changed")]
    changes = {c["field"]: (c["before"], c["after"], c["declined"])
               for c in coming[0]["line"]["changes"]}  # fmt: skip
    assert changes == {"name": ("Lampe 1", "Lampe une", True), "price": ("1.00", "9.00", False)}
    assert get(client, "/stores/1/products/LU-2")["coming"] == []
    apply(client, work, run)
    assert get(client, "/stores/1/products/LU-1")["coming"] == []


def test_what_an_undo_leaves_alone_is_not_about_to_change(client, work, begun):
    run, _ = week(client, work, begun, "LU-1;Lampe une;9,00;1")
    apply(client, work, run)
    send(client, "put", "/stores/1/products/LU-1", {"values": {"price": "8.00"}})
    undo = send(client, "post", f"/runs/{run}/undo", None, 201)["id"]
    work()
    assert get(client, f"/runs/{undo}")["counts"]["stays"] == 1
    coming = get(client, "/stores/1/products/LU-1")["coming"]
    assert [one["run_id"] for one in coming] == [undo]
    assert [c["field"] for c in coming[0]["line"]["changes"]] == ["name"]
