"""The store is the user's own: its schema, its words, its tree, what is removed, trials."""

from __future__ import annotations

import io

import pytest

from tests.api.test_first_hour import by_hand, drop, feed_of
from tests.api.test_path import BUNDLE, catalog, get, prepare, send
from tests.api.test_path import take_back as undo_run


def applied(client, work, run):
    send(client, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    return get(client, f"/runs/{run['id']}")


@pytest.fixture
def sold(client, work, once):
    """The demo with Quarrow's first delivery in the catalog."""

    @once
    def begun():
        send(client, "put", "/feeds/1/crosswalk", BUNDLE)
        run = prepare(client, work)
        assert applied(client, work, run)["status"] == "applied"

    return client


def field_of(client, name):
    fields = get(client, "/stores/1/schema")["product_schema"]["fields"]
    return next((f for f in fields if f["name"] == name), None)


def touch(client, was, field):
    return send(client, "post", "/stores/1/schema/touch", {"was": was, "field": field})


def edit(client, was, field, status=200):
    return send(client, "post", "/stores/1/schema/fields", {"was": was, "field": field}, status)


# -- the schema


def test_an_edit_of_a_field_tells_the_products_it_touches(sold):
    name = field_of(sold, "name")
    longest = max(len(p["name"]) for p in catalog(sold).values())
    found = touch(sold, name, name | {"max_length": longest - 1})
    assert found["broken"] > 0 and found["products"] == len(catalog(sold))
    assert len(found["first"][0]["value"]) == longest and "longer than" in found["first"][0]["why"]
    assert found["feeds"] == ["Quarrow Pigments, Weekly list"]
    assert field_of(sold, "name") == name  # nothing has changed yet


def test_a_label_changes_at_once_and_a_demand_makes_prepared_runs_old(sold, work):
    run = prepare(sold, work, drop(sold, 1, week_2(sold)))
    name = field_of(sold, "name")
    edit(sold, name, name | {"title": "What it is called", "synonyms": ["Benennung"]})
    titles = {f["field"]["title"] for f in get(sold, "/feeds/1/bench")["fields"]}
    assert "What it is called" in titles
    assert applied(sold, work, run)["status"] == "applied"
    run = prepare(sold, work)
    edit(sold, field_of(sold, "name"), field_of(sold, "name") | {"max_length": 30})
    after = applied(sold, work, run)
    assert after["status"] == "prepared" and "fields or categories were edited" in after["since"]


def week_2(client):
    from nomotax.demo.load import DATA

    return (DATA / "quarrow-week-2.csv").read_bytes()


def test_a_retired_field_rests_with_its_values_and_fills(sold, work):
    """Bringing it back brings both back, whatever was edited in between."""
    was, before = field_of(sold, "opacity"), catalog(sold)
    filled = get(sold, "/feeds/1/bench")["crosswalk"]["fills"]["opacity"]
    held = touch(sold, was, None)
    assert held["products"] == sum(bool(p["opacity"]) for p in before.values()) > 0
    edit(sold, was, None)
    bench = get(sold, "/feeds/1/bench")
    assert "opacity" not in bench["crosswalk"]["fills"] and not bench["error"]
    assert "opacity" not in next(iter(catalog(sold).values()))
    by_hand(sold, 1, {"spare_1": "Remark"})
    run = prepare(sold, work, drop(sold, 1, week_2(sold)))
    assert applied(sold, work, run)["status"] == "applied"
    edit(sold, None, was)
    after = catalog(sold)
    assert all(after[k]["opacity"] == before[k]["opacity"] for k in before)
    assert get(sold, "/feeds/1/bench")["crosswalk"]["fills"]["opacity"] == filled


def test_two_people_cannot_overwrite_each_other(client):
    name = field_of(client, "name")
    edit(client, name, name | {"title": "One"})
    told = edit(client, name, name | {"title": "Two"}, 409)
    assert "changed elsewhere" in told["detail"] and field_of(client, "name")["title"] == "One"


def test_a_new_word_answers_a_question_at_once(client):
    """In a list that is closed, from the table of words."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    table = next(t for t in BUNDLE["value_tables"] if t["name"].endswith("colour"))["name"]
    send(client, "post", "/stores/1/schema/fields/colour/words", {"words": ["Petrol", "Petrol"]})
    assert field_of(client, "colour")["allowed"].count("Petrol") == 1
    send(client, "put", "/feeds/1/values", {"table": table, "words": {"PB15": "Petrol"}})
    tables = get(client, "/feeds/1/values")["tables"]
    assert "Petrol" in next(t for t in tables if t["table"] == table)["allowed"]
    wrong = "/stores/1/schema/fields/name/words"
    assert "no list" in send(client, "post", wrong, {"words": ["x"]}, 422)["detail"]
    history = get(client, "/stores/1/lookups/history", kind="field", name="colour")["changes"]
    assert "Petrol" in history[0]["said"]


# -- the tree


def tree_of(client):
    return {c["path"]: c["count"] for c in get(client, "/stores/1/categories")["categories"]}


def change_tree(client, do, path, to="", status=200):
    body = {"do": do, "path": path, "to": to}
    return send(client, "post", "/stores/1/categories/edits", body, status)


def take_back(client, made, status=200):
    return send(client, "post", f"/stores/1/categories/edits/{made['id']}/undo", status=status)


def state(client):
    """All that an edit of the tree could touch."""
    places = get(client, "/feeds/1/categories")["views"][0]["arriving"]
    return catalog(client), tree_of(client), {p["path"]: p["place"] for p in places}


def busiest(client, depth):
    """The category of that depth in which most products stand."""
    held = [(n, p) for p, n in tree_of(client).items() if p.count(" > ") == depth]
    return max(held)[1]


@pytest.mark.parametrize("do", ["rename", "move", "merge", "delete"])
def test_products_follow_an_edit_and_come_back_with_it(sold, do):
    before = state(sold)
    path = busiest(sold, 1)
    other = next(p for p, n in before[1].items() if not p.startswith(path.split(" > ")[0]) and n)
    to = {"rename": "Otherwise", "move": "", "merge": other, "delete": other}[do]
    told = send(sold, "post", "/stores/1/categories/touch", {"do": do, "path": path, "to": to})
    assert state(sold) == before
    made = change_tree(sold, do, path, to)
    assert made["touch"] == told and told["products"] == before[1][path]
    products, tree, places = state(sold)
    assert path not in tree and sum(tree.values()) > 0
    assert {p["category"] for p in products.values()} <= tree.keys() | {""}
    assert {place for place in places.values() if place} <= tree.keys()
    unmoved = [k for k, p in before[0].items() if not p["category"].startswith(path)]
    assert all(products[k] == before[0][k] for k in unmoved)
    take_back(sold, made)
    assert state(sold) == before
    assert "already" in take_back(sold, made, 409)["detail"]


def test_a_run_from_before_an_edit_can_still_be_taken_back(sold, work):
    made = change_tree(sold, "merge", busiest(sold, 1), busiest(sold, 0))
    undone = undo_run(sold, work, 1)["counts"]
    assert undone["taken out"] + undone["changed"] > 0 and undone["stays"] == 0
    assert get(sold, "/runs/1")["status"] == "undone"
    take_back(sold, made)


def test_what_came_after_an_edit_stays_when_it_is_taken_back(sold):
    """A placement that was changed since is a person's newer word."""
    path, other = busiest(sold, 1), busiest(sold, 0)
    view = get(sold, "/feeds/1/categories")["views"][0]
    arriving = next(a["path"] for a in view["arriving"] if a["place"] == path)
    made = change_tree(sold, "delete", path, other)
    send(sold, "put", "/feeds/1/categories", {"table": view["table"], "places": {arriving: ""}})
    take_back(sold, made)
    assert state(sold)[2][arriving] == ""


def test_products_are_never_left_without_a_category(sold):
    told = change_tree(sold, "delete", busiest(sold, 0), status=409)
    assert "Say which category" in told["remedy"]
    made = change_tree(sold, "add", "Seasonal > Advent")
    assert {"Seasonal", "Seasonal > Advent"} <= tree_of(sold).keys()
    take_back(sold, made)
    assert "Seasonal" not in tree_of(sold)


def test_a_tree_comes_from_a_file_after_a_look(client):
    data = b"Level 1;Level 2\nGarden;Spades\n;Rakes\nPainting;\n"
    form = {"file": (io.BytesIO(data), "tree.csv")}
    found = client.post("/api/v1/stores/1/categories/read", data=form).json
    assert found.pop("heading") == "Level 1 · Level 2"
    assert found == {"paths": ["Garden", "Garden > Spades", "Garden > Rakes"], "known": 1}
    send(client, "post", "/stores/1/categories", {"paths": found["paths"]})
    assert set(found["paths"]) <= tree_of(client).keys()


# -- removing, moving, trying


def arriving(client):
    return {f["supplier"]: f for f in get(client, "/stores/1/arrivals")["feeds"]}


def test_a_removed_feed_leaves_the_catalog_and_comes_back(sold):
    before = catalog(sold)
    told = get(sold, "/removals/feed/1")
    assert (told["deliveries"], told["applied_runs"]) == (1, 1) and told["products"] > 1000
    send(sold, "put", "/removals/feed/1")
    assert "Quarrow Pigments" not in arriving(sold) and catalog(sold) == before
    assert get(sold, "/runs/1")["supplier"] == "Quarrow Pigments"
    (gone,) = get(sold, "/stores/1/removed")["removed"]
    assert (gone["kind"], gone["id"]) == ("feed", 1)
    send(sold, "delete", "/removals/feed/1")
    assert len(arriving(sold)["Quarrow Pigments"]["deliveries"]) == 1


def test_the_bench_stands_on_the_delivery_before_a_removed_one(sold):
    newer = drop(sold, 1, week_2(sold))
    assert get(sold, "/feeds/1/bench")["delivery_id"] == newer
    send(sold, "put", f"/removals/delivery/{newer}")
    assert get(sold, "/feeds/1/bench")["delivery_id"] == 1
    send(sold, "delete", f"/removals/delivery/{newer}")
    assert get(sold, "/feeds/1/bench")["delivery_id"] == newer


def test_a_removed_store_is_out_of_sight_and_comes_back(client):
    send(client, "put", "/removals/store/1")
    assert get(client, "/stores")["stores"] == []
    assert [r["id"] for r in get(client, "/stores/removed")["removed"]] == [1]
    send(client, "delete", "/removals/store/1")
    assert len(get(client, "/stores")["stores"]) == 1


def test_a_delivery_dropped_on_the_wrong_feed_is_moved(client):
    wrong = feed_of(client, "Harrow Garden", "list", "Code;Title\nZZ-1;Spade\n")
    strayed = drop(client, 1, "Code;Title\nZZ-1;Spade\nZZ-2;Rake\n", "garden.csv")
    moved = send(client, "post", f"/deliveries/{strayed}/move", {"feed_id": wrong})
    assert (moved["feed_id"], moved["rows"]) == (wrong, 2)
    assert len(arriving(client)["Quarrow Pigments"]["deliveries"]) == 1
    assert get(client, f"/feeds/{wrong}/bench")["delivery_id"] == strayed


def test_an_applied_delivery_stays_with_its_feed(sold):
    other = feed_of(sold, "Harrow Garden", "list", "Code;Title\nZZ-1;Spade\n")
    told = send(sold, "post", "/deliveries/1/move", {"feed_id": other}, 409)
    assert "Undo it first" in told["remedy"]


def test_a_trial_has_only_its_rows_and_nothing_is_gone_for_it(sold, work):
    drop(sold, 1, week_2(sold))
    run = send(sold, "post", "/feeds/1/runs?first=11&last=30", status=201)
    work()
    run = get(sold, f"/runs/{run['id']}")
    assert sum(run["counts"].values()) == 20 and run["counts"]["gone"] == 0
    rows = get(sold, f"/runs/{run['id']}/rows", limit=100)["rows"]
    assert sorted(r["row"] for r in rows) == list(range(11, 31))
    assert "as a trial" in run["log"][-1]["text"]
    assert applied(sold, work, run)["status"] == "applied"
    empty = send(sold, "post", "/feeds/1/runs?first=900000", status=201)
    work()
    assert "No row" in get(sold, f"/runs/{empty['id']}")["error"]


@pytest.mark.parametrize("kind", ["csv", "xlsx", "jsonl", "parquet"])
def test_the_table_as_read_is_given_out(client, kind):
    feed = feed_of(client, "Harrow Garden", "list", "row;Title\n007;Spade\n008;Rake\n")
    delivery = get(client, f"/feeds/{feed}/bench")["delivery_id"]
    answer = client.get(f"/api/v1/deliveries/{delivery}/table?format={kind}")
    assert answer.status_code == 200
    assert f"file-as-read.{kind}" in answer.headers["Content-Disposition"]
    if kind != "parquet":
        again = feed_of(client, "Harrow Garden", kind, answer.data)
        read = get(client, f"/feeds/{again}/window")
        assert read["arriving"] == [["1", "007", "Spade"], ["2", "008", "Rake"]]


# -- what a product that is there keeps


def test_the_bench_refuses_an_empty_required_field_of_new_products_only(sold):
    """As the changeset does: one that is in the catalog keeps its name."""
    known = next(k for k, p in catalog(sold).items() if k.startswith("QP-0040"))
    bare = known.removeprefix("QP-")
    feed = feed_of(sold, "Quarrow Pigments", "names", f"No;Title\n{bare};\n999999;\n")
    bench = by_hand(sold, feed, {"sku": "No", "name": "Title"})
    bench["crosswalk"]["fills"]["sku"]["steps"] = [{"do": "affix", "before": "QP-"}]
    body = {"crosswalk": bench["crosswalk"], "revision": bench["revision"]}
    bench = send(sold, "put", f"/feeds/{feed}/draft", body)
    name = next(f for f in bench["fields"] if f["field"]["name"] == "name")
    assert name["refused"] == 1
    shown = get(sold, f"/feeds/{feed}/window")
    at = shown["fields"].index("name")
    assert [m[at] for m in shown["marks"]] == [".", "r"]


def test_a_held_row_says_so_in_the_table_that_is_given_out(client):
    """As `nomotax read` does: what cannot be trusted is no value like the others."""
    feed = feed_of(client, "Harrow Garden", "list", "Code;Title\nZZ-1;Spade\nZZ-2;Rake;9;9\n")
    delivery = get(client, f"/feeds/{feed}/bench")["delivery_id"]
    lines = client.get(f"/api/v1/deliveries/{delivery}/table").text.splitlines()
    assert lines[0] == "row,Code,Title,Held because"
    assert lines[1] == "1,ZZ-1,Spade," and "4 cells" in lines[2]
