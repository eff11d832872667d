"""Scopes: stock by the hour, everything once a week, of the same feed. In German, beside the demo's
suppliers."""

from datetime import UTC, datetime, timedelta

import pytest

from nomotax.demo.outside.layout import PASSWORD
from nomotax.flows import schedules
from tests.api.test_offers import HEAD, deliver, feeds, goods, held, rule
from tests.api.test_path import catalog, get, send, take_back
from tests.intake.test_by_itself import command, newest_run
from tests.intake.test_feeds import fetch, from_ssh, lay, set_source

# Fixtures that are used by their names.
__all__ = ["deliver", "feeds"]

STOCK = {"name": "Bestand", "fields": ["stock"]}
COST = {"name": "Preise", "fields": ["cost", "price"]}


@pytest.fixture
def feed(client, feeds, outside):
    """A list of a wholesaler that is applied by itself, with two scopes."""
    nord = feeds["Nord"]
    set_source(client, nord, from_ssh(outside), password=PASSWORD)
    send(client, "put", f"/feeds/{nord}/may", {"may": "clean"})
    send(client, "put", f"/feeds/{nord}/scopes", {"scopes": [STOCK, COST]})
    return nord


def bring(outside, number, rows):
    lay(outside, f"liste-{number}.csv", goods("N", rows).encode("cp1252"))


def look(client, work, feed, scope=""):
    """Looked for, and done by a worker; gives the fetch."""
    send(client, "post", f"/feeds/{feed}/fetches?scope={scope}", status=202)
    work()
    return get(client, f"/feeds/{feed}/fetches")["fetches"][0]


def test_a_scope_writes_its_fields_alone_and_the_whole_comes_after_it(client, work, feed, outside):
    bring(outside, 1, [(1, "4,00", 5), (2, "4,00", 5)])
    assert fetch(client, work, feed)["status"] == "new"
    assert newest_run(client)["status"] == "applied" and not newest_run(client)["scope"]
    before = catalog(client)
    bring(outside, 2, [(1, "4,50", 3), (3, "7,00", 1)])
    assert look(client, work, feed, "Bestand")["scope"] == "Bestand"
    run = newest_run(client)
    assert (run["status"], run["scope"]) == ("applied", STOCK)
    assert run["counts"]["changed"] == 1 and not run["counts"].get("new")
    expected = before | {"RH-1": before["RH-1"] | {"stock": "3"}}
    assert catalog(client) == expected
    # The same file once more: nothing for that scope, another one is taken from it, then all.
    assert not look(client, work, feed, "Bestand")["deliveries"]
    line = look(client, work, feed, "Preise")
    assert line["status"] == "unchanged" and line["said"].endswith("Its Preise is taken from it.")
    assert held(client, "RH-1", "cost", "name", "stock") == ("4.50", "N 1", "3")
    assert "RH-3" not in catalog(client)
    assert look(client, work, feed)["said"].endswith("It is prepared now.")
    assert newest_run(client)["counts"]["new"] == 1 and "RH-3" in catalog(client)
    for scope in ("", "Bestand", "Preise"):
        assert not look(client, work, feed, scope)["deliveries"]
    shown = next(f for f in get(client, "/stores/1/arrivals")["feeds"] if f["id"] == feed)
    assert (shown["needs"], shown["deliveries"][0]["run_scope"]) == ("calm", "")


def test_what_a_scope_wrote_is_taken_back_by_itself(client, work, feed, outside):
    bring(outside, 1, [(1, "4,00", 5)])
    look(client, work, feed)
    before = catalog(client)
    bring(outside, 2, [(1, "9,00", 0)])
    look(client, work, feed, "Bestand")
    assert held(client, "RH-1", "stock", "cost") == ("0", "4.00")
    take_back(client, work, newest_run(client)["id"])
    assert catalog(client) == before


def test_columns_and_questions_of_other_fields_are_none_of_its_own(client, work, feed, outside):
    """A file of the same supplier that has stock alone."""
    bring(outside, 1, [(1, "4,00", 5)])
    look(client, work, feed)
    lay(outside, "liste-2.csv", b"Nr;Bestand\nRH-1;8\n")
    look(client, work, feed, "Bestand")
    assert held(client, "RH-1", "stock", "cost") == ("8", "4.00")
    assert "could not be prepared" in look(client, work, feed)["said"]


