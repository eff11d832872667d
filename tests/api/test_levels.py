"""The levels of category paths: where they are cut, and the categories that are made of them."""

from __future__ import annotations

import io

import pytest

from nomotax.demo.load import DATA
from tests.api.test_first_hour import by_hand, feed_of, questions_of
from tests.api.test_path import get, send

BIKES = (
    "Art;Bezeichnung;Gruppe;Unter;EK\n"
    "B1;Kette;{0};Antrieb;9,00\nB2;Felge;{1};Laufrad;19,00\nB3;Pumpe;{2};Werkzeug;12,00\n"
)


@pytest.mark.parametrize(
    ("cells", "sign"),
    [
        (("Teile > Antrieb", "Räder > Felgen", "Werkzeug > Pumpen"), " > "),
        (("Teile/Antrieb", "Räder/Felgen", "Werkzeug/Pumpen"), "/"),
        (("Teile|Antrieb", "Räder|Felgen", "Werkzeug|Pumpen"), "|"),
        (("Teile -> Antrieb", "Räder -> Felgen", "Werkzeug->Pumpen"), "->"),
        (("Antrieb", "Felgen", "Pumpen"), ""),
    ],
)
def test_the_sign_that_stands_in_all_cells_is_found(client, cells, sign):
    feed = feed_of(client, "Radhaus", "list", BIKES.format(*cells))
    bench = by_hand(client, feed, {"category": "Gruppe"})
    (told,) = bench["crosswalk"]["fills"]["category"]["assumptions"]
    assert told["choice"] == sign
    view = get(client, f"/feeds/{feed}/categories")["views"][0]
    assert view["separator"] == sign
    assert len(view["arriving"]) == (6 if sign else 3)


def test_paths_that_a_formula_writes_are_cut_where_it_writes_them(client):
    feed = feed_of(client, "Radhaus", "list", BIKES.format("Teile", "Räder", "Werkzeug"))
    bench = by_hand(client, feed, {"category": "Gruppe"})
    walk = bench["crosswalk"]
    joined = {"do": "formula", "formula": '[Gruppe] & " > " & [Unter]'}
    fill = walk["fills"]["category"]
    fill["steps"] = [joined, *fill["steps"]]
    body = {"crosswalk": walk, "revision": bench["revision"]}
    bench = send(client, "put", f"/feeds/{feed}/draft", body)
    (told,) = bench["crosswalk"]["fills"]["category"]["assumptions"]
    assert told["says"] == "'>' stands between the levels"
    rows = get(client, f"/feeds/{feed}/categories")["views"][0]["arriving"]
    assert "Teile > Antrieb" in {r["path"] for r in rows}


def test_a_person_says_where_paths_are_cut_and_that_stays(client):
    cells = ("Teile#Antrieb", "Räder#Felgen", "Werkzeug#Pumpen")
    feed = feed_of(client, "Radhaus", "list", BIKES.format(*cells))
    bench = by_hand(client, feed, {"category": "Gruppe"})
    assert "" in get(client, f"/feeds/{feed}/fields/category", row=1)["choices"]["path"]
    body = {"fields": ["category"], "about": "path", "choice": "#", "revision": bench["revision"]}
    bench = send(client, "post", f"/feeds/{feed}/assumptions", body)
    (told,) = bench["crosswalk"]["fills"]["category"]["assumptions"]
    assert (told["says"], told["state"]) == ("cut at '#', as chosen", "confirmed")
    view = get(client, f"/feeds/{feed}/categories")["views"][0]
    assert (view["separator"], len(view["arriving"])) == ("#", 6)
    # Said under Categories, it is said on the bench as well.
    send(client, "put", f"/feeds/{feed}/categories", {"table": view["table"], "separator": ""})
    (told,) = get(client, f"/feeds/{feed}/bench")["crosswalk"]["fills"]["category"]["assumptions"]
    assert told["says"] == "not cut, as chosen"


def tree_of(client):
    return {c["path"] for c in get(client, "/stores/1/categories")["categories"]}


@pytest.mark.parametrize(
    ("sign", "levels"),
    [("", {"Pumpen > Hand"}), (">", {"Pumpen", "Pumpen > Hand"})],
)
def test_names_that_are_kept_make_their_levels_and_go_with_the_undo(client, sign, levels):
    """An empty sign is one level, not one for each letter."""
    cells = ("Ketten", "Felgen", "Pumpen > Hand")
    feed = feed_of(client, "Radhaus", "list", BIKES.format(*cells))
    by_hand(client, feed, {"sku": "Art", "category": "Gruppe"})
    before, table = tree_of(client), get(client, f"/feeds/{feed}/categories")["views"][0]["table"]
    send(client, "put", f"/feeds/{feed}/categories", {"table": table, "separator": sign})
    edit = {"table": table, "keep_names": ["Ketten", "Pumpen > Hand"]}
    done = send(client, "put", f"/feeds/{feed}/categories", edit)
    one_level = {"Pumpen - Hand"} if not sign else levels
    assert set(done["made"]) == {"Ketten"} | one_level == tree_of(client) - before
    assert len(questions_of(client, feed, "category")) == 1
    back = {"table": table, "places": {"Ketten": None, "Pumpen > Hand": None}}
    done = send(client, "put", f"/feeds/{feed}/categories", back | {"unmake": done["made"]})
    assert done["left"] == [] and tree_of(client) == before


