"""What a feed is called, who may do what with it, and what was changed of it. A seed merchant's
feed, beside the demo's paints."""

import pytest

from nomotax.flows.feeds import feed_named
from tests.api.test_matching import crosswalk, draw
from tests.api.test_path import get, send
from tests.api.test_reading import upload

LIST = b"Nr;Naam;Prijs\nZ-1;Goudsbloem;2,50\nZ-2;Klaproos;1,95\n"


@pytest.fixture
def feed(client):
    body = {"supplier": "Zaadhuis De Kiem", "name": "Voorjaar"}
    made = send(client, "post", "/stores/1/feeds", body, 201)["id"]
    upload(client, made, LIST, "lijst.csv")
    return made


def said(client, feed):
    return [one["said"] for one in get(client, f"/feeds/{feed}/history")["changes"]]


def by(client, name):
    """The same client as a person."""
    client.environ_base["HTTP_X_PERSON"] = name
    return client


def test_each_change_is_told_in_plain_words_with_who_did_it(client, feed):
    by(client, "Anneke")
    folder = {"kind": "folder", "folder": "/srv/zaden", "names": "*.csv"}
    send(client, "put", f"/feeds/{feed}/source", {"source": folder})
    times = {"expression": "0 6 * * 1-5", "zone": "Europe/Amsterdam"}
    (line,) = send(client, "post", f"/feeds/{feed}/schedules", times, 201)["schedules"]
    send(client, "put", f"/schedules/{line['id']}", times | {"paused": True})
    send(client, "delete", f"/schedules/{line['id']}")
    send(client, "put", f"/feeds/{feed}/may", {"may": "rest"})
    send(client, "put", f"/feeds/{feed}/may", {"may": "rest"})
    send(client, "put", f"/feeds/{feed}/quiet", {"days": 8})
    scope = {"name": "Prijzen", "fields": ["price"]}
    send(client, "put", f"/feeds/{feed}/scopes", {"scopes": [scope]})
    guards = get(client, f"/feeds/{feed}/guards")["guards"]
    other = [g | {"limit": "12.5"} if g["kind"] == "rows_fewer" else g for g in guards]
    send(client, "put", f"/feeds/{feed}/guards", {"guards": other})
    draft = get(client, f"/feeds/{feed}/contract/draft")["contract"]
    send(client, "put", f"/feeds/{feed}/contract", {"contract": draft})
    send(client, "put", f"/feeds/{feed}/code", {"code": "kiem"})
    send(client, "post", f"/feeds/{feed}/token", status=201)
    found = get(client, f"/feeds/{feed}/history")["changes"]
    assert {one["author"] for one in found} == {"Anneke"}
    assert [one["said"] for one in reversed(found)] == [
        "deliveries come from the newest file called *.csv in the folder /srv/zaden",
        "is fetched by itself: At 06:00, Monday through Friday, Europe/Amsterdam",
        "is fetched by itself: At 06:00, Monday through Friday, Europe/Amsterdam, paused",
        "is not fetched by itself any more: At 06:00, Monday through Friday, Europe/Amsterdam",
        "what comes by itself is applied as far as it is clean",
        "that nothing new comes is told after 8 days",
        "the scope Prijzen is Price",
        "the guard Fewer rows holds from 12.5 on, and not from 30",
        "its contract is kept",
        "its code is kiem",
        "deliveries may be sent with a new token",
    ]


def test_versions_of_the_crosswalk_are_among_them(client, feed):
    draw(client, feed, crosswalk({"sku": "Nr", "name": "Naam"}))
    note = {"note": "before spring"}
    assert client.post(f"/api/v1/feeds/{feed}/versions", json=note).status_code in (200, 201)
    (line,) = get(client, f"/feeds/{feed}/history")["changes"]
    assert line["version"] == 1 and line["said"].startswith("before spring: ")
    assert "name: now filled" in line["said"]


def test_a_code_is_what_programs_call_it_by_and_one_feeds_alone(client, feed):
    send(client, "put", f"/feeds/{feed}/code", {"code": "kiem-voorjaar"})
    assert feed_named("kiem-voorjaar") == feed == feed_named(str(feed))
    assert feed_named("Zaadhuis De Kiem, Voorjaar") == feed
    send(client, "put", "/feeds/1/code", {"code": "KIEM-voorjaar"}, 409)
    for code in ("7", "a b", "-x"):
        send(client, "put", f"/feeds/{feed}/code", {"code": code}, 422)
    assert get(client, f"/feeds/{feed}/code") == {"code": "kiem-voorjaar"}


