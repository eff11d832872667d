"""What a run may do: make, change, whose products, which fields, and what becomes of those that
a feed no longer brings. A nursery's price list in German, beside the demo's suppliers."""

from __future__ import annotations

import io

import pytest

from tests.api.test_goods import receive
from tests.api.test_path import BUNDLE, catalog, get, send, unguarded
from tests.api.test_path import take_back as undo

FIELDS = {"sku": "Nr", "name": "Bezeichnung", "price": "Preis", "stock": "Bestand"}
HEAD = "Nr;Bezeichnung;Preis;Bestand\n"
BOX, ROSE, YEW = "BH-001;Buchs;4,50;12\n", "BH-002;Rose;9,90;3\n", "BH-003;Eibe;14,00;0\n"


@pytest.fixture
def nursery(client):
    body = {"supplier": "Blumenhof", "name": "Preisliste"}
    return unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])


def rule(client, feed, policy, writes=None):
    """Set what the feed may do."""
    writes = writes or {}
    fills = {f: {"parts": [{"column": c}], "writes": writes.get(f, "always")}
             for f, c in FIELDS.items()}  # fmt: skip
    fills["price"]["steps"] = [{"do": "number"}]
    fills["category"] = {"parts": [{"text": "Painting"}]}
    bench = get(client, f"/feeds/{feed}/bench")
    document = {"crosswalk": {"fills": fills, "policy": policy}, "revision": bench["revision"]}
    return send(client, "put", f"/feeds/{feed}/draft", document)


def run(client, work, feed, *lines):
    """Deliver, prepare and apply; gives the run and its counts."""
    receive(client, feed, "liste.csv", (HEAD + "".join(lines)).encode("cp1252"))
    if get(client, f"/feeds/{feed}/bench")["revision"] == 0:
        rule(client, feed, {})
    made = send(client, "post", f"/feeds/{feed}/runs", status=201)
    work()
    found = get(client, f"/runs/{made['id']}")
    assert found["status"] == "prepared", found
    send(client, "post", f"/runs/{made['id']}/apply", None, 202)
    work()
    applied = get(client, f"/runs/{made['id']}")
    assert applied["status"] == "applied", applied
    return applied, {name: n for name, n in applied["counts"].items() if n}


def lines(client, run, status):
    return {r["key"]: r for r in get(client, f"/runs/{run['id']}/rows", status=status)["rows"]}


def state(client, key):
    return get(client, f"/stores/1/products/{key}")["product"]["state"]


@pytest.mark.parametrize(
    ("missing", "shows"),
    [("stock_0", ("live", "0")), ("hide", ("hidden", "3")), ("archive", ("archived", "3"))],
)
def test_what_a_feed_no_longer_brings_is_moved_seen_put_back_and_undone(
    client, work, nursery, missing, shows
):
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {"missing": missing})
    run(client, work, nursery, BOX, ROSE, YEW)
    before = catalog(client)
    gone, counts = run(client, work, nursery, BOX, YEW)
    assert counts == {"same": 2, "gone": 1}
    [line] = lines(client, gone, "gone").values()
    assert (
        line["key"] == "BH-002" and len(line["changes"]) == 1 and "this delivery" in line["reason"]
    )
    product = get(client, "/stores/1/products/BH-002")
    assert (product["product"]["state"], product["product"]["content"]["stock"]) == shows
    assert product["history"][0]["run_id"] == gone["id"]
    # It comes back as it was, by itself, with the row that names it again.
    back, counts = run(client, work, nursery, BOX, ROSE, YEW)
    assert counts == {"changed": 1, "same": 2} and catalog(client) == before
    assert state(client, "BH-002") == "live"
    undo(client, work, back["id"])
    undo(client, work, gone["id"])
    assert catalog(client) == before and state(client, "BH-002") == "live"


def test_it_counts_deliveries_and_takes_out_what_is_missing_long_enough(client, work, nursery):
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {"missing": "take_out", "after": 2})
    run(client, work, nursery, BOX, ROSE)
    once, _ = run(client, work, nursery, BOX)
    assert lines(client, once, "gone")["BH-002"]["changes"] == []
    assert "1 of 2 deliveries" in lines(client, once, "gone")["BH-002"]["reason"]
    twice, _ = run(client, work, nursery, BOX)
    assert lines(client, twice, "gone")["BH-002"]["changes"] and "BH-002" not in catalog(client)
    _, counts = run(client, work, nursery, BOX)
    assert counts == {"same": 1}, "what is out is not missed again"
    # A file with nothing of the feed's is another file: nobody's stock is taken away by it.
    other, counts = run(client, work, nursery, YEW)
    assert counts == {"new": 1, "gone": 1} and "BH-001" in catalog(client)
    assert "nothing that this feed brought" in lines(client, other, "gone")["BH-001"]["reason"]


