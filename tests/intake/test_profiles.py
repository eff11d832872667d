"""A feed as one document: out, and in as the start of another."""

from __future__ import annotations

import pytest

from nomotax.demo.outside.layout import PASSWORD
from tests.api.test_path import BUNDLE, get, send
from tests.intake.test_feeds import from_ssh, set_source


@pytest.fixture
def profile(client, outside):
    """That of the pigments' feed, with all that can be said of it."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    set_source(client, 1, from_ssh(outside), password=PASSWORD)
    send(client, "post", "/feeds/1/schedules", {"expression": "0 2 * * *", "zone": "UTC"}, 201)
    send(client, "put", "/feeds/1/may", {"may": "rest"})
    own = get(client, "/feeds/1/guards")["guards"]
    send(client, "put", "/feeds/1/guards", {"guards": [own[0] | {"on": False}, *own[1:]]})
    answer = client.get("/api/v1/feeds/1/profile.json")
    assert PASSWORD not in answer.text and "fernet" not in answer.text
    return answer.json


def test_a_copy_is_as_the_feed_but_for_what_signs_in_and_its_schedules_are_paused(client, profile):
    copy = profile | {"supplier": "Quarrow Twin", "name": "Daily list"}
    feed = send(client, "post", "/stores/1/feeds/from-profile", copy, 201)["id"]
    source = get(client, f"/feeds/{feed}/source")
    assert source["source"] == get(client, "/feeds/1/source")["source"] and source["kept"] == []
    when = get(client, f"/feeds/{feed}/schedules")
    assert when["may"] == "rest" and [s["paused"] for s in when["schedules"]] == [True]
    assert (
        get(client, f"/feeds/{feed}/guards")["guards"] == get(client, "/feeds/1/guards")["guards"]
    )
    again = client.get(f"/api/v1/feeds/{feed}/profile.json").json
    assert again == {k: v for k, v in copy.items() if k != "crosswalk"} | {
        "schedules": [copy["schedules"][0] | {"paused": True}]
    }


def test_what_the_store_has_under_a_name_stays_as_it_is(client, profile):
    before = get(client, "/stores/1/lookups")
    ladder = next(iter(profile["crosswalk"]["ladders"]))
    changed = ladder | {"rungs": ladder["rungs"][:1]}
    other = profile["crosswalk"] | {"ladders": [changed]}
    copy = profile | {"name": "Other", "crosswalk": other}
    send(client, "post", "/stores/1/feeds/from-profile", copy, 201)
    after = get(client, "/stores/1/lookups")
    same = [(x["kind"], x["name"]) for x in before["lookups"]]
    assert [(x["kind"], x["name"]) for x in after["lookups"]] == same
    assert client.get("/api/v1/feeds/1/profile.json").json["crosswalk"] == profile["crosswalk"]


def test_what_does_not_fit_makes_no_feed(client, profile):
    feeds = len(get(client, "/stores/1/arrivals")["feeds"])
    refused = client.post("/api/v1/stores/1/feeds/from-profile", json=profile)
    assert refused.status_code == 409 and "another name" in refused.json["remedy"]
    fills = profile["crosswalk"]["crosswalk"]["fills"]
    strange = {"crosswalk": {"fills": fills | {"shoe_size": fills["name"]}}}
    wrong = [
        profile | {"name": "X", "crosswalk": profile["crosswalk"] | strange},
        profile | {"name": "X", "format": "something"},
        profile | {"name": "X", "schedules": [{"expression": "0 0 30 2 *"}]},
        profile | {"name": ""},
    ]
    for one in wrong:
        answer = client.post("/api/v1/stores/1/feeds/from-profile", json=one)
        assert answer.status_code == 422, answer.text
    assert len(get(client, "/stores/1/arrivals")["feeds"]) == feeds


def test_a_feed_without_a_delivery_has_a_profile_too(client):
    made = send(client, "post", "/stores/1/feeds", {"supplier": "A", "name": "B"}, 201)["id"]
    document = client.get(f"/api/v1/feeds/{made}/profile.json").json
    assert document["supplier"] == "A" and "crosswalk" not in document
