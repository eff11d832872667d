"""Suggestions taken together are marked until a person has looked at them."""

from __future__ import annotations

import pytest

from tests.api.test_path import BUNDLE, get, send


@pytest.fixture
def mapped(client):
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    return client


def marked_words(client):
    tables = get(client, "/feeds/1/values")["tables"]
    return {w["arriving"] for t in tables for w in t["words"] if w["accepted"]}


def marked_paths(client):
    (view, *_) = get(client, "/feeds/1/categories")["views"]
    return {p["path"] for p in view["arriving"] if p["accepted"]}


def marked_fields(client):
    return {f["field"]["name"] for f in get(client, "/feeds/1/bench")["fields"] if f["accepted"]}


def test_words_taken_together_are_marked_until_they_are_looked_at(mapped):
    (table, *_) = get(mapped, "/feeds/1/values")["tables"]
    first, second, third = (w["arriving"] for w in table["words"][:3])
    word, other = table["allowed"][:2]

    def put(words, **more):
        send(mapped, "put", "/feeds/1/values", {"table": table["table"], "words": words, **more})

    put({first: word, second: word}, accepted=True)
    put({third: word})
    assert marked_words(mapped) == {first, second}
    put({first: other})
    assert marked_words(mapped) == {second}, "a person's own answer needs no second look"
    seen = {f"value:{table['table']}:{second}": word}
    send(mapped, "put", "/feeds/1/seen", {"seen": seen})
    assert marked_words(mapped) == set()
    send(mapped, "put", "/feeds/1/seen", {"seen": seen, "back": True})
    assert marked_words(mapped) == {second}
    put({second: None})
    put({second: word})
    assert marked_words(mapped) == set()


def test_places_taken_together_are_marked_not_what_is_beneath_them(mapped):
    (view, *_) = get(mapped, "/feeds/1/categories")["views"]
    above = next(p["path"] for p in view["arriving"] if p["depth"] == 0)
    places = {above: view["store"][0]}
    body = {"table": view["table"], "places": places, "accepted": True}
    send(mapped, "put", "/feeds/1/categories", body)
    assert marked_paths(mapped) == {above}
    send(mapped, "put", "/feeds/1/categories", body)
    assert marked_paths(mapped) == {above}, "taken twice, marked once"
    send(mapped, "put", "/feeds/1/categories", body | {"places": {above: view["store"][1]},
                                                       "accepted": False})  # fmt: skip
    assert marked_paths(mapped) == set()


def test_fills_taken_together_are_marked_until_they_are_looked_at_or_changed(client):
    state = send(client, "post", "/feeds/1/suggestions/accept", {})
    taken = marked_fields(client)
    assert taken and taken == set(state["crosswalk"]["fills"])
    changed, seen, *_ = sorted(taken)
    fills = state["crosswalk"]["fills"]
    fills[changed]["steps"] = [*fills[changed]["steps"], {"do": "trim"}]
    draft = {"crosswalk": state["crosswalk"], "revision": state["revision"]}
    send(client, "put", "/feeds/1/draft", draft)
    assert marked_fields(client) == taken - {changed}
    column = fills[seen]["parts"][0]["column"]
    send(client, "put", "/feeds/1/seen", {"seen": {f"field:{seen}": column}})
    assert marked_fields(client) == taken - {changed, seen}
    send(client, "put", "/feeds/99/seen", {"seen": {}}, status=404)


def test_fills_taken_from_a_list_are_those_that_are_named(client):
    state = get(client, "/feeds/1/bench")
    one, other, *_ = [s for s in state["suggestions"] if s["sure"]]
    fills = {s["field"]: s["fill"] for s in (one, other)}
    draft = {"crosswalk": state["crosswalk"] | {"fills": fills}, "revision": state["revision"],
             "accepted": [one["field"], "no such field"]}  # fmt: skip
    send(client, "put", "/feeds/1/draft", draft)
    assert marked_fields(client) == {one["field"]}
