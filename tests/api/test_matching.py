"""Who is who: a wholesaler's price list finds the products of two nurseries by their numbers, by
what people pair, and tells what it does not find. In German, beside the demo's suppliers."""

from __future__ import annotations

import csv
import io

import pytest

from tests.api.test_goods import receive
from tests.api.test_path import catalog, get, send
from tests.api.test_path import take_back as undo

OWN = "Nr;Name;Artikel;GTIN;Preis\n"
PLANTS = OWN + (
    "BH-1;Buchs 30 cm;A-17;4006381333931;4,50\n"
    "BH-2;Buchs 40 cm;A-18;;6,50\n"
    "BH-3;Rose Abendrot;R 9;;9,90\n"
    "BH-4;Rose Abendrot;R 10;;11,90\n"
)
LIST = (
    "Best.-Nr.;Bezeichnung;EAN;EK\n"
    "a17;Buxus 30;4006381333931;4,10\n"
    "A 18;Buxus 40;;6,00\n"
    "X-5;Abendrot Rose;;8,00\n"
    "X-6;Spaten;;19,00\n"
)
FILLS = {"supplier_sku": "Best.-Nr.", "name": "Bezeichnung", "gtin": "EAN", "cost": "EK"}
LOOSE = {"fields": ["supplier_sku"], "ignore": ["case", "blanks", "punctuation"]}


def crosswalk(columns, **more):
    fills = {f: {"parts": [{"column": c}]} for f, c in columns.items()}
    for name in {"cost", "price"} & fills.keys():
        fills[name]["steps"] = [{"do": "number"}]
    return {"fills": fills} | more


def draw(client, feed, document):
    bench = get(client, f"/feeds/{feed}/bench")
    body = {"crosswalk": document, "revision": bench["revision"]}
    return send(client, "put", f"/feeds/{feed}/draft", body)


def feed_of(client, supplier, data):
    body = {"supplier": supplier, "name": "Liste"}
    feed = send(client, "post", "/stores/1/feeds", body, 201)["id"]
    receive(client, feed, "liste.csv", data.encode("cp1252"))
    return feed


def prepare(client, work, feed):
    run = send(client, "post", f"/feeds/{feed}/runs", status=201)
    work()
    found = get(client, f"/runs/{run['id']}")
    assert found["status"] == "prepared", found
    return found


def apply(client, work, feed):
    run = prepare(client, work, feed)
    send(client, "post", f"/runs/{run['id']}/apply", None, 202)
    work()
    assert get(client, f"/runs/{run['id']}")["status"] == "applied"
    return run


@pytest.fixture
def nursery(client, work, once):
    """The nursery's products in the store, and the run that has made them."""

    @once
    def begun():
        feed = feed_of(client, "Blumenhof", PLANTS)
        columns = {"sku": "Nr", "name": "Name", "supplier_sku": "Artikel", "gtin": "GTIN",
                   "price": "Preis"}  # fmt: skip
        document = crosswalk(columns)
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        draw(client, feed, document)
        run = apply(client, work, feed)
        assert run["counts"]["new"] == 4, run
        return run

    return begun


@pytest.fixture
def wholesaler(client, nursery, once):
    @once
    def begun():
        feed = feed_of(client, "Gartenhandel Nord", LIST)
        policy = {"products": "change", "others": "change"}
        draw(client, feed, crosswalk(FILLS, policy=policy, identity={"ways": [LOOSE]}))
        return feed

    return begun


def seen(client, run):
    return {r["row"]: r for r in get(client, f"/runs/{run['id']}/rows")["rows"] if r["row"]}


def groups(client, feed):
    counts = get(client, f"/feeds/{feed}/matching")["counts"]
    return {name: n for name, n in counts.items() if n and name != "all"}


def rows(client, feed, group, **more):
    found = get(client, f"/feeds/{feed}/matching/rows", group=group, **more)
    return {r["row"]: r for r in found["rows"]}


def decide(client, feed, *decisions, status=200):
    made = [dict(zip(("article", "decision", "key"), one, strict=False)) for one in decisions]
    return send(client, "put", f"/feeds/{feed}/pairings", {"decisions": made}, status)