def test_a_person_who_hid_a_product_is_not_overruled(client, work, nursery):
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {"missing": "hide", "state": "hidden"})
    run(client, work, nursery, BOX, ROSE)
    assert state(client, "BH-001") == "hidden", "new ones wait for a person"
    send(client, "put", "/stores/1/products/BH-001", {"values": {}, "state": "live"})
    send(client, "put", "/stores/1/products/BH-002", {"values": {}, "state": "archived"})
    _, counts = run(client, work, nursery, BOX, ROSE)
    assert counts == {"same": 2}
    assert (state(client, "BH-001"), state(client, "BH-002")) == ("live", "archived")


def test_fields_are_written_when_their_rule_says(client, work, nursery):
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {}, {"name": "new", "stock": "empty"})
    run(client, work, nursery, BOX, "BH-002;Rose;9,90;\n")
    _, counts = run(client, work, nursery, "BH-001;Box;5,00;1\n", "BH-002;Rosa;9,90;7\n")
    held = {key: p for key, p in catalog(client).items() if key.startswith("BH-")}
    assert counts == {"changed": 2}
    assert [(p["name"], p["price"], p["stock"]) for _, p in sorted(held.items())] == [
        ("Buchs", "5.00", "12"), ("Rose", "9.90", "7"),
    ]  # fmt: skip


def test_only_new_products_are_made_or_only_those_that_are_there_change(client, work, nursery):
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {"products": "make"})
    run(client, work, nursery, BOX)
    made, counts = run(client, work, nursery, "BH-001;Buchs;1,00;1\n", ROSE)
    assert counts == {"new": 1, "left out": 1} and catalog(client)["BH-001"]["price"] == "4.50"
    assert "only makes new products" in lines(client, made, "left out")["BH-001"]["reason"]
    rule(client, nursery, {"products": "change"})
    changed, counts = run(client, work, nursery, "BH-001;Buchs;1,00;1\n", YEW)
    assert counts == {"changed": 1, "rejected": 1} and catalog(client)["BH-001"]["price"] == "1.00"
    assert "is not in the catalog" in lines(client, changed, "rejected")["BH-003"]["reason"]


def test_a_stock_list_covers_the_products_of_another_supplier(client, work, nursery):
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    first = send(client, "post", "/feeds/1/runs", status=201)
    work()
    send(client, "post", f"/runs/{first['id']}/apply", None, 202)
    work()
    key = next(k for k in catalog(client) if k.startswith("QP-"))
    row = f"{key};Anderes;1,00;77\n"
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {})
    refused, counts = run(client, work, nursery, BOX, row)
    assert counts == {"new": 1, "rejected": 1}
    assert "a feed changes only its own" in lines(client, refused, "rejected")[key]["reason"]
    rule(client, nursery, {"others": "change", "products": "change"}, dict.fromkeys(
        ("name", "price"), "never"))  # fmt: skip
    _, counts = run(client, work, nursery, BOX, row)
    assert counts == {"changed": 1, "same": 1} and catalog(client)[key]["stock"] == "77"
    # What the list no longer has is sold out, whoever's it is; unless others are refused.
    for others, stock in (("refuse", "77"), ("change", "0")):
        rule(client, nursery, {"others": others, "products": "change", "missing": "stock_0"},
             dict.fromkeys(("name", "price"), "never"))  # fmt: skip
        gone, counts = run(client, work, nursery, BOX)
        assert counts == {"same": 1, "gone": 1} and catalog(client)[key]["stock"] == stock
        undo(client, work, gone["id"])


def test_another_feed_brings_back_nothing_that_this_one_has_hidden(client, work, nursery):
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {"missing": "hide"})
    run(client, work, nursery, BOX, ROSE)
    run(client, work, nursery, BOX)
    body = {"supplier": "Textwerk", "name": "Texte"}
    texts = unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])
    receive(client, texts, "texte.csv", (HEAD + ROSE).encode())
    rule(client, texts, {"products": "change", "others": "change"})
    _, counts = run(client, work, texts, "BH-002;Rose, rot;9,90;3\n")
    assert counts == {"changed": 1} and state(client, "BH-002") == "hidden"
    run(client, work, nursery, BOX, ROSE)
    assert state(client, "BH-002") == "live"


@pytest.mark.parametrize(
    ("policy", "says"),
    [({"after": 0}, "after"), ({"missing": "burn"}, "missing"), ({"products": "none"}, "products"),
     ({"whatever": 1}, "whatever")],
)  # fmt: skip
def test_rules_that_are_none_are_refused(client, nursery, policy, says):
    form = {"file": (io.BytesIO(HEAD.encode() + BOX.encode()), "liste.csv")}
    assert client.post(f"/api/v1/feeds/{nursery}/deliveries", data=form).status_code == 201
    bench = get(client, f"/feeds/{nursery}/bench")
    document = {"crosswalk": {"policy": policy}, "revision": bench["revision"]}
    answer = client.put(f"/api/v1/feeds/{nursery}/draft", json=document)
    assert answer.status_code in (400, 422) and says in answer.text


