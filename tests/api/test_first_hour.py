"""The first hour with a file of one's own: hands, suggestions and answers make the same fills."""

from __future__ import annotations

import io

import pytest

from tests.api.test_path import catalog, get, send


def feed_of(client, supplier, name, data):
    """A supplier's feed with its first file; gives its id."""
    path = "/api/v1/stores/1/feeds"
    feed = client.post(path, json={"supplier": supplier, "name": name}).json["id"]
    drop(client, feed, data)
    return feed


def drop(client, feed, data, name="file.csv"):
    form = {"file": (io.BytesIO(data if isinstance(data, bytes) else data.encode()), name)}
    answer = client.post(f"/api/v1/feeds/{feed}/deliveries", data=form)
    assert answer.status_code == 201, answer.text
    return answer.json["id"]


def by_hand(client, feed, fills):
    """Columns chosen by hand for fields, one after the other; gives the bench."""
    for field, column in fills.items():
        made = get(client, f"/feeds/{feed}/fill", field=field, column=column)["fill"]
        bench = get(client, f"/feeds/{feed}/bench")
        crosswalk = bench["crosswalk"]
        crosswalk["fills"][field] = made
        body = {"crosswalk": crosswalk, "revision": bench["revision"]}
        bench = send(client, "put", f"/feeds/{feed}/draft", body)
    return bench


def questions_of(client, feed, kind):
    return [q for q in get(client, f"/feeds/{feed}/questions")["questions"] if q["kind"] == kind]


GARDEN = (
    "Code;Title;Gewicht g;Netto;UVP;Gruppe;Breite\n"
    "ZZ-1;Spade;1742;10,00;19,99;Drive->Cassettes 8/9;12,5\n"
    "ZZ-2;Rake;900;1.999,00;29,99;Drive->Chains;30\n"
    "ZZ-3;Hoe;650;5,50;9,99;Wheels->Rims;7\n"
)


@pytest.fixture
def garden(client):
    return feed_of(client, "Harrow Garden", "list", GARDEN)


def test_a_column_chosen_by_hand_is_what_a_suggestion_would_have_made(client, garden):
    bench = get(client, f"/feeds/{garden}/bench")
    suggested = {(s["field"], s["column"]): s["fill"] for s in bench["suggestions"]}
    assert suggested
    priced = [f for f in suggested.values() if f["steps"][-1]["do"] == "ladder"]
    assert len(priced) <= 1
    for (field, column), fill in suggested.items():
        if fill in priced:
            continue  # the cost's fill, through a ladder
        made = get(client, f"/feeds/{garden}/fill", field=field, column=column)["fill"]
        assert made == fill


def test_the_units_of_a_heading_are_read_and_shown(client, garden):
    bench = by_hand(client, garden, {"net_weight": "Gewicht g"})
    fill = bench["crosswalk"]["fills"]["net_weight"]
    assert fill["assumptions"][0]["says"] == "read as g, because of the heading 'Gewicht g'"
    detail = get(client, f"/feeds/{garden}/fields/net_weight", row=1)
    assert detail["stages"][-1]["value"] == "1.742"


def test_money_without_a_currency_is_asked_for_once_and_answered_for_all(client, garden):
    """Two columns of prices, no word about their money: one question, one answer."""
    by_hand(client, garden, {"sku": "Code", "cost": "Netto", "list_price": "UVP"})
    (asked,) = questions_of(client, garden, "assumption")
    assert asked["fields"] == ["cost", "list_price"] and asked["touches"] == 3
    assert asked["options"][0] == "EUR" and "USD" in asked["options"]
    marks = get(client, f"/feeds/{garden}/window")["marks"]
    assert all(m.count("q") >= 2 for m in marks)
    revision = get(client, f"/feeds/{garden}/bench")["revision"]
    body = {"fields": asked["fields"], "about": "currency", "choice": "USD", "revision": revision}
    send(client, "post", f"/feeds/{garden}/assumptions", body)
    assert questions_of(client, garden, "assumption") == []
    steps = get(client, f"/feeds/{garden}/fields/cost", row=2)["fill"]["steps"]
    assert [s["do"] for s in steps] == ["number", "exchange"]