def test_rows_find_products_by_a_number_however_it_is_written(client, work, wholesaler):
    assert groups(client, wholesaler) == {"found": 2, "none": 2}
    found = rows(client, wholesaler, "found")
    assert {n: [p["key"] for p in r["products"]] for n, r in found.items()} == {
        1: ["BH-1"], 2: ["BH-2"]
    }  # fmt: skip
    run = apply(client, work, wholesaler)
    assert {s: n for s, n in run["counts"].items() if n} == {"changed": 2, "rejected": 2}
    lines = seen(client, run)
    assert lines[1]["key"] == "BH-1" and lines[3]["status"] == "rejected"
    assert "'X-5' is that of no product in the catalog" in lines[3]["reason"]
    products = catalog(client)
    assert (products["BH-1"]["cost"], products["BH-1"]["sku"]) == ("4.10", "BH-1")
    assert products["BH-1"]["supplier_sku"] == "a17" and "a17" not in products
    # Where a value comes from is found though the row calls the product otherwise.
    traced = get(client, "/stores/1/trace", key="BH-2", field="cost")
    assert traced["trace"]["row"] == 2 and traced["supplier"] == "Gartenhandel Nord"


def test_ways_are_proposed_with_what_they_find(client, wholesaler):
    proposed = get(client, f"/feeds/{wholesaler}/matching/ways")
    best = proposed["ways"][0]
    assert proposed["rows"] == 4 and (best["found"], best["several"]) == (2, 0)
    assert best["way"]["fields"] == ["supplier_sku"]
    # No more is ignored than it takes: a17 differs in case and a dash, A 18 in a blank.
    assert set(best["way"]["ignore"]) == {"case", "blanks", "punctuation"}
    exact = {"ways": [{"fields": ["supplier_sku"]}, {"fields": ["gtin"]}]}
    tried = send(client, "post", f"/feeds/{wholesaler}/matching/ways", exact)["ways"]
    assert [(t["found"], t["several"]) for t in tried] == [(0, 0), (1, 0)]
    unknown = {"ways": [{"fields": ["colour_of_hair"]}]}
    send(client, "post", f"/feeds/{wholesaler}/matching/ways", unknown, 422)


def test_an_article_that_finds_several_or_none_waits_and_is_decided(client, work, wholesaler):
    document = crosswalk(
        FILLS,
        policy={"products": "both", "others": "change"},
        identity={"ways": [LOOSE, {"fields": ["name"], "ignore": ["case"]}],
                  "article": "Best.-Nr.", "unmatched": "wait"},
    )  # fmt: skip
    document["fills"]["name"]["steps"] = [
        {"do": "replace", "find": "Abendrot Rose", "put": "Rose Abendrot"}
    ]
    draw(client, wholesaler, document)
    assert groups(client, wholesaler) == {"found": 2, "several": 1, "none": 1}
    [doubled] = rows(client, wholesaler, "several").values()
    assert [p["key"] for p in doubled["products"]] == ["BH-3", "BH-4"] and doubled["by"] == 1
    asked = get(client, f"/feeds/{wholesaler}/questions")["questions"]
    [matching] = [q for q in asked if q["kind"] in ("matching", "problem")]
    assert (matching["kind"], matching["touches"]) == ("matching", 2)
    assert matching["text"] == "Rows wait to find their products: 1 find several, 1 find none."
    # Rows need no key to find products; their own number is put to use.
    assert not {q["subject"] for q in asked} & {"sku", "Best.-Nr."}
    run = prepare(client, work, wholesaler)
    assert {s: n for s, n in run["counts"].items() if n} == {"changed": 2, "held": 2}
    assert "is that of 2 products: BH-3, BH-4" in seen(client, run)[3]["reason"]

    before = decide(client, wholesaler, ("X-5", "product", "BH-4"), ("X-6", "leave"))
    assert before == {"taken": 2, "before": [
        {"article": "X-5", "decision": None, "key": None},
        {"article": "X-6", "decision": None, "key": None}]}  # fmt: skip
    assert groups(client, wholesaler) == {"found": 3, "left_out": 1}
    asked = get(client, f"/feeds/{wholesaler}/questions")["questions"]
    assert "matching" not in [q["kind"] for q in asked]
    assert get(client, f"/feeds/{wholesaler}/matching")["paired"] == 1
    run = apply(client, work, wholesaler)
    assert {s: n for s, n in run["counts"].items() if n} == {"changed": 3, "left out": 1}
    assert catalog(client)["BH-4"]["cost"] == "8.00" and catalog(client)["BH-3"]["cost"] is None

    listed = get(client, f"/feeds/{wholesaler}/pairings")
    assert [(p["article"], p["decision"], p["key"]) for p in listed["pairings"]] == [
        ("X-5", "product", "BH-4"), ("X-6", "leave", None)
    ]  # fmt: skip
    decide(client, wholesaler, ("X-5", None), ("X-6", "new"))
    assert get(client, f"/feeds/{wholesaler}/pairings", search="x-")["total"] == 1
    # The product has the number by now. One of its own needs a key, which this list has none of.
    lines = seen(client, prepare(client, work, wholesaler))
    assert (lines[3]["key"], lines[3]["status"]) == ("BH-4", "same")
    assert lines[4]["status"] == "held" and "SKU" in lines[4]["reason"]