def test_both_that_are_due_at_once_are_done(client, work, feed, outside):
    for scope in ("Bestand", ""):
        body = {"expression": "0 2 * * *", "scope": scope}
        shown = send(client, "post", f"/feeds/{feed}/schedules", body, 201)["schedules"]
    assert [one["scope"] for one in shown] == ["Bestand", ""]
    bring(outside, 1, [(1, "4,00", 5)])
    assert schedules.fire_due(datetime.now(UTC) + timedelta(days=2)) == 2
    work()
    looks = get(client, f"/feeds/{feed}/fetches")["fetches"]
    assert sorted(one["scope"] for one in looks) == ["", "Bestand"]
    assert held(client, "RH-1", "cost", "stock") == ("4.00", "5")
    refused = client.put(f"/api/v1/feeds/{feed}/scopes", json={"scopes": [COST]})
    assert refused.status_code == 409 and "'Bestand'" in refused.json["detail"]


@pytest.mark.parametrize(
    ("scopes", "status"),
    [([STOCK, STOCK | {"name": "BESTAND"}], 409), ([{"name": "X", "fields": ["sku"]}], 409),
     ([{"name": "X", "fields": ["nothing"]}], 409), ([{"name": "X", "fields": []}], 422),
     ([{"name": " ", "fields": ["stock"]}], 422)],
)  # fmt: skip
def test_a_scope_that_is_none_is_refused(client, feed, scopes, status):
    answer = client.put(f"/api/v1/feeds/{feed}/scopes", json={"scopes": scopes})
    assert answer.status_code == status and answer.json["remedy" if status == 409 else "detail"]
    assert [s["name"] for s in get(client, f"/feeds/{feed}/scopes")["scopes"]] == [
        "Bestand", "Preise",
    ]  # fmt: skip


def test_an_unknown_scope_is_told_with_those_there_are(client, work, feed, outside):
    answer = client.post(f"/api/v1/feeds/{feed}/fetches?scope=Lager")
    assert answer.status_code == 404 and answer.json["remedy"] == "It has: Bestand, Preise."
    bring(outside, 1, [(1, "4,00", 5)])
    look(client, work, feed)
    bring(outside, 2, [(1, "5,00", 6)])
    code, told = command("run", str(feed), "--scope", "Bestand")
    assert (code, told["outcome"]) == (0, "applied")
    assert held(client, "RH-1", "cost", "stock") == ("4.00", "6")
    code, told = command("run", str(feed), "--scope", "Lager")
    assert code == 2


def test_a_profile_takes_its_scopes_along(client, feed):
    send(client, "post", f"/feeds/{feed}/schedules",
         {"expression": "0 * * * *", "scope": "Bestand"}, 201)  # fmt: skip
    document = client.get(f"/api/v1/feeds/{feed}/profile.json").json
    document["name"] = "Kopie"
    made = send(client, "post", "/stores/1/feeds/from-profile", document, 201)["id"]
    assert get(client, f"/feeds/{made}/scopes")["scopes"] == [STOCK, COST]
    (line,) = get(client, f"/feeds/{made}/schedules")["schedules"]
    assert (line["scope"], line["paused"]) == ("Bestand", True)


def test_a_product_goes_over_to_another_offer_as_a_whole(
    client, work, feed, feeds, deliver, outside
):
    """Nord runs dry between two wholes: stock of one and price of the other would be no offer."""
    rule(client, feeds)
    bring(outside, 1, [(1, "4,00", 5), (2, "4,00", 5)])
    look(client, work, feed)
    deliver("Ost", goods("O", [(1, "5,00", 9), (2, "5,00", 9)]))
    assert held(client, "RH-1", "cost", "stock", "supplier_sku") == ("4.00", "5", "N1")
    bring(outside, 2, [(1, "4,80", 0), (2, "4,80", 2)])
    look(client, work, feed, "Bestand")
    assert held(client, "RH-1", "cost", "stock", "supplier_sku") == ("5.00", "9", "O1")
    assert held(client, "RH-2", "cost", "stock", "supplier_sku") == ("4.00", "2", "N2")
    offers = get(client, "/stores/1/offers/RH-1")["offers"]
    said = {one["feed"]: (one["taken"], one["values"]["stock"]) for one in offers}
    assert said == {"Nord: Liste": (False, "0"), "Ost: Liste": (True, "9")}
    # Whoever asks, it is the same: the other's whole changes nothing of it.
    deliver("Ost", goods("O", [(1, "5,00", 8), (2, "5,00", 9)]))
    assert held(client, "RH-1", "cost", "stock") == ("5.00", "8")
    assert held(client, "RH-2", "cost", "stock") == ("4.00", "2")
    bring(outside, 3, [(1, "4,90", 7), (2, "4,90", 2)])
    look(client, work, feed, "Bestand")
    assert held(client, "RH-1", "cost", "stock", "supplier_sku") == ("4.00", "7", "N1")