def test_products_made_hidden_are_published_together_seen_before_and_undone(client, work, nursery):
    receive(client, nursery, "liste.csv", (HEAD + BOX).encode())
    rule(client, nursery, {"state": "hidden"})
    run(client, work, nursery, BOX, ROSE, YEW)
    keys = ("BH-001", "BH-002", "BH-003")
    assert {state(client, key) for key in keys} == {"hidden"}
    live = {"to": "live", "search": "bh-00", "state": "hidden"}
    made = send(client, "post", "/stores/1/states", live, 201)["id"]
    work()
    seen = get(client, f"/runs/{made}")
    assert (seen["status"], seen["counts"], seen["kind"]) == ("prepared", {"changed": 3}, "edit")
    [first, *_] = get(client, f"/runs/{made}/rows")["rows"]
    assert (first["key"], first["changes"][0]["before"]) == ("BH-001", "hidden")
    assert {state(client, key) for key in keys} == {"hidden"}
    send(client, "post", f"/runs/{made}/apply", None, 202)
    work()
    assert {state(client, key) for key in keys} == {"live"}
    history = get(client, "/stores/1/products/BH-002")["history"]
    assert (history[0]["run_id"], history[0]["run_kind"]) == (made, "edit")
    again = send(client, "post", "/stores/1/states", live | {"state": ""}, 409)
    assert again["detail"] == "All 3 products are live already." and again["remedy"]
    none = send(client, "post", "/stores/1/states", live | {"search": "nowhere"}, 409)
    assert none["detail"] == "There is no product here."
    undo(client, work, made)
    assert {state(client, key) for key in keys} == {"hidden"}


def test_what_the_store_says_of_a_field_holds_for_every_feed(client, work, nursery):
    """A title that feeds write only of new products, whatever the fill says; a person still may."""
    run(client, work, nursery, BOX, ROSE)
    fields = get(client, "/stores/1/schema")["product_schema"]["fields"]
    was = next(f for f in fields if f["name"] == "name")
    edit = {"was": was, "field": was | {"writes": "new"}, "before": ""}
    send(client, "post", "/stores/1/schema/fields", edit)
    fields = get(client, f"/feeds/{nursery}/bench")["fields"]
    source = next(f["source"] for f in fields if f["field"]["name"] == "name")
    assert source == "Bezeichnung; by any feed only of new products"
    renamed, cheaper = BOX.replace("Buchs", "Buxus"), ROSE.replace("9,90", "8,90")
    run(client, work, nursery, renamed, cheaper.replace("Rose", "Rosa"), YEW)
    store = catalog(client)
    assert [store[f"BH-00{n}"]["name"] for n in (1, 2, 3)] == ["Buchs", "Rose", "Eibe"]
    assert store["BH-002"]["price"] == "8.90"
    send(client, "put", "/stores/1/products/BH-001", {"values": {"name": "Buxus"}})
    assert catalog(client)["BH-001"]["name"] == "Buxus"


def test_products_are_deleted_together_seen_before_and_come_back_by_undo_or_a_feed(
    client, work, nursery
):
    run(client, work, nursery, BOX, ROSE, YEW)
    chosen = [{"field": "$key", "test": "any of", "value": "BH-001\nBH-002"}]
    made = send(client, "post", "/stores/1/states", {"to": "out", "where": chosen}, 201)["id"]
    work()
    assert get(client, f"/runs/{made}")["file_name"] == "2 products taken out"
    change = get(client, f"/runs/{made}/rows")["rows"][0]["changes"][0]
    assert (change["before"], change["after"]) == ("live", "taken out")
    assert {state(client, key) for key in ("BH-001", "BH-002")} == {"live"}
    send(client, "post", f"/runs/{made}/apply", None, 202)
    work()
    assert "BH-001" not in catalog(client) and "BH-003" in catalog(client)
    client.get("/api/v1/stores/1/products/BH-001")
    assert client.get("/api/v1/stores/1/products/BH-001").status_code == 404
    none = send(client, "post", "/stores/1/states", {"to": "out", "where": chosen}, 409)
    assert none["detail"] == "There is no product here."
    undo(client, work, made)
    assert {state(client, key) for key in ("BH-001", "BH-002")} == {"live"}
    one = [{"field": "$key", "test": "is", "value": "BH-002"}]
    again = send(client, "post", "/stores/1/states", {"to": "out", "where": one}, 201)["id"]
    work()
    assert get(client, f"/runs/{again}")["file_name"] == "BH-002 taken out"
    send(client, "post", f"/runs/{again}/apply", None, 202)
    work()
    run(client, work, nursery, BOX, ROSE, YEW)
    assert state(client, "BH-002") == "live"
