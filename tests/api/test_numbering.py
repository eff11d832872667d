"""Products numbered by the store, where a supplier's list has no number that could be theirs: a
tannery's and a mill's lists, in Czech, week after week."""

from __future__ import annotations

import pytest

from tests.api.test_goods import receive
from tests.api.test_matching import apply, crosswalk, draw, prepare, seen
from tests.api.test_path import catalog, get, send, unguarded
from tests.api.test_path import take_back as undo

HIDES = "Kód;Název;Cena\nK/1;Kůže hovězí;40,00\nK/2;Kůže jelení;90,50\n;Kůže bez čísla;1,00\n"
FELTS = "Kód;Název;Cena\nP1;Plst bílá;4,00\nK/1;Plst černá;4,10\n"
RULE = {"by": "number", "prefix": "LE-", "first": 100, "digits": 4}


@pytest.fixture
def listed(client, work):
    """Makes a feed of a list whose products are numbered by a rule."""

    def made(supplier, text, rule=RULE):
        body = {"supplier": supplier, "name": "Ceník"}
        feed = unguarded(client, send(client, "post", "/stores/1/feeds", body, 201)["id"])
        receive_again(client, feed, text)
        columns = {"name": "Název", "price": "Cena"}
        identity = {"article": "Kód", "new_key": rule}
        document = crosswalk(columns, identity=identity)
        document["fills"]["category"] = {"parts": [{"text": "Painting"}]}
        draw(client, feed, document)
        return feed

    return made


def pairings(client, feed):
    return get(client, f"/feeds/{feed}/pairings")["pairings"]


def receive_again(client, feed, text):
    receive(client, feed, "ceník.csv", text.encode("cp1250"))


def keys(client, run):
    return {n: (line["key"], line["status"]) for n, line in seen(client, run).items()}


def test_products_are_numbered_and_found_by_their_articles_the_next_week(client, work, listed):
    feed = listed("Koželužna", HIDES)
    first = apply(client, work, feed)
    assert keys(client, first) == {
        1: ("LE-0100", "new"), 2: ("LE-0101", "new"), 3: (None, "rejected")
    }  # fmt: skip
    assert [(p["article"], p["key"], p["author"]) for p in pairings(client, feed)] == [
        ("K/1", "LE-0100", f"run {first['id']}"), ("K/2", "LE-0101", f"run {first['id']}")
    ]  # fmt: skip
    receive_again(client, feed, "Kód;Název;Cena\nK/9;Kůže kozí;7,00\nK/2;Kůže jelení;95,00\n")
    week = apply(client, work, feed)
    assert keys(client, week) == {1: ("LE-0102", "new"), 2: ("LE-0101", "changed")}


def test_numbers_that_another_feed_has_prepared_are_not_given_twice(client, work, listed):
    hides, felts = listed("Koželužna", HIDES), listed("Plstárna", FELTS)
    prepare(client, work, hides)
    assert keys(client, prepare(client, work, felts)) == {
        1: ("LE-0102", "new"), 2: ("LE-0103", "new")
    }  # fmt: skip
    # What it has prepared before is not in its own way.
    assert keys(client, prepare(client, work, felts))[1] == ("LE-0102", "new")
    assert keys(client, apply(client, work, hides))[1] == ("LE-0104", "new")


def test_taken_back_its_articles_make_products_again_and_put_in_they_are_found(
    client, work, listed
):
    feed = listed("Koželužna", HIDES)
    first = apply(client, work, feed)
    back = undo(client, work, first["id"])
    assert pairings(client, feed) == []
    again = prepare(client, work, feed)
    assert keys(client, again)[1] == ("LE-0102", "new")
    undo(client, work, back["id"])
    assert [p["key"] for p in pairings(client, feed)] == ["LE-0100", "LE-0101"]
    assert keys(client, prepare(client, work, feed))[1] == ("LE-0100", "same")


def test_a_key_of_the_suppliers_number_behind_a_prefix(client, work, listed):
    feed = listed("Plstárna", FELTS, {"by": "article", "prefix": "PL-"})
    made = apply(client, work, feed)
    assert seen(client, made)[2]["reason"].startswith("SKU: 'PL-K/1' does not fit the pattern")
    assert catalog(client)["PL-P1"]["name"] == "Plst bílá"
    assert keys(client, prepare(client, work, feed))[1] == ("PL-P1", "same")


def test_what_is_numbered_is_asked_no_key_on_the_bench(client, listed):
    feed = listed("Koželužna", HIDES)
    fields = get(client, f"/feeds/{feed}/bench")["fields"]
    key = next(f for f in fields if f["field"]["name"] == "sku")
    assert key["source"] == "'LE-' + a number from 100 on"
    assert (key["questions"], key["refused"]) == (0, 1)
    asked = get(client, f"/feeds/{feed}/questions")["questions"]
    assert not [q for q in asked if q["subject"] == "sku"]