def test_who_never_offered_a_product_as_a_whole_does_not_take_it_by_its_stock(
    client, work, feed, feeds, deliver, outside
):
    rule(client, feeds)
    deliver("Ost", goods("O", [(1, "5,00", 9)]))
    bring(outside, 1, [(1, "4,00", 5)])
    look(client, work, feed, "Bestand")
    assert held(client, "RH-1", "cost", "stock", "supplier_sku") == ("5.00", "9", "O1")
    assert HEAD.startswith("Nr")


@pytest.mark.parametrize(
    ("lists", "told"),
    [
        # Scope by scope: the whole is as if it had come at once.
        ([("", "4,00", 5), ("Bestand", "5,00", 3), ("Preise", "5,00", 3)], ("5.00", "3")),
        # What a scope says stands until its own next one, or a whole.
        ([("", "4,00", 5), ("Preise", "6,00", 1), ("Bestand", "7,00", 2)], ("6.00", "2")),
        ([("", "4,00", 5), ("Bestand", "9,00", 0), ("", "4,50", 8)], ("4.50", "8")),
        ([("", "4,00", 5), ("Bestand", "4,00", 5)], ("4.00", "5")),
    ],
)  # fmt: skip
def test_one_after_the_other(client, work, feed, outside, lists, told):
    for number, (scope, cost, stock) in enumerate(lists, 1):
        bring(outside, number, [(1, cost, stock), (number + 1, cost, stock)])
        assert look(client, work, feed, scope)["status"] == "new"
    assert held(client, "RH-1", "cost", "stock") == told
    made = {key for key in catalog(client) if key.startswith("RH-")}
    wholes = {f"RH-{n + 1}" for n, (scope, *_) in enumerate(lists, 1) if not scope}
    assert made == wholes | {"RH-1"}


def test_a_scope_that_is_gone_when_its_time_comes_is_told_with_the_look(
    client, work, feed, outside
):
    bring(outside, 1, [(1, "4,00", 5)])
    look(client, work, feed)
    bring(outside, 2, [(1, "4,00", 4)])
    send(client, "post", f"/feeds/{feed}/fetches?scope=Bestand", status=202)
    send(client, "put", f"/feeds/{feed}/scopes", {"scopes": [COST]})
    work()
    line = get(client, f"/feeds/{feed}/fetches")["fetches"][0]
    assert line["status"] == "new" and "no scope 'Bestand'" in line["said"]
    assert "It has: Preise." in line["remedy"]
    assert held(client, "RH-1", "stock") == ("5",)


def test_a_guard_holds_a_scope_by_what_the_same_scope_was_like(client, work, feed, outside):
    """All stock gone at once: held, told, and taken once it is right again."""
    guards = get(client, f"/feeds/{feed}/guards")["guards"]
    on = [g | {"on": g["kind"] == "stock_emptied"} for g in guards]
    send(client, "put", f"/feeds/{feed}/guards", {"guards": on})
    rows = [(n, "4,00", 5) for n in range(1, 13)]
    bring(outside, 1, rows)
    look(client, work, feed)
    bring(outside, 2, [(n, cost, 0) for n, cost, _ in rows])
    look(client, work, feed, "Bestand")
    run = newest_run(client)
    assert (run["status"], run["scope"]) == ("prepared", STOCK)
    assert held(client, "RH-1", "stock") == ("5",)
    shown = next(f for f in get(client, "/stores/1/arrivals")["feeds"] if f["id"] == feed)
    assert shown["deliveries"][0]["run_scope"] == "Bestand"
    bring(outside, 3, [(n, cost, 4) for n, cost, _ in rows])
    look(client, work, feed, "Bestand")
    assert held(client, "RH-1", "stock") == ("4",)


def test_prepared_again_it_is_of_the_same_fields(client, work, feed, outside):
    send(client, "put", f"/feeds/{feed}/may", {"may": "wait"})
    bring(outside, 1, [(1, "4,00", 5)])
    look(client, work, feed)
    send(client, "post", f"/runs/{newest_run(client)['id']}/apply", None, 202)
    work()
    bring(outside, 2, [(1, "9,00", 3)])
    look(client, work, feed, "Bestand")
    run = newest_run(client)["id"]
    draft = get(client, f"/feeds/{feed}/bench")
    fills = draft["crosswalk"]["fills"]
    fills["stock"]["steps"] = [*fills["stock"].get("steps", []), {"do": "clamp", "most": "2"}]
    body = {"crosswalk": draft["crosswalk"], "revision": draft["revision"]}
    send(client, "put", f"/feeds/{feed}/draft", body)
    send(client, "post", f"/runs/{run}/anew", None, 202)
    work()
    assert get(client, f"/runs/{run}")["scope"] == STOCK
    send(client, "post", f"/runs/{run}/apply", None, 202)
    work()
    assert held(client, "RH-1", "cost", "stock") == ("4.00", "2")
