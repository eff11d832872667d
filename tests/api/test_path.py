"""The whole path through the API, on a real PostgreSQL."""

from __future__ import annotations

import io
import json

import polars as pl
import pytest

from nomotax.core.reading.delimited import read_delimited
from nomotax.core.reading.detect_delimited import detect_delimited
from nomotax.demo.load import DATA, SENDERS, SUPPLIER

BUNDLE = json.loads((DATA / "quarrow-crosswalk.json").read_text())


def get(client, path, **query):
    answer = client.get(f"/api/v1{path}", query_string=query or None)
    assert answer.status_code == 200, answer.text
    return answer.json


def send(client, method, path, body=None, status=200):
    answer = getattr(client, method)(f"/api/v1{path}", json=body)
    assert answer.status_code == status, answer.text
    return answer.json


def prepare(client, work, delivery=None):
    query = f"?delivery_id={delivery}" if delivery else ""
    run = send(client, "post", f"/feeds/1/runs{query}", status=201)
    work()
    return get(client, f"/runs/{run['id']}")


def next_week(client, feed=1, supplier=SUPPLIER):
    """The second file of one of the demo's suppliers, brought by hand."""
    name = SENDERS[supplier].files[1]
    form = {"file": (io.BytesIO((DATA / name).read_bytes()), name)}
    answer = client.post(f"/api/v1/feeds/{feed}/deliveries", data=form)
    assert answer.status_code == 201, answer.text
    return answer.json


def unguarded(client, feed):
    """The feed without guards: what is tried is something else, with few rows that change a lot."""
    own = get(client, f"/feeds/{feed}/guards")["guards"]
    off = [guard | {"on": False} for guard in own]
    send(client, "put", f"/feeds/{feed}/guards", {"guards": off})
    return feed


def take_back(client, work, run):
    """Takes a run back by a run of its own; gives that one, applied."""
    made = send(client, "post", f"/runs/{run}/undo", status=201)
    work()
    send(client, "post", f"/runs/{made['id']}/apply", status=202)
    work()
    return get(client, f"/runs/{made['id']}")


def catalog(client):
    """Every product's content by key, as the outbound file tells it."""
    data = client.get("/api/v1/stores/1/outbound").data
    rows = read_delimited(data, detect_delimited(data).reading).frame
    return {r["sku"]: r for r in rows.drop("__row", "__fault").iter_rows(named=True)}


