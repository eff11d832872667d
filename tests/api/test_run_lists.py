"""Runs of feeds that run by themselves are many: they are found by their state, feed and file, a
page at a time."""

from __future__ import annotations

import pytest

from nomotax.records.database import session
from nomotax.records.runs import Runs
from tests.api.test_path import get, mapped, send

# A fixture that is used by its name.
__all__ = ["mapped"]

MANY = 450
STATES = ("prepared", "applied", "failed", "preparing", "declined", "stopped", "undone", "queued",
          "applying")  # fmt: skip


@pytest.fixture
def feeds(client):
    """Two feeds of a bookbinder's suppliers, with runs as a month of hourly lists leaves them."""
    made = []
    for supplier in ("Kalvskinn AS", "Lim & Lerret"):
        body = {"supplier": supplier, "name": "Liste"}
        made.append(send(client, "post", "/stores/1/feeds", body, 201)["id"])
    with session() as db:
        for n in range(MANY):
            name = f"liste_{n // 10}%{n % 10}.csv"
            Runs(db, 1).add(kind="edit", status=STATES[n % len(STATES)], used={"file_name": name})
    return made


def listed(client, **asked):
    found = get(client, "/stores/1/runs", **asked)
    return found["runs"], found["total"]


def test_pages_hold_every_run_once_the_newest_first(client, feeds):
    seen = []
    for offset in range(0, MANY + 60, 60):
        runs, total = listed(client, offset=offset, limit=60)
        seen += [one["id"] for one in runs]
        assert total == MANY
    assert len(set(seen)) == len(seen) == MANY and seen == sorted(seen, reverse=True)
    assert len(listed(client)[0]) == 100


@pytest.mark.parametrize("state", ["prepared", "applied", "failed", "declined", "stopped",
                                   "undone", "busy"])  # fmt: skip
def test_a_state_finds_its_own(client, feeds, state):
    own = {"queued", "preparing", "applying"} if state == "busy" else {state}
    runs, total = listed(client, state=state, limit=200)
    assert {one["status"] for one in runs} == own
    assert total == len(runs) == MANY * len(own) // len(STATES)


def test_what_stands_in_a_file_name_is_found_as_it_is_written(client, feeds):
    """A percent sign and an underline stand for themselves."""
    assert listed(client, search="LISTE_44%")[1] == 10
    assert listed(client, search="4%")[1] == sum(str(n // 10).endswith("4") for n in range(MANY))
    assert listed(client, search="e_7%3.csv")[1] == 1
    assert listed(client, search="liste-")[1] == 0
    assert listed(client, search="4%", state="applied")[1] < listed(client, search="4%")[1]


def test_a_feed_finds_its_own_and_what_cannot_be_meant_is_refused(client, work, mapped):
    run = send(client, "post", "/feeds/1/runs", status=201)["id"]
    work()
    runs, total = listed(client, feed_id=1)
    assert ([one["id"] for one in runs], total) == ([run], 1)
    assert runs[0]["log"] == get(client, f"/runs/{run}")["log"] != []
    assert listed(client, feed_id=2) == ([], 0)
    for wrong in ({"state": "sleeping"}, {"limit": 0}, {"limit": 201}, {"offset": -1}):
        answer = client.get("/api/v1/stores/1/runs", query_string=wrong)
        assert answer.status_code == 422 and answer.json["where"]
    assert client.get("/api/v1/stores/99/runs").status_code == 404
