"""Values that are declined until their supplier says something else: the lamp maker's list, weeks
that repeat themselves and then do not."""

from __future__ import annotations

import random

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
def begun(client, work, lamps, once):  # noqa: F811  # the fixture of another module
    """The lamps' feed with its first list, and nothing prepared of the second."""

    @once
    def begun():
        feed = get(client, f"/runs/{lamps}")["feed_id"]
        send(client, "post", f"/runs/{lamps}/decline", {})
        return feed

    return begun


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
    apply(client, work, run)
    one = get(client, "/stores/1/products/LU-1")["declined"][0]
    assert (one["label"], one["feed"], one["feed_id"]) == ("Price", "Liste", begun)
    send(client, "delete", f"/stores/1/declined/{one['id']}")
    gone = send(client, "delete", f"/stores/1/declined/{one['id']}", None, 404)
    assert gone["detail"] == "This is forgotten already."
    again, changes = week(client, work, begun, "LU-1;Lampe 1;9,00;1", "LU-9;Spot;3,00;1")
    assert changes == {"LU-1": {"price": "9.00"}}
    assert get(client, f"/runs/{again}")["counts"]["same"] == len(FIRST)


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


def fates(client, run):
    found = get(client, f"/runs/{run}/rows", limit=400)["rows"]
    return {r["key"]: (r["status"], r["reason"]) for r in found}


def test_a_new_product_is_not_made_until_its_row_says_something_else(client, work, begun):
    run, _ = week(client, work, begun, "LU-8;Spot;3,00;1", "LU-9;Spot 2;3,00;1")
    remember(client, run, keys=["LU-8", "LU-9"])
    apply(client, work, run)
    again, _ = week(client, work, begun, "LU-8;Spot;3,00;1", "LU-9;Spot neuf;3,00;1")
    told = fates(client, again)
    assert told["LU-8"] == ("left out", "declined before: a product of its own")
    assert told["LU-9"][0] == "new"
    assert get(client, f"/runs/{again}")["counts"]["left out"] == 1
    apply(client, work, again)
    assert "LU-9" in catalog(client) and "LU-8" not in catalog(client)
    # A person has it after all, and the run is prepared again by that.
    third, _ = week(client, work, begun, "LU-8;Spot;3,00;1", "LU-9;Spot neuf;3,00;1")
    (row,) = get(client, f"/runs/{third}/rows", search="LU-8")["rows"]
    send(client, "post", f"/runs/{third}/taken-again", {"row": row["row"]}, 202)
    work()
    assert fates(client, third)["LU-8"][0] == "new"
    lost = send(client, "post", f"/runs/{third}/taken-again", {"row": row["row"]}, 404)
    assert lost["detail"] == f"No product of row {row['row']} was declined before."


def test_it_is_made_where_the_run_in_which_it_was_declined_is_taken_back(client, work, begun):
    run, _ = week(client, work, begun, "LU-8;Spot;3,00;1")
    remember(client, run, keys=["LU-8"])
    apply(client, work, run)
    take_back(client, work, run)
    last, _ = week(client, work, begun, "LU-8;Spot;3,00;1")
    assert fates(client, last)["LU-8"][0] == "new"


def test_what_is_gone_stays_where_that_was_declined_until_it_comes_and_goes_again(
    client, work, begun
):
    bench = get(client, f"/feeds/{begun}/bench")
    document = bench["crosswalk"] | {"policy": {"missing": "hide"}}
    body = {"crosswalk": document, "revision": bench["revision"]}
    send(client, "put", f"/feeds/{begun}/draft", body)

    def without(key):
        text = HEAD + "".join(line for line in FIRST if not line.startswith(f"{key};"))
        receive(client, begun, "liste.csv", text.encode("cp1252"))
        return prepare(client, work, begun)["id"]

    run = without("LU-3")
    assert get(client, f"/runs/{run}")["moving"] == 1
    remember(client, run, keys=["LU-3"])
    apply(client, work, run)
    # It is told once that something is gone: nobody is asked again while it is.
    again = without("LU-3")
    assert get(client, f"/runs/{again}")["counts"]["gone"] == 0
    apply(client, work, again)
    assert get(client, "/stores/1/products/LU-3")["product"]["state"] == "live"
    back, _ = week(client, work, begun)
    apply(client, work, back)
    assert get(client, f"/runs/{without('LU-3')}")["moving"] == 1


@pytest.mark.parametrize("seed", [3, 4])
def test_new_products_over_the_weeks_are_as_a_plain_memory_has_it(client, work, begun, seed):
    """Three articles that come, go and say other things, declined for once or until they change."""
    draw = random.Random(seed)
    there: set[str] = set()
    memory: dict[str, str] = {}
    for _ in range(6):
        rows = {f"LU-{n}": draw.choice(["Spot;3,00;1", "Spot;4,00;1"]) for n in (7, 8, 9)}
        rows = {key: said for key, said in rows.items() if draw.random() < 0.8}
        run, _changes = week(client, work, begun, *(f"{k};{said}" for k, said in rows.items()))
        told = fates(client, run)
        for key, said in rows.items():
            if key in there:
                assert told[key][0] in ("same", "changed"), key
            elif memory.get(key) == said:
                assert told[key] == ("left out", "declined before: a product of its own"), key
            else:
                assert told[key][0] == "new", key
        fresh = [key for key in rows if told[key][0] == "new"]
        once, until = ([key for key in fresh if draw.random() < 0.4] for _ in range(2))
        if once:
            decide(client, run, "decline", keys=once)
        if until:
            remember(client, run, keys=until)
        apply(client, work, run)
        for key, said in rows.items():
            if memory.get(key) not in (None, said):
                del memory[key]
            if key in until:
                memory[key] = said
            elif key in fresh and key not in once:
                there.add(key)
        assert {k for k in catalog(client) if k in ("LU-7", "LU-8", "LU-9")} == there
