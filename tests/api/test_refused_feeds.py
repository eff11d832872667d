"""What cannot be said of a feed that runs by itself: each refusal says what is wrong, and where or
what to do, and nothing is changed by it."""

from __future__ import annotations

import pytest

from tests.api.test_path import get, send

#: Where it comes from, when, what of it, who may, who is told, and what its files must look like.
PARTS = ("source", "schedules", "scopes", "people", "code", "contract")
#: What is wrong with the whole of a body is told in full by these.
TELLING = ("never comes", "no time zone", "five parts", "at most")
LIST = b"Nr;Prijs\n1;2\n"
HOST = {"kind": "sftp", "host": "bestanden.example", "user": "winkel"}

#: What is asked, how it is answered, and words of the answer.
REFUSED = {
    "fetched from nowhere": ("post", "fetches", None, 409, "where the deliveries"),
    "in a scope that is none": (
        "put", "scopes", {"scopes": [{"name": " ", "fields": ["stock"]}]}, 422, "name"
    ),
    "at a time without a source": ("post", "schedules", {"expression": "0 2 * * *"}, 409,
                                   "where the deliveries"),
    "at a time that never comes": ("post", "schedules", {"expression": "0 0 31 2 *"}, 422,
                                   "never comes"),
    "at six parts": ("post", "schedules", {"expression": "0 0 2 * * *"}, 422, "five parts"),
    "in a zone that is none": ("post", "schedules",
                               {"expression": "0 2 * * *", "zone": "Europe/Atlantis"}, 422,
                               "no time zone"),
    "a source of no kind": ("put", "source", {"source": {"kind": "fax"}}, 422, "fax"),
    "a source with a word too many": ("put", "source", {"source": HOST | {"haast": 1}}, 422,
                                      "haast"),
    "a password in an address": (
        "put", "source",
        {"source": {"kind": "web", "addresses": ["https://a:b@lijst.example/x.csv"]}}, 422,
        "does not belong into an address",
    ),
    "a policy that is none": ("put", "may", {"may": "always"}, 422, "wait"),
    "silence of no days": ("put", "quiet", {"days": 0}, 422, "days"),
    "a code of two words": ("put", "code", {"code": "lijst een"}, 422, "code"),
    "two scopes of one name": (
        "put", "scopes",
        {"scopes": [{"name": "Prijs", "fields": ["cost"]}, {"name": "PRIJS", "fields": ["price"]}]},
        409, "same name",
    ),
    "a scope of an unknown field": ("put", "scopes",
                                    {"scopes": [{"name": "X", "fields": ["kleurtje"]}]}, 409,
                                    "kleurtje"),
    "people without a name": ("put", "people", {"run": [""], "edit": []}, 422, "run"),
    "oneself shut out": ("put", "people", {"run": [], "edit": ["Bram"]}, 409, "yourself"),
    "a contract without columns": ("put", "contract", {"contract": {}}, 422, "fields"),
    "a contract with a column twice": (
        "put", "contract", {"contract": {"fields": [{"name": "Prijs"}, {"name": "Prijs"}]}}, 422,
        "Prijs",
    ),
    "a contract that nothing can keep": (
        "put", "contract",
        {"contract": {"fields": [{"name": "Prijs", "type": "number",
                                  "constraints": {"minimum": "9", "maximum": "1"}}]}},
        422, "Prijs",
    ),
    "a pattern that is none": (
        "put", "contract",
        {"contract": {"fields": [{"name": "Nr", "constraints": {"pattern": "(["}}]}}, 422,
        "is no pattern",
    ),
}  # fmt: skip


@pytest.fixture
def feed(client):
    body = {"supplier": "Verfgroothandel Zwaan", "name": "Prijslijst"}
    return send(client, "post", "/stores/1/feeds", body, 201)["id"]


def told(client, feed):
    return {part: get(client, f"/feeds/{feed}/{part}") for part in PARTS}


@pytest.mark.parametrize("what", REFUSED)
def test_it_is_refused_with_the_reason_and_nothing_is_changed(client, feed, what):
    method, part, body, status, words = REFUSED[what]
    before = told(client, feed)
    answer = getattr(client, method)(f"/api/v1/feeds/{feed}/{part}", json=body)
    assert answer.status_code == status, answer.text
    said = answer.json
    assert answer.content_type == "application/problem+json"
    assert words in " ".join((said["detail"], said["where"], said["remedy"])), said
    assert said["where"] or said["remedy"] or any(w in said["detail"] for w in TELLING)
    assert told(client, feed) == before
    assert get(client, f"/feeds/{feed}/history")["changes"] == []


@pytest.mark.parametrize(
    ("path", "words"),
    [("/feeds/{feed}/contract.json", "contract"), ("/feeds/{feed}/contract.html", "contract"),
     ("/feeds/{feed}/contract/draft", "could be read"), ("/feeds/999/profile.json", "feed"),
     ("/feeds/999/fetches", "feed"), ("/fetches/999/log.txt", "fetch"),
     ("/deliveries/999/unusual", "delivery")],
)  # fmt: skip
def test_what_is_not_there_is_told_so(client, feed, path, words):
    answer = client.get(f"/api/v1{path.format(feed=feed)}")
    assert answer.status_code in (404, 409) and words in answer.json["detail"], answer.text


def test_a_supplier_without_its_token_learns_nothing(client, feed):
    token = send(client, "post", f"/feeds/{feed}/token", status=201)["token"]
    for given in ("", "Bearer", f"Bearer {token}x", f"Basic {token}", f"Bearer {token.upper()}"):
        head = {"Authorization": given} if given else {}
        answer = client.post(f"/api/v1/feeds/{feed}/incoming?name=x.csv", data=LIST, headers=head)
        assert answer.status_code == 401 and "Zwaan" not in answer.text
        assert answer.headers["WWW-Authenticate"] == "Bearer"
    # Of a feed that is not there just as much is told.
    other = client.post(
        "/api/v1/feeds/999/incoming?name=x.csv", data=LIST, headers={"Authorization": "Bearer x"}
    )
    assert (other.status_code, other.json["detail"]) == (401, answer.json["detail"])
    send(client, "delete", f"/feeds/{feed}/token")
    head = {"Authorization": f"Bearer {token}"}
    answer = client.post(f"/api/v1/feeds/{feed}/incoming?name=x.csv", data=LIST, headers=head)
    assert answer.status_code == 401
    assert [d for f in get(client, "/stores/1/arrivals")["feeds"] if f["id"] == feed
            for d in f["deliveries"]] == []  # fmt: skip