@pytest.mark.parametrize(
    ("change", "status", "says"),
    [
        ({"choice": "ZZZ"}, 422, "no currency"),
        ({"fields": ["brand"]}, 404, "Nothing fills"),
        ({"revision": -1}, 409, "edited elsewhere"),
    ],
)
def test_an_answer_that_is_none_changes_nothing(client, garden, change, status, says):
    before = by_hand(client, garden, {"cost": "Netto"})
    body = {"fields": ["cost"], "about": "currency", "choice": "USD",
            "revision": before["revision"]} | change  # fmt: skip
    answer = client.post(f"/api/v1/feeds/{garden}/assumptions", json=body)
    assert answer.status_code == status and says in answer.json["detail"]
    assert get(client, f"/feeds/{garden}/bench")["crosswalk"] == before["crosswalk"]


def test_a_category_by_hand_is_placed_and_cut_where_its_levels_are(client, garden):
    """'Drive->Cassettes 8/9' is two levels; no store category is made of it."""
    before = get(client, "/stores/1/categories")["categories"]
    by_hand(client, garden, {"category": "Gruppe"})
    view = get(client, f"/feeds/{garden}/categories")["views"][0]
    assert view["separator"] == "->"
    assert {r["path"] for r in view["arriving"]} == {
        "Drive", "Drive->Cassettes 8/9", "Drive->Chains", "Wheels", "Wheels->Rims"}  # fmt: skip
    assert get(client, "/stores/1/categories")["categories"] == before


def test_a_companion_is_read_with_its_own_decimal_mark(client, garden):
    """The feed has decimal commas, the price list that it leans on has points: 1.250 is 1.25."""
    prices = "art,price EUR\nZZ-1,1.250\nZZ-2,2.5\nZZ-3,1024\n"
    other = feed_of(client, "Harrow Garden", "prices", prices)
    delivery = next(f for f in get(client, "/stores/1/arrivals")["feeds"] if f["id"] == garden)
    number = delivery["deliveries"][0]["id"]
    reading = get(client, f"/deliveries/{number}")["reading"]
    own = {"name": "prices", "keys": [{"column": "Code", "theirs": "art"}], "feed": other}
    body = {"reading": reading | {"companions": [own]}}
    send(client, "put", f"/deliveries/{number}/reading", body)
    by_hand(client, garden, {"cost": "prices: price EUR", "net_weight": "Gewicht g"})
    window = get(client, f"/feeds/{garden}/window")
    at = window["fields"].index("cost")
    assert [row[at] for row in window["results"]] == ["1.25", "2.50", "1024.00"]
    crosswalk = get(client, f"/feeds/{garden}/bench")["crosswalk"]
    formula = {"do": "formula", "formula": "[prices: price EUR] * 2"}
    crosswalk["fills"]["cost"] = {"parts": [], "steps": [formula]}
    revision = get(client, f"/feeds/{garden}/bench")["revision"]
    body = {"crosswalk": crosswalk, "revision": revision}
    send(client, "put", f"/feeds/{garden}/draft", body)
    window = get(client, f"/feeds/{garden}/window")
    assert [row[window["fields"].index("cost")] for row in window["results"]] == [
        "2.50", "5.00", "2048.00"]  # fmt: skip


def test_the_sign_between_levels_is_chosen_and_placements_stay(client, garden):
    by_hand(client, garden, {"category": "Gruppe"})
    table = get(client, f"/feeds/{garden}/categories")["views"][0]["table"]
    places = {"table": table, "places": {"Wheels->Rims": "Studio"}}
    send(client, "put", f"/feeds/{garden}/categories", places)
    for sign, paths in [("/", 4), ("", 3), ("->", 5)]:
        body = {"table": table, "places": {}, "separator": sign}
        send(client, "put", f"/feeds/{garden}/categories", body)
        view = get(client, f"/feeds/{garden}/categories")["views"][0]
        assert len(view["arriving"]) == paths, sign
        assert {r["path"]: r["place"] for r in view["arriving"]}["Wheels->Rims"] == "Studio"