@pytest.fixture
def mapped(client):
    """The demo with Quarrow's crosswalk in place."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    return client


def test_a_delivery_waits_and_is_read(client):
    feeds = {f["supplier"]: f for f in get(client, "/stores/1/arrivals")["feeds"]}
    feed = feeds["Quarrow Pigments"]
    assert feed["mapped"] == 0
    delivery = get(client, f"/deliveries/{feed['deliveries'][0]['id']}")
    assert delivery["reading"]["encoding"] == "cp1252" and delivery["rows"] == 1188
    raw = get(client, "/deliveries/1/raw")
    assert raw["lines"][0].startswith("ArtNo;EAN;D\xe9signation")


def test_another_reading_is_kept_on_the_feed(client):
    reading = get(client, "/deliveries/1")["reading"]
    wrong = send(client, "put", "/deliveries/1/reading", {"reading": reading | {"delimiter": ","}})
    assert wrong["why"]["delimiter"].startswith("saved on this feed")
    assert any(p["kind"] == "broken_row" for p in wrong["problems"])
    right = send(client, "put", "/deliveries/1/reading", {"reading": reading})
    assert len(right["columns"]) == 27
    arrived = next_week(client)["id"]
    assert get(client, f"/deliveries/{arrived}")["reading"] == reading


def test_suggestions_and_answers_leave_nothing_open(client):
    """Accept what is sure, answer the rest: then every row has a fate but the faulty ones."""
    state = send(client, "post", "/feeds/1/suggestions/accept", {"least": 70})
    key, price = (
        next(s for s in state["suggestions"] if s["field"] == f) for f in ("sku", "price")
    )
    assert not key["sure"] and not price["sure"]  # one prefixes, the other prices by itself
    crosswalk = state["crosswalk"]
    crosswalk["fills"] |= {one["field"]: one["fill"] for one in (key, price)}
    edit = {"crosswalk": crosswalk, "revision": state["revision"]}
    state = send(client, "put", "/feeds/1/draft", edit)
    filled = {f["field"]["name"]: f for f in state["fields"] if f["source"]}
    assert len(filled) >= 27 and filled["sku"]["source"] == "ArtNo"
    assert get(client, "/feeds/1/window", limit=1)["results"][0][0] == "QP-004000"
    places = BUNDLE["category_tables"][0]["placements"]
    send(
        client,
        "put",
        "/feeds/1/categories",
        {"table": "Quarrow Pigments categories", "places": places},
    )
    for table in BUNDLE["value_tables"]:
        send(client, "put", "/feeds/1/values", {"table": table["name"], "words": table["entries"]})
    questions = get(client, "/feeds/1/questions")["questions"]
    assert [q["kind"] for q in questions] == ["column"] and questions[0]["subject"] == "Remark"
    crosswalk = get(client, "/feeds/1/bench")["crosswalk"]
    edit = {"crosswalk": crosswalk | {"left_out": ["Remark"]}, "revision": state["revision"]}
    assert send(client, "put", "/feeds/1/draft", edit)["undecided"] == []
    assert get(client, "/feeds/1/questions")["questions"] == []


def test_the_bench_shows_each_step_and_filters_rows(mapped):
    detail = get(mapped, "/feeds/1/fields/net_weight", row=3)
    assert [s["value"] for s in detail["stages"]] == ["6", "6", "0.006", "0.006"]
    bad = get(mapped, "/feeds/1/window", only="gtin")
    assert bad["total"] == 4 and all("r" in m for m in bad["marks"])
    found = get(mapped, "/feeds/1/window", search="prussian", limit=5)
    assert 0 < found["total"] < 60 and len(found["rows"]) == 5
    state = get(mapped, "/feeds/1/bench")
    gtin = next(f for f in state["fields"] if f["field"]["name"] == "gtin")
    assert (gtin["filled"], gtin["refused"]) == (1188, 4)


def test_a_column_can_be_parked(mapped):
    state = get(mapped, "/feeds/1/bench")
    crosswalk = state["crosswalk"] | {"left_out": [], "parked": {"Remark": "spare_1"}}
    edit = {"crosswalk": crosswalk, "revision": state["revision"]}
    after = send(mapped, "put", "/feeds/1/draft", edit)
    spare = next(f for f in after["fields"] if f["field"]["name"] == "spare_1")
    assert spare["source"] == "Remark" and after["undecided"] == []


def test_prices_over_the_real_products(mapped):
    view = get(mapped, "/feeds/1/prices")
    assert view["products"] == 1183 and sum(r["count"] for r in view["rungs"]) == 1183
    assert view["up"] + view["down"] + view["same"] + view["new"] == 1183
    margins = [float(p["margin"]) for p in view["worst"]]
    assert margins == sorted(margins)
    flat = view["ladder"] | {"rungs": [{"start": "0", "kind": "markup", "amount": "0"}]}
    trial = send(mapped, "post", "/feeds/1/prices/try", {"ladder": flat | {"ending": "none"}})
    assert float(trial["worst"][0]["margin"]) < 20
    assert get(mapped, "/feeds/1/prices")["ladder"] == view["ladder"]


def test_each_price_level_has_a_ladder_and_a_view_of_its_own(mapped):
    """A second price is laddered, too: it is looked at beside its own prices of today."""
    first = get(mapped, "/feeds/1/prices")
    assert list(first["levels"]) == ["price"]
    state = get(mapped, "/feeds/1/bench")
    fills = state["crosswalk"]["fills"]
    double = first["ladder"] | {"name": "double"}
    double["rungs"] = [{"start": "0", "kind": "markup", "amount": "100"}]
    send(mapped, "put", "/stores/1/ladders", double)
    steps = [
        s | {"ladder": "double"} if s["do"] == "ladder" else s for s in fills["price"]["steps"]
    ]
    fills["list_price"] = fills["price"] | {"steps": steps}
    edit = {"crosswalk": state["crosswalk"], "revision": state["revision"]}
    send(mapped, "put", "/feeds/1/draft", edit)
    assert get(mapped, "/feeds/1/prices") == first | {
        "levels": {"price": "Price", "list_price": "List price"}, "fields": first["fields"],
        "ladders": sorted([*first["ladders"], "double"]),
    }  # fmt: skip
    other = get(mapped, "/feeds/1/prices", level="list_price")
    assert (other["field"], other["ladder"]["name"]) == ("list_price", "double")
    key = other["worst"][0]["key"]
    held = catalog(mapped).get(key, {}).get("list_price")
    assert other["worst"][0]["before"] == held


def test_two_weeks(mapped, work):
    """Prepare, apply, next week, apply: counts add up, the catalog is what the changeset said."""
    before = catalog(mapped)
    run = prepare(mapped, work)
    assert run["status"] == "prepared" and catalog(mapped) == before
    counts = run["counts"]
    assert counts == {"new": 878, "changed": 291, "same": 0, "held": 0, "rejected": 19,
                      "left out": 0, "gone": 0}  # fmt: skip
    page = get(mapped, "/runs/1/rows", status="rejected", search="QP-007001")
    assert "belongs to Brindlecombe Brushes" in page["rows"][0]["reason"]
    send(mapped, "post", "/runs/1/apply", status=202)
    work()
    after = catalog(mapped)
    assert get(mapped, "/runs/1")["status"] == "applied"
    assert len(after) == len(before) + 878 and after["QP-003999"] == before["QP-003999"]

    next_week(mapped)
    asked = get(mapped, "/feeds/1/questions")["questions"]
    assert {(q["kind"], q["subject"]) for q in asked} == {("value", "T"),
                                                         ("category", "Paint/Casein")}  # fmt: skip
    second = prepare(mapped, work)
    assert second["counts"]["held"] == 21 and second["counts"]["gone"] > 0
    summary = get(mapped, f"/runs/{second['id']}/summary")
    moved = {f["field"] for f in summary["fields"][:4]}
    assert moved == {"cost", "list_price", "price", "stock"}
    line = get(mapped, f"/runs/{second['id']}/rows", field="cost", limit=1)["rows"][0]
    cost = next(c for c in line["changes"] if c["field"] == "cost")
    assert 3.5 < float(cost["percent"]) < 4.5

    words = {"table": "Quarrow Pigments colour", "words": {"T": "Turquoise"}}
    send(mapped, "put", "/feeds/1/values", words)
    places = {
        "table": "Quarrow Pigments categories",
        "places": {"Paint/Casein": "Painting > Casein"},
    }
    send(mapped, "put", "/feeds/1/categories", places)
    assert get(mapped, "/feeds/1/questions")["questions"] == []
    third = prepare(mapped, work)
    assert third["version"] == 2 and third["counts"]["held"] == 0
    send(mapped, "post", f"/runs/{third['id']}/apply", status=202)
    work()
    tree = {c["path"]: c["count"] for c in get(mapped, "/stores/1/categories")["categories"]}
    assert tree["Painting > Casein"] == 12
    product = get(mapped, "/stores/1/products/QP-008000")
    assert product["product"]["content"]["colour"] == "Turquoise"
    assert product["history"][0]["kind"] == "new"


def test_outbound_files_are_read_again_by_our_own_reader(mapped, work):
    run = prepare(mapped, work)
    send(mapped, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    names = [f["name"] for f in get(mapped, "/stores/1/schema")["product_schema"]["fields"]]
    data = mapped.get(f"/api/v1/stores/1/outbound?run_id={run['id']}").data
    table = read_delimited(data, detect_delimited(data).reading)
    assert table.columns == names and table.rows == 878 + 291 and not table.problems
    shown = get(mapped, "/stores/1/products/QP-004001")["product"]["content"]
    row = table.frame.filter(pl.col("sku") == "QP-004001").row(0, named=True)
    assert {k: v for k, v in row.items() if v is not None and k in names} == shown
    result = pl.read_csv(
        io.BytesIO(mapped.get(f"/api/v1/runs/{run['id']}/result").data), infer_schema=False
    )
    assert result.filter(pl.col("row").is_not_null()).height == 1188


@pytest.mark.parametrize("kind", ["csv", "jsonl", "parquet", "xlsx"])
def test_outbound_pieces_are_one_file_in_the_order_of_keys(client, monkeypatch, kind):
    """However the rows come out of the database, none is lost and the heading stands once."""
    from nomotax.flows import outbound

    def cut(store, fields, whole=outbound.products_by_key):
        for piece in whole(store, fields):
            yield from piece.iter_slices(7)

    monkeypatch.setattr(outbound, "products_by_key", cut)
    data = client.get(f"/api/v1/stores/1/outbound?format={kind}").data
    if kind == "csv":
        table = pl.read_csv(data, infer_schema=False)
    elif kind == "jsonl":
        table = pl.DataFrame(
            [json.loads(line) for line in data.splitlines()], infer_schema_length=None
        )
    else:
        table = pl.read_parquet(data) if kind == "parquet" else pl.read_excel(data)
    keys = table["sku"].cast(pl.String).to_list()
    assert len(keys) == 400 and keys == sorted(set(keys))
    assert client.get("/api/v1/stores/9/outbound").status_code == 404
    assert client.get("/api/v1/stores/1/outbound?run_id=9").status_code == 404


def test_undo_puts_everything_back_exactly(mapped, work):
    before = catalog(mapped)
    run = prepare(mapped, work)
    send(mapped, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    assert catalog(mapped) != before
    undone = take_back(mapped, work, run["id"])
    assert undone["status"] == "applied" and undone["undoes"] == run["id"]
    assert get(mapped, f"/runs/{run['id']}")["status"] == "undone"
    assert catalog(mapped) == before
    tree = {c["path"]: c["count"] for c in get(mapped, "/stores/1/categories")["categories"]}
    assert sum(n for path, n in tree.items() if " > " not in path) == len(before)


def test_what_a_later_run_wrote_stays_when_an_earlier_one_is_undone(mapped, work):
    """Undone in this order or the other, the catalog is as before both."""
    before = catalog(mapped)
    first = prepare(mapped, work)["id"]
    send(mapped, "post", f"/runs/{first}/apply", status=202)
    work()
    next_week(mapped)
    second = prepare(mapped, work)["id"]
    send(mapped, "post", f"/runs/{second}/apply", status=202)
    work()
    held = catalog(mapped)
    undone = take_back(mapped, work, first)
    assert get(mapped, f"/runs/{first}")["status"] == "undone" and undone["counts"]["stays"] > 0
    left = catalog(mapped)
    stays = get(mapped, f"/runs/{undone['id']}/rows", status="stays", limit=400)["rows"]
    later = [row for row in stays if row["changes"]]
    assert later and len(later) < len(stays)
    for row in later:
        assert f"as run {second} wrote it" in row["reason"]
        for change in row["changes"]:
            key = row["key"]
            assert left[key][change["field"]] == held[key][change["field"]] == change["before"]
    history = get(mapped, f"/stores/1/products/{later[0]['key']}")["history"]
    assert [h["undone_by"] for h in history] == [None, undone["id"]]
    take_back(mapped, work, second)
    assert {k: v for k, v in catalog(mapped).items() if k in before} == before


def test_an_undo_is_undone_like_any_other_run(mapped, work):
    """And that, too: the catalog goes to and fro, each time as it was."""
    before = catalog(mapped)
    run = prepare(mapped, work)["id"]
    send(mapped, "post", f"/runs/{run}/apply", status=202)
    work()
    after = catalog(mapped)
    undo = take_back(mapped, work, run)["id"]
    assert catalog(mapped) == before
    redo = take_back(mapped, work, undo)
    assert catalog(mapped) == after and redo["counts"]["put back"] == 878
    assert [get(mapped, f"/runs/{n}")["status"] for n in (run, undo)] == ["applied", "undone"]
    take_back(mapped, work, redo["id"])
    assert catalog(mapped) == before
    assert send(mapped, "post", f"/runs/{run}/undo", status=409)


def test_an_undo_changes_nothing_before_it_is_applied_and_is_prepared_once(mapped, work):
    run = prepare(mapped, work)["id"]
    send(mapped, "post", f"/runs/{run}/apply", status=202)
    work()
    held = catalog(mapped)
    made = send(mapped, "post", f"/runs/{run}/undo", status=201)
    assert send(mapped, "post", f"/runs/{run}/undo", status=201)["id"] == made["id"]
    work()
    shown = get(mapped, f"/runs/{made['id']}")
    assert shown["status"] == "prepared" and shown["counts"]["taken out"] == 878
    rows = get(mapped, f"/runs/{made['id']}/rows", status="changed", limit=3)["rows"]
    for row in rows:
        change = row["changes"][0]
        assert held[row["key"]][change["field"]] == change["before"]
    assert catalog(mapped) == held and get(mapped, f"/runs/{run}")["status"] == "applied"


def test_an_undo_is_stale_where_the_catalog_has_changed_since_it_was_looked_at(mapped, work):
    first = prepare(mapped, work)["id"]
    send(mapped, "post", f"/runs/{first}/apply", status=202)
    work()
    next_week(mapped)
    second = prepare(mapped, work)["id"]
    undo = send(mapped, "post", f"/runs/{first}/undo", status=201)["id"]
    work()
    send(mapped, "post", f"/runs/{second}/apply", status=202)
    work()
    held = catalog(mapped)
    send(mapped, "post", f"/runs/{undo}/apply", status=202)
    work()
    shown = get(mapped, f"/runs/{undo}")
    assert shown["status"] == "prepared" and "another by now" in shown["since"]
    assert shown["again"] > 0
    assert catalog(mapped) == held
    again = send(mapped, "post", f"/runs/{first}/undo", status=201)
    assert again["id"] == undo and again["status"] == "queued" and not again["since"]
    work()
    assert get(mapped, f"/runs/{undo}")["counts"]["stays"] > 0
    send(mapped, "post", f"/runs/{undo}/apply", status=202)
    work()
    assert get(mapped, f"/runs/{first}")["status"] == "undone"


def test_what_another_run_has_undone_since_is_not_undone_twice(mapped, work):
    """Run, undo, redo, undo anew: the redo has nothing left, and says which run to open."""
    run = prepare(mapped, work)["id"]
    send(mapped, "post", f"/runs/{run}/apply", status=202)
    work()
    redo = take_back(mapped, work, take_back(mapped, work, run)["id"])["id"]
    last = take_back(mapped, work, run)["id"]
    told = send(mapped, "post", f"/runs/{redo}/undo", status=409)
    assert f"Run {run} is undone" in told["detail"] and f"Undo run {last} first" in told["remedy"]
    assert get(mapped, f"/runs/{run}")["status"] == "undone"
    take_back(mapped, work, last)
    take_back(mapped, work, redo)
    assert get(mapped, f"/runs/{run}")["status"] == "undone"


def test_crosswalk_documents_round_trip(mapped):
    exported = json.loads(mapped.get("/api/v1/feeds/1/crosswalk.json").data)
    send(mapped, "put", "/feeds/1/crosswalk", exported)
    assert json.loads(mapped.get("/api/v1/feeds/1/crosswalk.json").data) == exported
    assert exported["crosswalk"]["fills"] == BUNDLE["crosswalk"]["fills"]


def test_the_catalog_is_found_sorted_and_paged(mapped, work):
    page = get(mapped, "/stores/1/products", category="Brushes", sort="price", descending=True)
    prices = [float(p["content"]["price"]) for p in page["products"]]
    assert page["total"] == 61 and prices == sorted(prices, reverse=True)
    assert get(mapped, "/stores/1/products", search="roll-up")["total"] == 1
    assert get(mapped, "/stores/1/products", search="%")["total"] == 0


def test_stores_are_made_from_a_schema_or_a_template(client):
    for name, data in [
        ("schema.json", client.get("/api/v1/stores/1/schema.json").data),
        ("template.csv", b"SKU,Title,Price\n"),
    ]:
        form = {"file": (io.BytesIO(data), name), "name": name}
        made = client.post("/api/v1/stores", data=form)
        assert made.status_code == 201, made.text
        fields = get(client, f"/stores/{made.json['id']}/schema")["product_schema"]["fields"]
        assert len(fields) == (44 if name == "schema.json" else 3)
        assert get(client, f"/stores/{made.json['id']}/products")["total"] == 0


def test_pictures_are_drawn_by_the_stand_in(client):
    answer = client.get("/stand-in/files.quarrow.example/pictures/004026-swatch.svg")
    assert answer.mimetype == "image/svg+xml" and b"<svg" in answer.data
    assert client.get("/stand-in/files.quarrow.example/pictures/nope.svg").status_code == 404