def test_likely_partners_are_shown_with_reasons(client, wholesaler):
    none = rows(client, wholesaler, "none")
    assert [(p["key"], p["why"]) for p in none[3]["products"][:2]] == [
        ("BH-3", "same name"), ("BH-4", "same name")
    ]  # fmt: skip
    assert "BH-3" not in [p["key"] for p in none[4]["products"]]
    assert rows(client, wholesaler, "none", search="spat").keys() == {4}
    data = client.get(f"/api/v1/feeds/{wholesaler}/matching.csv?group=none").data
    told = list(csv.DictReader(io.StringIO(data.decode("utf-8-sig"))))
    assert [(t["row"], t["their supplier_sku"]) for t in told] == [("3", "X-5"), ("4", "X-6")]


def test_pairings_go_out_and_in_as_a_file(client, wholesaler):
    def take(text):
        form = {"file": (io.BytesIO(text.encode("utf-8-sig")), "pairings.csv")}
        return client.post(f"/api/v1/feeds/{wholesaler}/pairings.csv", data=form)

    taken = take("product;decision;article\nBH-4;;X-5\n;new;X-6\n")
    assert taken.status_code == 200 and taken.json["taken"] == 2
    out = client.get(f"/api/v1/feeds/{wholesaler}/pairings.csv").data.decode("utf-8-sig")
    assert out.splitlines() == ["article,decision,product", "X-5,product,BH-4", "X-6,new,"]
    assert take(out).json["before"] == [
        {"article": "X-5", "decision": "product", "key": "BH-4"},
        {"article": "X-6", "decision": "new", "key": None},
    ]
    wrong = {
        "article,decision\nX-5,new\n": ("no column 'product'", "line 1"),
        "article,decision,product\nX-5,maybe,\n": ("'maybe' is no decision", "line 2"),
        "article,decision,product\n\nX-5,product,\n": ("says no product", "line 3"),
        "article,decision,product\nX-5,leave,BH-1\n": ("says a product", "line 2"),
        "article,decision,product\n,new,\n": ("which article", "line 2"),
        "article,decision,product\nX-5,new,\nX-5,leave,\n": ("otherwise", "line 3"),
        "article,decision,product\nX-1,,BH-1\nX-5,,ZZ-9\n": ("no product 'ZZ-9'", "1 of 2"),
    }
    for text, (said, where) in wrong.items():
        answer = take(text)
        assert answer.status_code == 422 and said in answer.json["detail"], text
        assert answer.json["where"].startswith(where) and answer.json["remedy"]
    after = client.get(f"/api/v1/feeds/{wholesaler}/pairings.csv").data.decode("utf-8-sig")
    assert after == out


def test_a_pairing_with_a_product_that_is_gone_makes_its_row_wait(
    client, work, nursery, wholesaler
):
    identity = {"ways": [LOOSE], "article": "Best.-Nr."}
    policy = {"products": "change", "others": "change"}
    draw(client, wholesaler, crosswalk(FILLS, policy=policy, identity=identity))
    decide(client, wholesaler, ("X-5", "product", "BH-3"))
    undo(client, work, nursery["id"])
    assert groups(client, wholesaler) == {"lost": 1, "none": 3}
    assert get(client, f"/feeds/{wholesaler}/pairings")["pairings"][0]["decision"] == "lost"
    line = seen(client, prepare(client, work, wholesaler))[3]
    assert line["status"] == "held" and "no longer in the catalog" in line["reason"]
    problem = decide(client, wholesaler, ("X-6", "product", "BH-1"), status=422)
    assert "no product 'BH-1'" in problem["detail"]
    out = client.get(f"/api/v1/feeds/{wholesaler}/pairings.csv").data.decode("utf-8-sig")
    assert out.splitlines()[1] == "X-5,lost,"