def test_those_who_are_named_may_run_or_change_it_and_nobody_else(client, feed):
    by(client, "Anneke")
    refused = send(client, "put", f"/feeds/{feed}/people", {"edit": ["Bram"]}, 409)
    assert "yourself" in refused["remedy"]
    named = {"run": ["Bram"], "edit": ["Anneke"]}
    send(client, "put", f"/feeds/{feed}/people", named)
    assert said(client, feed)[0] == "may be run by Bram; may be changed by Anneke"
    run, edit = f"/feeds/{feed}/runs", f"/feeds/{feed}/may"
    delivery = get(client, "/stores/1/arrivals")["feeds"][-1]["deliveries"][0]["id"]
    for who, runs, edits in (("Anneke", 422, 200), ("Bram", 422, 403), ("Cor", 403, 403),
                             ("", 403, 403)):  # fmt: skip
        by(client, who)
        # What may be asked is answered, here with what is wrong.
        assert client.post(f"/api/v1{run}", query_string={"first": 0}).status_code == runs
        assert client.put(f"/api/v1{edit}", json={"may": "clean"}).status_code == edits
        assert get(client, f"/feeds/{feed}/people") == named
        shown = client.post(f"/api/v1/deliveries/{delivery}/preview", json={})
        assert shown.status_code != 403
        reading = {"reading": get(client, f"/deliveries/{delivery}")["reading"]}
        again = client.put(f"/api/v1/deliveries/{delivery}/reading", json=reading)
        assert again.status_code == edits
    told = client.put(f"/api/v1{edit}", json={"may": "clean"}).json
    assert told["detail"] == "Voorjaar may be changed by Anneke alone." and told["remedy"]
    # Other feeds are everybody's still.
    assert client.put("/api/v1/feeds/1/may", json={"may": "clean"}).status_code == 200


def test_the_last_runs_of_a_feed_and_how_one_went_as_text(client, work, feed):
    document = crosswalk({"sku": "Nr", "name": "Naam", "cost": "Prijs"})
    document["fills"]["category"] = {"parts": [{"text": "Brushes"}]}
    draw(client, feed, document)
    ids = [send(client, "post", f"/feeds/{feed}/runs", status=201)["id"] for _ in range(2)]
    work()
    found = get(client, f"/feeds/{feed}/runs")["runs"]
    assert [one["id"] for one in found] == ids[::-1]
    assert get(client, "/feeds/1/runs")["runs"] == []
    log = client.get(f"/api/v1/runs/{ids[0]}/log.txt")
    assert log.mimetype == "text/plain" and "prepared 2 rows" in log.text


#: What anybody may ask for: nothing is changed by it, or whoever asks signs in.
FREE = {"incoming", "preview", "try"}


def test_no_way_in_is_forgotten(client, work, feed, app):
    """Whatever of the API changes or runs a feed, or something of it, a stranger is refused."""
    by(client, "Anneke")
    draw(client, feed, crosswalk({"sku": "Nr", "name": "Naam"}))
    run = send(client, "post", f"/feeds/{feed}/runs", status=201)["id"]
    folder = {"kind": "folder", "folder": "/srv/zaden", "names": "*.csv"}
    send(client, "put", f"/feeds/{feed}/source", {"source": folder})
    schedule = send(client, "post", f"/feeds/{feed}/schedules", {"expression": "0 6 * * *"}, 201)
    fetch = send(client, "post", f"/feeds/{feed}/fetches", status=202)["id"]
    delivery = get(client, f"/runs/{run}")["delivery_id"]
    send(client, "put", f"/feeds/{feed}/people", {"run": ["Anneke"], "edit": ["Anneke"]})
    ids = {"feed_id": feed, "run_id": run, "delivery_id": delivery, "fetch_id": fetch,
           "schedule_id": schedule["schedules"][0]["id"]}  # fmt: skip
    by(client, "Cor")
    tried = []
    for rule in app.url_map.iter_rules():
        if not rule.arguments & ids.keys() or rule.rule.split("/")[-1] in FREE:
            continue
        path = rule.rule
        for name in rule.arguments:
            known = ids.get(name, 1)
            path = path.replace(f"<int:{name}>", str(known)).replace(f"<{name}>", str(known))
        for method in rule.methods - {"GET", "HEAD", "OPTIONS"}:
            answer = client.open(path, method=method, json={})
            assert answer.status_code == 403, (method, path, answer.text)
            assert answer.json["title"] == "This is not yours to do."
            tried.append(path)
    assert len(tried) > 40
    for kind, key in (("feed", feed), ("delivery", delivery)):
        assert client.put(f"/api/v1/removals/{kind}/{key}").status_code == 403
