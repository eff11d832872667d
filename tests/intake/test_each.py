"""Several deliveries that lie there at once: each is taken, the oldest first, whatever breaks off
in the middle, and the newest one has the last word."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from nomotax.demo.outside.layout import FOLDER
from nomotax.flows import fetching
from nomotax.flows.fetching import fetch_queued
from nomotax.intake.bringing import Known, choose, now_known
from nomotax.intake.model import FolderSource
from nomotax.intake.naming import Found
from tests.api.test_guards import decide
from tests.api.test_offers import deliver, feeds, goods, held
from tests.api.test_path import get, send
from tests.intake.test_feeds import deliveries, fetch, set_source

# Fixtures that are used by their names.
__all__ = ["deliver", "feeds"]

PAGE = b"<!DOCTYPE html><html><head><title>Anmelden</title></head><body>Wer?</body></html>"


@pytest.fixture
def shelf(outside):
    """A folder that a wholesaler fills."""
    made = outside.root / FOLDER / "each"
    made.mkdir()
    yield made
    for file in made.iterdir():
        file.unlink()
    made.rmdir()


@pytest.fixture
def feed(client, work, feeds, shelf):
    """A list of which each file counts, applied by itself; its first one is there."""
    nord = feeds["Nord"]
    source = {"kind": "folder", "folder": str(shelf), "names": "*.csv", "take": "each"}
    set_source(client, nord, source)
    send(client, "put", f"/feeds/{nord}/may", {"may": "clean"})
    lay(shelf, 1, stock=10)
    assert fetch(client, work, nord)["status"] == "new"
    return nord


def lay(shelf, number, stock, rows=40):
    data = goods("N", [(n, "4,00", stock) for n in range(1, rows + 1)])
    (shelf / f"liste-{number}.csv").write_bytes(data.encode("cp1252"))


def came(client, feed):
    """The names of its lists, the oldest first."""
    names = [one["file_name"] for one in deliveries(client, feed)][::-1]
    return [one for one in names if one.startswith("liste")]


def test_all_are_applied_and_the_newest_has_the_last_word(client, work, feed, shelf):
    for number, stock in ((2, 8), (3, 6), (4, 4)):
        lay(shelf, number, stock=stock)
    line = fetch(client, work, feed)
    assert line["status"] == "new" and len(line["deliveries"]) == 3
    assert came(client, feed) == [f"liste-{n}.csv" for n in (1, 2, 3, 4)]
    runs = [one for one in get(client, "/stores/1/runs")["runs"] if one["feed_id"] == feed]
    assert [(one["file_name"], one["status"]) for one in sorted(runs, key=lambda r: r["id"])] == [
        (f"liste-{n}.csv", "applied") for n in (1, 2, 3, 4)
    ]
    assert held(client, "RH-1", "stock") == ("4",)
    assert fetch(client, work, feed)["status"] == "unchanged"


def test_what_is_no_list_holds_those_after_it_until_it_is_one(client, work, feed, shelf):
    """Nothing of them is lost, and none overtakes."""
    lay(shelf, 2, stock=8)
    (shelf / "liste-3.csv").write_bytes(PAGE)
    lay(shelf, 4, stock=4)
    line = fetch(client, work, feed)
    assert line["status"] == "failed" and "'Anmelden'" in line["said"] and line["remedy"]
    assert "liste-3.csv" in line["said"] and len(line["deliveries"]) == 1
    assert came(client, feed)[1:] == ["liste-2.csv"] and held(client, "RH-1", "stock") == ("8",)
    assert fetch(client, work, feed)["status"] == "failed"
    assert came(client, feed)[1:] == ["liste-2.csv"]
    lay(shelf, 3, stock=6)
    assert fetch(client, work, feed)["status"] == "new"
    # Written later than the fourth, it is a newer one.
    assert came(client, feed)[1:] == ["liste-2.csv", "liste-4.csv", "liste-3.csv"]
    assert held(client, "RH-1", "stock") == ("6",)


def test_a_worker_that_dies_between_two_leaves_the_others_for_the_next(
    client, work, feed, shelf, monkeypatch
):
    for number in (2, 3, 4):
        lay(shelf, number, stock=number)
    known = fetching._keep_known

    def dies(*given):
        known(*given)
        raise KeyboardInterrupt

    send(client, "post", f"/feeds/{feed}/fetches", status=202)
    asked = get(client, f"/feeds/{feed}/fetches")["fetches"][0]["id"]
    with monkeypatch.context() as patched, pytest.raises(KeyboardInterrupt):
        patched.setattr(fetching, "_keep_known", dies)
        fetch_queued(asked)
    assert came(client, feed)[1:] == ["liste-2.csv"]
    work()
    assert came(client, feed)[1:] == ["liste-2.csv", "liste-3.csv", "liste-4.csv"]
    line = get(client, f"/feeds/{feed}/fetches")["fetches"][0]
    assert line["status"] == "new" and len(line["deliveries"]) == 3
    assert held(client, "RH-1", "stock") == ("4",)


def test_one_that_is_held_is_not_written_over_a_newer_one(client, work, feed, shelf):
    """What a person looks at days later is held beside what the catalog has by then."""
    guards = [{"kind": "rows_fewer", "on": True, "limit": "30"}]
    send(client, "put", f"/feeds/{feed}/guards", {"guards": guards})
    lay(shelf, 2, stock=2, rows=9)
    lay(shelf, 3, stock=7)
    fetch(client, work, feed)
    runs = {
        one["file_name"]: one
        for one in get(client, "/stores/1/runs")["runs"]
        if one["feed_id"] == feed
    }
    assert (runs["liste-2.csv"]["status"], runs["liste-3.csv"]["status"]) == ("prepared", "applied")
    assert held(client, "RH-1", "stock") == ("7",)
    late = runs["liste-2.csv"]["id"]
    decide(client, late, "release", guard="rows_fewer:", reason="The half of it is meant.")
    send(client, "post", f"/runs/{late}/apply", status=202)
    work()
    told = get(client, f"/runs/{late}")
    assert (told["status"], told["again"]) == ("prepared", 40)
    assert told["since"].startswith("nothing was written: The catalog has changed")
    assert held(client, "RH-1", "stock") == ("7",)


def test_of_more_than_are_fetched_at_a_time_the_rest_wait_for_their_turn():
    """Two hundred and fifty at once: none is lost, and none holds up the others."""
    source = FolderSource(folder="/lists", take="each")
    moment = datetime(2026, 11, 30, tzinfo=UTC)
    found = [Found(f"{n}.csv", f"/lists/{n}.csv", 9, moment, str(n)) for n in range(250)]
    known = now_known(source, found[:1], Known(), [found[:1]], [], moment)
    taken = []
    for _ in range(3):
        groups = choose(source, found, known)
        taken += [one.name for (one,) in groups]
        for at in range(len(groups)):
            # Each is kept as it is taken: a worker may die behind any of them.
            after = now_known(source, found, known, groups[: at + 1], [], moment)
        known = after if groups else known
    assert taken == [f"{n}.csv" for n in range(1, 250)]