def test_a_category_that_is_used_by_now_stays_and_is_told(client):
    feed = feed_of(client, "Radhaus", "list", BIKES.format("Ketten", "Felgen", "Pumpen"))
    by_hand(client, feed, {"category": "Gruppe"})
    table = get(client, f"/feeds/{feed}/categories")["views"][0]["table"]
    path = f"/feeds/{feed}/categories"
    made = send(client, "put", path, {"table": table, "keep_names": ["Ketten", "Felgen"]})["made"]
    send(client, "put", path, {"table": table, "places": {"Pumpen": "Felgen"}})
    back = {"table": table, "places": {"Ketten": None, "Felgen": None}, "unmake": made}
    assert send(client, "put", path, back)["left"] == ["Felgen"]
    assert "Felgen" in tree_of(client) and "Ketten" not in tree_of(client)


@pytest.mark.parametrize(
    ("text", "paths", "heading"),
    [
        ("Parts > Drivetrain\nParts > Wheels\n",
         ["Parts", "Parts > Drivetrain", "Parts > Wheels"], ""),
        ("Parts > Drivetrain\n", ["Parts", "Parts > Drivetrain"], ""),
        ("Tools\nParts > Drivetrain\n", ["Tools", "Parts", "Parts > Drivetrain"], ""),
        ("Warengruppe\nTeile > Antrieb\nRäder\n", ["Teile", "Teile > Antrieb", "Räder"],
         "Warengruppe"),
        ("Teile;Antrieb\nRäder;Felgen\n",
         ["Teile", "Teile > Antrieb", "Räder", "Räder > Felgen"], ""),
        ("Ebene 1;Ebene 2\nTeile;Antrieb\n;Ketten\n",
         ["Teile", "Teile > Antrieb", "Teile > Ketten"], "Ebene 1 · Ebene 2"),
    ],
)  # fmt: skip
def test_a_tree_of_a_file_has_its_levels_and_its_first_line(client, text, paths, heading):
    form = {"file": (io.BytesIO(text.encode()), "tree.csv")}
    found = client.post("/api/v1/stores/1/categories/read", data=form).json
    assert (found["paths"], found["heading"]) == (paths, heading)


def test_a_store_without_a_category_has_its_first_minute(client, work):
    """The category is filled from a column: bench, questions, Arrivals and the tree answer."""
    schema = (io.BytesIO((DATA / "store-schema.json").read_bytes()), "schema.json")
    form = {"name": "Radhaus", "file": schema}
    store = client.post("/api/v1/stores", data=form).json["id"]
    path = f"/api/v1/stores/{store}/feeds"
    feed = client.post(path, json={"supplier": "Rad", "name": "list"}).json["id"]
    form = {"file": (io.BytesIO(BIKES.format("A > B", "A > C", "D").encode()), "list.csv")}
    assert client.post(f"/api/v1/feeds/{feed}/deliveries", data=form).status_code == 201
    by_hand(client, feed, {"sku": "Art", "category": "Gruppe"})
    assert len(questions_of(client, feed, "category")) == 3
    assert get(client, f"/feeds/{feed}/categories")["views"][0]["unplaced"] == 3
    get(client, f"/stores/{store}/arrivals")
    get(client, f"/feeds/{feed}/window")


def test_a_word_of_an_attribute_is_no_currency_and_an_answer_is_done(client):
    """``all`` is the code of a currency as well; what a person says is what is read."""
    text = "Art;EK;EK group\nB1;9,00;all\nB2;19,00;all\n"
    feed = feed_of(client, "Radhaus", "list", text)
    by_hand(client, feed, {"sku": "Art", "cost": "EK"})
    (asked,) = questions_of(client, feed, "assumption")
    assert "nothing says in which currency" in asked["text"]
    codes = "Art;EK;EK currency;EK Waehrung\nB1;9,00;USD;USD\nB2;19,00;USD;USD\n"
    other = feed_of(client, "Radhaus", "codes", codes)
    bench = by_hand(client, other, {"sku": "Art", "cost": "EK"})
    body = {"fields": ["cost"], "about": "currency", "choice": "EUR", "revision": bench["revision"]}
    send(client, "post", f"/feeds/{other}/assumptions", body)
    window = get(client, f"/feeds/{other}/window")
    at = window["fields"].index("cost")
    assert [row[at] for row in window["results"]] == ["9.00", "19.00"]