def test_two_rows_for_one_product_are_told_or_chosen_from(client, work, wholesaler):
    more = LIST + "A-17;Buchs klein;;3,90\n"
    receive(client, wholesaler, "liste.csv", more.encode())
    assert groups(client, wholesaler) == {"found": 3, "none": 2, "together": 2}
    lines = seen(client, prepare(client, work, wholesaler))
    assert lines[1]["status"] == lines[5]["status"] == "rejected"
    assert "several rows that differ (rows 1, 5)" in lines[1]["reason"]
    policy = {"products": "change", "others": "change"}
    identity = {"ways": [LOOSE], "rows": "last"}
    draw(client, wholesaler, crosswalk(FILLS, policy=policy, identity=identity))
    lines = seen(client, apply(client, work, wholesaler))
    assert (lines[1]["status"], lines[5]["status"]) == ("left out", "changed")
    assert "row 5, the last, is taken" in lines[1]["reason"]
    assert catalog(client)["BH-1"]["cost"] == "3.90"
    assert get(client, "/stores/1/trace", key="BH-1", field="cost")["trace"]["row"] == 5


def test_a_value_of_several_products_changes_each_where_that_is_said(client, work, wholesaler):
    document = crosswalk(
        {"name": "Bezeichnung", "cost": "EK"},
        policy={"products": "change", "others": "change"},
        identity={"ways": [{"fields": ["name"]}], "several": "each"},
    )
    draw(client, wholesaler, document)
    receive(client, wholesaler, "l.csv", b"Bezeichnung;EK\nRose Abendrot;7,00\nSpaten;2,00\n")
    run = apply(client, work, wholesaler)
    assert {s: n for s, n in run["counts"].items() if n} == {"changed": 2, "rejected": 1}
    products = catalog(client)
    assert products["BH-3"]["cost"] == products["BH-4"]["cost"] == "7.00"


def test_a_row_that_is_new_may_not_have_the_key_of_another(client, work, wholesaler):
    """Its number is that of no product, and its key is taken."""
    fills = FILLS | {"sku": "Bezeichnung"}
    policy = {"products": "both", "others": "change"}
    draw(client, wholesaler, crosswalk(fills, policy=policy, identity={"ways": [LOOSE]}))
    own = b"Best.-Nr.;Bezeichnung;EAN;EK\nX-9;BH-3;;2,00\nA-18;BH-1;;5,00\n"
    receive(client, wholesaler, "liste.csv", own)
    assert groups(client, wholesaler) == {"key_taken": 1, "found": 1}
    lines = seen(client, prepare(client, work, wholesaler))
    assert lines[1]["status"] == "rejected" and "not about" in lines[1]["reason"]
    assert (lines[2]["key"], lines[2]["status"]) == ("BH-2", "changed")


def test_a_way_whose_field_is_filled_no_longer_stops_the_run_and_not_the_bench(
    client, work, wholesaler
):
    document = get(client, f"/feeds/{wholesaler}/bench")["crosswalk"]
    del document["fills"]["supplier_sku"]
    draw(client, wholesaler, document)
    assert groups(client, wholesaler) == {"none": 4}
    problem = send(client, "post", f"/feeds/{wholesaler}/runs", status=422)
    assert "nothing fills" in problem["detail"] and problem["remedy"]


def test_the_stores_own_export_finds_every_product_by_its_key(client, work, nursery):
    data = client.get("/api/v1/stores/1/outbound").data
    feed = send(client, "post", "/stores/1/feeds", {"supplier": "Wir", "name": "Alles"}, 201)["id"]
    receive(client, feed, "export.csv", data)
    send(client, "post", f"/feeds/{feed}/suggestions/accept", {"least": 0})
    found = get(client, f"/feeds/{feed}/matching")
    assert found["counts"]["found"] == found["rows"] == len(catalog(client))
    run = prepare(client, work, feed)
    assert {s: n for s, n in run["counts"].items() if n} == {"same": found["rows"]}


def test_a_crosswalk_that_finds_products_by_a_strange_field_is_not_taken(client, wholesaler):
    document = {"crosswalk": {"identity": {"ways": [{"fields": ["shoe_size"]}]}}}
    problem = send(client, "put", f"/feeds/{wholesaler}/crosswalk", document, 422)
    assert "no field 'shoe_size'" in problem["detail"] and problem["remedy"]
    assert get(client, f"/feeds/{wholesaler}/matching")["identity"]["ways"] == [LOOSE]


def test_a_version_tells_how_its_rows_are_found(client, wholesaler):
    send(client, "post", f"/feeds/{wholesaler}/versions", {"note": "by number"})
    document = get(client, f"/feeds/{wholesaler}/bench")["crosswalk"]
    draw(client, wholesaler, document | {"identity": {"ways": [{"fields": ["gtin"]}]}})
    unsaved = get(client, f"/feeds/{wholesaler}/versions")["unsaved"]
    assert "the feed now finds products by gtin" in unsaved
