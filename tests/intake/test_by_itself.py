"""Feeds that run by themselves: schedules, what may become of a delivery, and other schedulers."""

from __future__ import annotations

import json
import os
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from unittest.mock import ANY
from zoneinfo import ZoneInfo

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError
from sqlalchemy import text

from nomotax.cli import server
from nomotax.cli.home import Home
from nomotax.cli.main import main
from nomotax.core.cron import Cron
from nomotax.demo.load import DATA
from nomotax.demo.outside.layout import PASSWORD
from nomotax.flows import fetching, runs, schedules
from nomotax.flows.feeds import outcome_of
from nomotax.records.database import database_url, engine_for, session
from nomotax.records.queue import enqueue
from tests.api.test_path import BUNDLE, catalog, get, send
from tests.intake.test_feeds import deliveries, fetch, from_ssh, lay, push, set_source

PARIS = ZoneInfo("Europe/Paris")


def times(expression, after, many=3, zone="Europe/Paris"):
    found = Cron(expression=expression, zone=zone).after(after, many)
    return [one.astimezone(ZoneInfo(zone)).strftime("%a %d %H:%M %z") for one in found]


def test_a_time_that_the_clock_leaves_out_comes_once_and_one_it_brings_twice_once():
    spring = times("30 2 * * *", datetime(2026, 3, 28, 12, tzinfo=PARIS))
    assert spring == ["Sun 29 03:00 +0200", "Mon 30 02:30 +0200", "Tue 31 02:30 +0200"]
    autumn = times("30 2 * * *", datetime(2026, 10, 24, 12, tzinfo=PARIS))
    assert [one[:9] for one in autumn] == ["Sun 25 02", "Mon 26 02", "Tue 27 02"]
    hourly = Cron(expression="0 * * * *", zone="Europe/Paris")
    found = hourly.after(datetime(2026, 10, 25, 0, tzinfo=UTC) - timedelta(hours=2), 6)
    assert all(b - a == timedelta(hours=1) for a, b in pairwise(found))


@given(st.datetimes(datetime(2026, 1, 1), datetime(2030, 1, 1)), st.integers(0, 59),
       st.integers(0, 23), st.sampled_from(["UTC", "Europe/Paris", "America/Toronto"]))  # fmt: skip
def test_a_daily_time_comes_every_day_once(moment, minute, hour, zone):
    cron = Cron(expression=f"{minute} {hour} * * *", zone=zone)
    found = cron.after(moment.replace(tzinfo=UTC), 8)
    days = [one.astimezone(ZoneInfo(zone)).date() for one in found]
    assert all(b - a == timedelta(days=1) for a, b in pairwise(days))
    assert all(one > moment.replace(tzinfo=UTC) for one in found)


@pytest.mark.parametrize(
    ("expression", "says"),
    [("0 0 30 2 *", "never comes"), ("61 * * * *", "never comes"), ("* * * *", "five parts"),
     ("@daily", "five parts"), ("0 0 0 1 1 *", "five parts"), ("", "five parts")],
)  # fmt: skip
def test_what_never_comes_is_refused(expression, says):
    with pytest.raises(ValidationError, match=says):
        Cron(expression=expression)
    with pytest.raises(ValidationError, match="no time zone"):
        Cron(expression="0 2 * * *", zone="Mars/Olympus")


def test_it_is_said_in_plain_words():
    assert Cron(expression="0 6 * * 1-5").said == "At 06:00, Monday through Friday"
    assert Cron(expression="0 * * * *").said == "Every hour"