def test_the_stores_own_export_changes_nothing(client, work):
    """Dropped back in any feed, with suggestions alone: the same in every row, no prefix, no
    ladder, no second price."""
    own = client.get("/api/v1/stores/1/outbound").data
    before = catalog(client)
    feed = feed_of(client, "Harrow Garden", "own export", own)
    send(client, "post", f"/feeds/{feed}/suggestions/accept", {"least": 70})
    fills = get(client, f"/feeds/{feed}/bench")["crosswalk"]["fills"]
    assert [s["do"] for s in fills["sku"]["steps"]] == ["trim"]
    assert [s["do"] for s in fills["price"]["steps"]] == ["number"]
    run = prepare_feed(client, work, feed)
    assert run["counts"]["same"] == len(before) == sum(run["counts"].values())
    send(client, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    assert catalog(client) == before


def prepare_feed(client, work, feed):
    run = send(client, "post", f"/feeds/{feed}/runs", status=201)["id"]
    work()
    return get(client, f"/runs/{run}")


def test_a_required_field_that_stays_empty_refuses_new_products_alone(client, work):
    """A price list without names: products that exist keep theirs."""
    key, product = next((k, p) for k, p in catalog(client).items() if k.startswith("QP-"))
    price = f"{float(product['price']) + 1:.2f}"
    rows = f"Code,Name,Price EUR\n{key},,{price}\nQP-NEW1,,5.00\n"
    feed = feed_of(client, "Quarrow Pigments", "prices", rows)
    by_hand(client, feed, {"sku": "Code", "name": "Name", "price": "Price EUR"})
    bench = get(client, f"/feeds/{feed}/bench")
    crosswalk = bench["crosswalk"]
    category = {"parts": [{"text": product["category"]}], "steps": []}
    crosswalk["fills"]["category"] = category
    body = {"crosswalk": crosswalk, "revision": bench["revision"]}
    send(client, "put", f"/feeds/{feed}/draft", body)
    run = prepare_feed(client, work, feed)
    counts = run["counts"]
    assert (counts["changed"], counts["rejected"], counts["new"]) == (1, 1, 0)
    send(client, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    after = catalog(client)[key]
    assert (after["name"], after["price"]) == (product["name"], price)


def test_a_crosswalk_copied_from_another_supplier_asks_for_its_facts(client, garden):
    by_hand(client, garden, {"net_weight": "Gewicht g"})
    other = feed_of(client, "Another House", "list", GARDEN)
    send(client, "post", f"/feeds/{other}/copy", {"feed_id": garden})
    (asked,) = questions_of(client, other, "assumption")
    assert asked["about"] == "unit" and asked["text"].endswith("as for Harrow Garden.")
    assert asked["options"][0] == "g"


def test_the_columns_of_a_joined_table_are_asked_about_once(client):
    """Three that nothing suggests a field for are one question; one with a suggestion its own."""
    head = "Code;Lagerplatz;Zone;Etage;Gang;Barcode\n"
    stock = head + "ZZ-1;A1;N;oben;k;9520000000004\nZZ-2;B7;S;unten;m;9520000000011\n"
    other = feed_of(client, "Harrow Garden", "stock", stock)
    feed = feed_of(client, "Harrow Garden", "list", "Code;Title\nZZ-1;Spade\nZZ-2;Rake\n")
    bench = get(client, f"/feeds/{feed}/bench")
    path = f"/deliveries/{bench['delivery_id']}/reading"
    reading = get(client, f"/deliveries/{bench['delivery_id']}")["reading"]
    join = {"name": "stock", "feed": other, "keys": [{"column": "Code", "theirs": "Code"}]}
    send(client, "put", path, {"reading": reading | {"companions": [join]}})
    (asked,) = questions_of(client, feed, "table")
    assert asked["subject"] == "stock" and asked["touches"] == 2
    suggested = {s["column"] for s in get(client, f"/feeds/{feed}/bench")["suggestions"]}
    joined = [f"stock: {name}" for name in head.strip().split(";")]
    assert asked["options"] == [c for c in joined if c not in suggested]
    assert len(asked["options"]) >= 3
    alone = {q["subject"] for q in questions_of(client, feed, "column")}
    assert not alone & set(asked["options"]) and "stock: Barcode" in alone
    bench = get(client, f"/feeds/{feed}/bench")
    crosswalk = bench["crosswalk"] | {"left_out": asked["options"][1:]}
    body = {"crosswalk": crosswalk, "revision": bench["revision"]}
    send(client, "put", f"/feeds/{feed}/draft", body)
    # One that is left is asked about like any other column.
    assert questions_of(client, feed, "table") == []
    assert asked["options"][0] in {q["subject"] for q in questions_of(client, feed, "column")}


def test_a_column_is_asked_about_with_the_field_that_it_fits_best(client):
    """Cost fills cost before it fills the price through a ladder."""
    feed = feed_of(client, "Harrow Garden", "list", "Code;Title;Cost\nA;Spade;1.50\nB;Rake;2.25\n")
    (asked,) = [q for q in questions_of(client, feed, "column") if q["subject"] == "Cost"]
    assert asked["suggestion"]["field"] == "cost"


@pytest.mark.parametrize(
    ("first", "last", "status"), [(0, 5, 422), (5, 2, 422), (-1, None, 422), (None, 0, 422)]
)
def test_a_trial_of_no_rows_is_refused(client, garden, first, last, status):
    by_hand(client, garden, {"sku": "Code", "name": "Title"})
    query = {k: v for k, v in (("first", first), ("last", last)) if v is not None}
    answer = client.post(f"/api/v1/feeds/{garden}/runs", query_string=query)
    assert answer.status_code == status, answer.text


def test_a_heading_carried_down_is_a_column_to_map(client):
    """Group lines of a price list: each row knows its group, and no line is lost."""
    rows = (
        "Code;Title;Cost\nSpades;;\nA;Border spade;10\nB;Digging spade;12\nRakes;;\nC;Lawn rake;9\n"
    )
    feed = feed_of(client, "Harrow Garden", "list", rows)
    delivery = get(client, f"/feeds/{feed}/bench")["delivery_id"]
    reading = get(client, f"/deliveries/{delivery}")["reading"]
    carry = {"do": "carry", "column": "Code", "into": "Group"}
    again = send(client, "put", f"/deliveries/{delivery}/reading",
                 {"reading": reading | {"reshape": [carry]}})  # fmt: skip
    assert again["rows"] == 3 and again["columns"][0] == "Group"
    assert any("2 headings were carried" in p["message"] for p in again["problems"])
    window = get(client, f"/feeds/{feed}/window")
    assert [r[:2] for r in window["arriving"]] == [["Spades", "A"], ["Spades", "B"], ["Rakes", "C"]]


@pytest.mark.parametrize(
    ("dates", "doubts"),
    [
        (["13/02/2026", "02/14/2026", "03/04/2026"], 1),
        (["13/02/2026", "14/02/2026", "03/04/2026"], 0),
        (["2026-02-13", "2026-02-14", "2026-04-03"], 0),
    ],
)
def test_an_order_of_dates_that_changes_within_a_column_is_a_doubt(client, dates, doubts):
    """13/02 has the day first and 02/14 the month: nobody can say what 03/04 is."""
    rows = "\n".join(f"ZZ-{n};{d}" for n, d in enumerate(dates))
    feed = feed_of(client, "Harrow Garden", "list", f"Code;Since\n{rows}\n")
    delivery = get(client, f"/feeds/{feed}/bench")["delivery_id"]
    told = [p for p in get(client, f"/deliveries/{delivery}")["problems"]
            if p["kind"] == "two_date_orders"]  # fmt: skip
    assert len(told) == doubts
    assert all(p["level"] == "doubt" and "03/04" in p["message"] for p in told)
