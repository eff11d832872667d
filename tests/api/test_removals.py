"""Taking things out of sight: what each touches, what is refused, and what nobody may lose."""

from __future__ import annotations

import io

import pytest

from nomotax.flows.applying import apply
from tests.api.test_first_hour import drop, feed_of
from tests.api.test_own_store import applied, arriving
from tests.api.test_path import BUNDLE, catalog, get, prepare, send, take_back

LIST = "Code;Title\nZZ-1;Spade\nZZ-2;Rake\n"


@pytest.fixture
def mapped(client):
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    return client


@pytest.mark.parametrize("kind", ["store", "feed", "delivery"])
def test_what_is_not_there_is_neither_removed_nor_brought_back(client, kind):
    for method in ("get", "put", "delete"):
        told = send(client, method, f"/removals/{kind}/4711", status=404)
        assert "4711" in told["detail"]


def test_a_kind_that_is_none_is_refused(client):
    assert send(client, "get", "/removals/planet/1", status=422)


def test_nothing_goes_while_a_run_of_it_is_under_way(mapped, work):
    """Queued, it is under way as well: the worker that takes it would find nothing."""
    run = send(mapped, "post", "/feeds/1/runs", status=201)
    for kind, key in (("feed", 1), ("delivery", 1), ("store", 1)):
        told = send(mapped, "put", f"/removals/{kind}/{key}", status=409)
        assert f"Run {run['id']} is queued" in told["detail"] and "stop it" in told["remedy"]
    work()
    send(mapped, "put", "/removals/feed/1")
    assert "Quarrow Pigments" not in arriving(mapped)


def test_a_prepared_run_of_a_removed_feed_can_still_be_applied(mapped, work):
    """It is told so before, and stays in the list of runs."""
    run = prepare(mapped, work)
    told = get(mapped, "/removals/feed/1")
    assert (told["waiting_runs"], told["applied_runs"]) == (1, 0)
    send(mapped, "put", "/removals/feed/1")
    assert [r["id"] for r in get(mapped, "/stores/1/runs")["runs"]] == [run["id"]]
    assert applied(mapped, work, run)["status"] == "applied"
    assert any(key.startswith("QP-") for key in catalog(mapped))


def test_feeds_that_join_its_table_are_named(client):
    """And the next delivery of theirs is read without it."""
    stock = feed_of(client, "Harrow Garden", "stock", "Code;Free\nZZ-1;5\nZZ-2;0\n")
    goods = feed_of(client, "Harrow Garden", "list", LIST)
    delivery = get(client, f"/feeds/{goods}/bench")["delivery_id"]
    reading = get(client, f"/deliveries/{delivery}")["reading"]
    join = {"name": "stock", "feed": stock, "keys": [{"column": "Code", "theirs": "Code"}]}
    body = {"reading": reading | {"companions": [join]}}
    assert "stock: Free" in send(client, "put", f"/deliveries/{delivery}/reading", body)["columns"]
    assert get(client, f"/removals/feed/{stock}")["leaning"] == ["Harrow Garden, list"]
    newest = get(client, f"/feeds/{stock}/bench")["delivery_id"]
    send(client, "put", f"/removals/delivery/{newest}")
    again = drop(client, goods, LIST)
    found = get(client, f"/deliveries/{again}")
    assert "stock: Free" not in found["columns"] and found["rows"] == 2


def test_a_removed_delivery_is_no_earlier_one(client):
    """Growth and sameness are told against what is in sight."""
    feed = feed_of(client, "Harrow Garden", "list", LIST)
    second = drop(client, feed, LIST)
    lines = arriving(client)["Harrow Garden"]["deliveries"]
    assert (lines[0]["id"], lines[0]["same_as"]) == (second, lines[1]["id"])
    send(client, "put", f"/removals/delivery/{lines[1]['id']}")
    (line,) = arriving(client)["Harrow Garden"]["deliveries"]
    assert line["same_as"] is None and line["rows_before"] is None


def test_a_feed_is_called_otherwise(client):
    send(client, "put", "/feeds/1/name", {"name": "Monday's list"})
    assert arriving(client)["Quarrow Pigments"]["name"] == "Monday's list"
    assert send(client, "put", "/feeds/1/name", {"name": ""}, 422)
    assert send(client, "put", "/feeds/99/name", {"name": "x"}, 404)


def test_a_delivery_goes_to_no_feed_of_another_store(client):
    document = client.get("/api/v1/stores/1/schema.json").data
    form = {"name": "Other", "file": (io.BytesIO(document), "schema.json")}
    other = client.post("/api/v1/stores", data=form).json["id"]
    made = send(client, "post", f"/stores/{other}/feeds", {"supplier": "A", "name": "B"}, 201)
    told = send(client, "post", "/deliveries/1/move", {"feed_id": made["id"]}, 404)
    assert "no feed" in told["detail"]


def test_a_move_gives_up_what_was_only_prepared(mapped, work):
    run = prepare(mapped, work)
    other = feed_of(mapped, "Harrow Garden", "list", LIST)
    send(mapped, "post", "/deliveries/1/move", {"feed_id": other})
    after = get(mapped, f"/runs/{run['id']}")
    assert after["status"] == "failed" and "another feed" in after["error"]
    assert send(mapped, "post", f"/runs/{run['id']}/apply", status=409)


# -- the undo of a run


def test_an_apply_that_is_delivered_twice_is_done_once(mapped, work):
    """A queue may give a job twice: the second finds the run applied, and leaves it so."""
    before = catalog(mapped)
    run = prepare(mapped, work)
    applied(mapped, work, run)
    undo = take_back(mapped, work, run["id"])
    for again in (run["id"], undo["id"]):
        apply(again)
    assert get(mapped, f"/runs/{run['id']}")["status"] == "undone"
    assert catalog(mapped) == before


def test_a_delivery_whose_run_was_taken_back_can_be_moved(mapped, work):
    run = prepare(mapped, work)
    applied(mapped, work, run)
    other = feed_of(mapped, "Harrow Garden", "list", LIST)
    assert send(mapped, "post", "/deliveries/1/move", {"feed_id": other}, 409)["remedy"]
    take_back(mapped, work, run["id"])
    send(mapped, "post", "/deliveries/1/move", {"feed_id": other})