@pytest.fixture
def feed(client, outside):
    """Quarrow's feed, mapped, from a server of its supplier."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    set_source(client, 1, from_ssh(outside), password=PASSWORD)
    return 1


def week(outside, number):
    name = f"quarrow-week-{number}.csv"
    lay(outside, name, (DATA / name).read_bytes())


def newest_run(client):
    return get(client, "/stores/1/runs")["runs"][0]


def test_schedules_are_shown_changed_paused_and_taken_away(client, feed):
    body = {"expression": "0 2 * * *", "zone": "Europe/Paris"}
    made = send(client, "post", f"/feeds/{feed}/schedules", body, 201)
    (line,) = made["schedules"]
    assert line["said"] == "At 02:00" and len(line["next"]) == 5 and made["may"] == "wait"
    path = f"/schedules/{line['id']}"
    (paused,) = send(client, "put", path, body | {"paused": True})["schedules"]
    assert paused["paused"] and not paused["next"]
    assert send(client, "delete", path)["schedules"] == []
    assert client.delete(f"/api/v1{path}").status_code == 404
    refused = client.post(
        f"/api/v1/feeds/{feed}/schedules", json=body | {"expression": "0 0 31 4 *"}
    )
    assert refused.status_code == 422 and "never comes" in refused.json["detail"]
    shown = send(client, "post", "/schedules/times", {"expression": "*/10 * * * *"})
    assert shown["said"] == "Every 10 minutes" and len(shown["next"]) == 5
    other = send(client, "post", "/stores/1/feeds", {"supplier": "A", "name": "B"}, 201)["id"]
    refused = client.post(f"/api/v1/feeds/{other}/schedules", json=body)
    assert refused.status_code == 409 and "come from" in refused.json["detail"]


def test_what_is_due_comes_once_whoever_looks_and_however_late(client, feed, work, outside):
    body = {"expression": "*/5 * * * *", "zone": "UTC"}
    send(client, "post", f"/feeds/{feed}/schedules", body, 201)
    assert schedules.fire_due() == 0
    later = datetime.now(UTC) + timedelta(hours=7)
    assert [schedules.fire_due(later) for _ in range(3)] == [1, 0, 0]
    (line,) = get(client, f"/feeds/{feed}/fetches")["fetches"]
    assert line["because"] == "by schedule: Every 5 minutes" and line["by"] == "by schedule"
    week(outside, 1)
    work()
    assert get(client, f"/feeds/{feed}/fetches")["fetches"][0]["status"] == "unchanged"
    client.put(f"/api/v1/removals/feed/{feed}")
    assert schedules.fire_due(later + timedelta(hours=7)) == 0


def test_a_person_goes_before_what_begins_by_itself(client, feed):
    send(client, "post", f"/feeds/{feed}/schedules", {"expression": "* * * * *"}, 201)
    schedules.fire_due(datetime.now(UTC) + timedelta(hours=1))
    send(client, "post", f"/feeds/{feed}/runs", status=201)
    with engine_for(database_url()).connect() as db:
        found = db.execute(text("select task_name, priority from procrastinate_jobs order by id"))
        assert dict(found.all()) == {"fetch": -10, "prepare": 0}


def test_a_delivery_is_prepared_and_waits(client, feed, work, outside):
    """As every feed does unless it is said otherwise."""
    week(outside, 2)
    assert fetch(client, work, feed)["status"] == "new"
    run = newest_run(client)
    assert run["status"] == "prepared" and run["author"] == "Weekly list, by itself"
    assert get(client, f"/runs/{run['id']}")["log"][-1]["text"].startswith("waits: ")
    assert get(client, "/stores/1/messages")["messages"][0]["kind"] == "question"


def test_what_is_open_holds_it_and_the_rest_is_applied_where_that_may_be(
    client, feed, work, outside
):
    """Week two has a new colour and a new group: questions. *clean* waits, *rest* goes on."""
    send(client, "put", f"/feeds/{feed}/may", {"may": "clean"})
    before = catalog(client)
    week(outside, 2)
    fetch(client, work, feed)
    run = newest_run(client)
    assert run["status"] == "prepared" and catalog(client) == before
    assert get(client, f"/runs/{run['id']}")["log"][-1]["text"].startswith("waits: ")
    send(client, "put", f"/feeds/{feed}/may", {"may": "rest"})
    week(outside, 1)
    lay(outside, "quarrow-week-3.csv", (DATA / "quarrow-week-1.csv").read_bytes() + b"\r\n")
    fetch(client, work, feed)
    done = newest_run(client)
    assert done["status"] == "applied" and done["id"] > run["id"]
    assert len(catalog(client)) > len(before)


def test_what_is_clean_is_applied_by_itself_and_a_guard_holds_the_next(client, feed, work, outside):
    """Week one asks nothing; a week of which most rows are lost is not applied."""
    send(client, "put", f"/feeds/{feed}/may", {"may": "clean"})
    first = (DATA / "quarrow-week-1.csv").read_bytes()
    lay(outside, "quarrow-a.csv", first + b"\r\n")
    fetch(client, work, feed)
    run = newest_run(client)
    assert run["status"] == "applied" and run["author"] == "Weekly list, by itself"
    after = catalog(client)
    lay(outside, "quarrow-b.csv", b"\r\n".join(first.split(b"\r\n")[:200]) + b"\r\n")
    fetch(client, work, feed)
    held = newest_run(client)
    assert held["status"] == "prepared" and catalog(client) == after
    log = get(client, f"/runs/{held['id']}")["log"]
    findings = get(client, f"/runs/{held['id']}/decisions")["findings"]
    assert any(one["open"] for one in findings)
    assert log[-1]["text"].removeprefix("waits: ").split(",")[0].strip(".") in str(findings)


def test_nobody_has_mapped_it_and_it_is_left_as_it_came(client, feed, work, outside):
    made = send(client, "post", "/stores/1/feeds", {"supplier": "Hallwyn", "name": "Nails"}, 201)
    set_source(client, made["id"], from_ssh(outside, names="nails*"), password=PASSWORD)
    lay(outside, "nails-1.csv", b"Nr;Name;EK\r\n1;Nail;2,50\r\n")
    assert fetch(client, work, made["id"])["status"] == "new"
    assert get(client, "/stores/1/runs")["runs"] == []


def test_a_sent_delivery_goes_on_as_a_fetched_one(client, feed, work):
    token = send(client, "post", f"/feeds/{feed}/token", status=201)["token"]
    send(client, "put", f"/feeds/{feed}/may", {"may": "rest"})
    data = (DATA / "quarrow-week-2.csv").read_bytes()
    assert push(client, feed, token, data).status_code == 201
    work()
    assert newest_run(client)["status"] == "applied"


def test_why_it_could_not_be_prepared_is_said_with_the_fetch(client, feed, work, outside):
    """Columns that the crosswalk needs are not there."""
    lay(outside, "quarrow-week-9.csv", b"ArtNo;EAN\r\n1;2\r\n")
    line = fetch(client, work, feed)
    assert line["status"] == "new" and "could not be prepared" in line["said"]


def command(*words):
    done = CliRunner().invoke(main, [*words])
    last = done.output.strip().splitlines()[-1] if done.output.strip() else ""
    return done.exit_code, json.loads(last) if last.startswith("{") else done.output


def test_other_schedulers_run_a_feed_and_hear_how_it_ended(client, feed, outside):
    week(outside, 1)
    code, told = command("run", "1")
    assert (code, told["outcome"]) == (0, "unchanged")
    week(outside, 2)
    code, told = command("run", "Quarrow Pigments, Weekly list", "--apply", "clean")
    assert (code, told["outcome"]) == (1, "prepared") and told["said"].startswith("waits: ")
    assert told["counts"]["new"] and told["run"] == newest_run(client)["id"]
    set_source(client, feed, from_ssh(outside, folder="none"), password=PASSWORD)
    code, told = command("run", "1")
    assert (code, told["outcome"]) == (2, "failed") and told["remedy"]
    assert command("run", "Nobody")[0] == 2


def test_other_programs_bring_a_file(client, feed, tmp_path):
    file = tmp_path / "week-2.csv"
    file.write_bytes((DATA / "quarrow-week-2.csv").read_bytes())
    code, told = command("deliver", "1", str(file), "--apply", "all")
    assert (code, told["outcome"]) == (0, "applied") and told["counts"]["new"]
    assert command("deliver", "1", str(file))[1]["outcome"] == "unchanged"
    (tmp_path / "x.csv").write_bytes(b"%PDF-1.7")
    code, told = command("deliver", "1", str(tmp_path / "x.csv"))
    assert (code, told["outcome"]) == (2, "unreadable") and "PDF" in told["said"]
    assert len(deliveries(client, 1)) == 3


def test_what_another_worker_has_yet_to_go_on_with_is_waited_for(client, feed, work, outside):
    """It has prepared the run, and is about to apply it or to say what it waits for."""
    week(outside, 2)
    fetch(client, work, feed)
    delivery, run = deliveries(client, feed)[0]["id"], newest_run(client)
    assert (outcome_of(delivery).status, outcome_of(delivery).busy) == ("prepared", False)
    with session() as db:
        enqueue(db, "prepare", run_id=run["id"])
    assert outcome_of(delivery).busy
    work()
    assert not outcome_of(delivery).busy
    with session() as db:
        enqueue(db, "look_at_paths", feed_id=feed, delivery_id=delivery)
    assert not outcome_of(delivery).busy


def test_commands_work_on_what_was_started_in_their_folder(
    client, feed, outside, tmp_path, monkeypatch
):
    kept = {name: os.environ[name] for name in
            ("NOMOTAX_DATABASE_URL", "NOMOTAX_ARTIFACTS", "NOMOTAX_SECRET_FILE")}  # fmt: skip
    for name in kept:
        monkeypatch.delenv(name)
    started = tmp_path / "started"
    monkeypatch.setenv("NOMOTAX_HOME", str(started))
    week(outside, 1)
    code, told = command("run", "1")
    assert code == 2 and "make start" in told and not started.exists()
    started.mkdir()
    Home(started).keep(kept)
    assert (started / "environment.json").stat().st_mode & 0o077 == 0
    assert command("run", "1") == (0, {"feed": "1", "outcome": "unchanged", "said": ANY})


def test_what_is_started_keeps_artifacts_where_the_surroundings_say(place, tmp_path, monkeypatch):
    monkeypatch.setenv("NOMOTAX_ARTIFACTS", "s3://kept/here")
    monkeypatch.delenv("NOMOTAX_SECRET_FILE")
    env = server.start_database(Home(tmp_path))
    assert env["NOMOTAX_ARTIFACTS"] == "s3://kept/here"
    assert env["NOMOTAX_SECRET_FILE"] == str(tmp_path / "secret.key")
    assert env["NOMOTAX_DATABASE_URL"] == place.url


def test_a_worker_that_dies_right_after_it_prepared_leaves_nothing_undone(
    client, feed, work, outside, monkeypatch
):
    """Its job is done again by another one: the run is gone on with, and what it waits for is said
    once."""
    send(client, "put", f"/feeds/{feed}/may", {"may": "rest"})
    week(outside, 2)
    send(client, "post", f"/feeds/{feed}/fetches", status=202)
    fetching.fetch_queued(get(client, f"/feeds/{feed}/fetches")["fetches"][0]["id"])
    run = newest_run(client)["id"]

    def dies(run_id):
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(runs, "go_on_by_itself", dies)
        with pytest.raises(KeyboardInterrupt):
            runs.prepare(run)
    assert get(client, f"/runs/{run}")["status"] == "prepared"
    runs.prepare(run)
    work()
    assert get(client, f"/runs/{run}")["status"] == "applied"
    send(client, "put", f"/feeds/{feed}/may", {"may": "wait"})
    lay(outside, "quarrow-week-3.csv", (DATA / "quarrow-week-1.csv").read_bytes() + b"\r\n")
    fetch(client, work, feed)
    waiting = newest_run(client)["id"]
    for _ in range(2):
        runs.prepare(waiting)
    log = [line["text"] for line in get(client, f"/runs/{waiting}")["log"]]
    assert sum(text.startswith("waits: ") for text in log) == 1
