"""What people are told of feeds that run by themselves: once, outward too, and that it is over."""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import text

from nomotax.core.errors import Conflict
from nomotax.demo.load import DATA
from nomotax.demo.outside.layout import PASSWORD
from nomotax.demo.outside.post import calls, mails
from nomotax.flows import applying, messages, telling
from nomotax.flows.telling import NotTold
from nomotax.records.database import database_url, engine_for
from tests.api.test_path import BUNDLE, get, next_week, send, unguarded
from tests.intake.test_by_itself import week
from tests.intake.test_feeds import fetch, from_ssh, lay, set_source
from tests.intake.test_web import answers


@pytest.fixture
def feed(client, outside, monkeypatch):
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    set_source(client, 1, from_ssh(outside), password=PASSWORD)
    monkeypatch.setenv("NOMOTAX_SMTP", f"smtp://127.0.0.1:{outside.ports.smtp}")
    monkeypatch.setenv("NOMOTAX_ADDRESS", "https://nomotax.example")
    return 1


def told(client):
    return [
        (m["kind"], m["times"], m["over"]) for m in get(client, "/stores/1/messages")["messages"]
    ]


def test_a_failure_is_said_once_and_then_that_it_is_over(client, work, feed, outside):
    set_source(client, feed, from_ssh(outside, folder="none"), password=PASSWORD)
    for _ in range(4):
        assert fetch(client, work, feed)["status"] == "failed"
    assert told(client) == [("failed", 4, False)]
    (line,) = get(client, "/stores/1/messages")["messages"]
    assert line["place"] == "feeds/1/profile" and line["remedy"] and not line["seen"]
    seen = send(client, "post", "/stores/1/messages/seen", {"ids": [line["id"]]})
    assert seen["unseen"] == 0
    set_source(client, feed, from_ssh(outside), password=PASSWORD)
    fetch(client, work, feed)
    assert told(client) == [("recovered", 1, True), ("failed", 4, True)]
    fetch(client, work, feed)
    assert len(told(client)) == 2 and get(client, "/stores/1/messages")["unseen"] == 1


def test_what_is_unreadable_held_or_asked_leads_to_where_it_is_looked_into(
    client, work, feed, outside
):
    lay(outside, "a.csv", b"%PDF-1.7")
    fetch(client, work, feed)
    (line,) = get(client, "/stores/1/messages")["messages"]
    assert "PDF" in line["said"] and line["place"].startswith("feeds/1/reading?delivery=")
    send(client, "put", f"/feeds/{feed}/may", {"may": "clean"})
    week(outside, 2)
    fetch(client, work, feed)
    newest = get(client, "/stores/1/messages")["messages"]
    run = get(client, "/stores/1/runs")["runs"][0]
    waits = next(m for m in newest if m["kind"] in ("held", "question"))
    assert waits["place"] in (
        f"runs/{run['id']}", f"feeds/1/bench?delivery={run['delivery_id']}"
    ) and not waits["over"]  # fmt: skip
    send(client, "post", f"/runs/{run['id']}/decline", {"reason": "no"})
    now = get(client, "/stores/1/messages")["messages"]
    assert all(m["over"] for m in now if m["kind"] in ("held", "question"))


def test_silence_is_told_when_it_is_longer_than_expected(client, work, feed, outside):
    later = datetime.now(UTC) + timedelta(days=9)
    assert messages.look_for_silence(later) == 0
    send(client, "put", f"/feeds/{feed}/quiet", {"days": 8})
    assert messages.look_for_silence() == 0
    assert [messages.look_for_silence(later) for _ in range(3)] == [1, 1, 1]
    assert told(client) == [("silent", 1, False)]
    week(outside, 2)
    fetch(client, work, feed)
    assert ("silent", 1, True) in told(client)
    refused = client.put(f"/api/v1/feeds/{feed}/quiet", json={"days": 0})
    assert refused.status_code == 422


def test_it_is_mailed_and_called_signed_and_each_once(client, work, feed, outside):
    body = {"mail": ["buyer@ostrelle.example"], "hook": outside.hook}
    made = send(client, "put", "/stores/1/told", body)
    assert made["secret"].startswith("whsec_") and made["mails"]
    assert get(client, "/stores/1/told")["secret"] == ""
    assert send(client, "put", "/stores/1/told", body)["secret"] == ""
    set_source(client, feed, from_ssh(outside, folder="none"), password=PASSWORD)
    for _ in range(3):
        fetch(client, work, feed)
    (mail,), (call,) = mails(outside.root), calls(outside.root)
    assert mail["to"] == "buyer@ostrelle.example" and "Weekly list: failed" in mail["subject"]
    assert "https://nomotax.example/s/1/feeds/1/profile" in mail["text"]
    head = call["headers"]
    signed = f"{head['webhook-id']}.{head['webhook-timestamp']}.{call['body']}".encode()
    key = base64.b64decode(made["secret"].removeprefix("whsec_"))
    expected = base64.b64encode(hmac.new(key, signed, hashlib.sha256).digest()).decode()
    assert head["webhook-signature"] == f"v1,{expected}"
    said = json.loads(call["body"])
    assert said["kind"] == "failed" and said["feed"] == "Quarrow Pigments, Weekly list"
    send(client, "post", "/stores/1/told/try")
    assert len(mails(outside.root)) == len(calls(outside.root)) == 2
    with engine_for(database_url()).connect() as db:
        assert made["secret"] not in db.execute(text("select told::text from stores")).scalar_one()


def test_a_digest_comes_once_a_day_with_all_of_it(client, work, feed, outside):
    body = {"mail": ["buyer@ostrelle.example"], "digest": True}
    send(client, "put", "/stores/1/told", body)
    set_source(client, feed, from_ssh(outside, folder="none"), password=PASSWORD)
    fetch(client, work, feed)
    set_source(client, feed, from_ssh(outside), password=PASSWORD)
    fetch(client, work, feed)
    assert mails(outside.root) == []
    morning = datetime(2026, 11, 30, 7, tzinfo=UTC)
    early = morning.replace(hour=2)
    assert [telling.begin_digests(at) for at in (early, morning, morning)] == [0, 1, 0]
    work()
    (mail,) = mails(outside.root)
    assert "2 messages of the day" in mail["subject"] and "works again" in mail["text"]
    assert telling.begin_digests(morning + timedelta(days=1)) == 0


def test_where_one_way_fails_the_other_is_not_gone_twice(client, work, feed, outside, monkeypatch):
    body = {"mail": ["buyer@ostrelle.example"], "hook": outside.hook}
    send(client, "put", "/stores/1/told", body)
    monkeypatch.setenv("NOMOTAX_SMTP", "smtp://127.0.0.1:9")
    set_source(client, feed, from_ssh(outside, folder="none"), password=PASSWORD)
    fetch(client, work, feed)
    (line,) = get(client, "/stores/1/messages")["messages"]
    for _ in range(2):
        telling.call(line["id"])
        with pytest.raises(NotTold, match="could not be sent"):
            telling.mail(line["id"])
    assert len(calls(outside.root)) == 1 and mails(outside.root) == []
    monkeypatch.setenv("NOMOTAX_SMTP", f"smtp://127.0.0.1:{outside.ports.smtp}")
    telling.mail(line["id"])
    telling.mail(line["id"])
    assert len(mails(outside.root)) == 1


def test_what_cannot_be_sent_is_tried_again(client, work, feed, outside, host, monkeypatch):
    """And a trial says why at once."""
    host.answers = [answers(500, b"")]
    send(client, "put", "/stores/1/told", {"hook": host.address("hook")})
    refused = client.post("/api/v1/stores/1/told/try")
    assert refused.status_code == 422 and "answers 501" in refused.json["detail"]
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "")
    refused = client.post("/api/v1/stores/1/told/try")
    assert "our own network" in refused.json["detail"]
    monkeypatch.setenv("NOMOTAX_FETCH_INSIDE", "127.0.0.1")
    set_source(client, feed, from_ssh(outside, folder="none"), password=PASSWORD)
    fetch(client, work, feed)
    with engine_for(database_url()).connect() as db:
        left = db.execute(text(
            "select status, attempts from procrastinate_jobs where task_name = 'call'"
        )).all()  # fmt: skip
    assert left == [("todo", 1)]
    monkeypatch.setenv("NOMOTAX_SMTP", "")
    send(client, "put", "/stores/1/told", {"mail": ["a@b.example"]})
    with pytest.raises(NotTold, match="cannot send mail"):
        telling.try_told(1)
    send(client, "put", "/stores/1/told", {})
    assert client.post("/api/v1/stores/1/told/try").status_code == 409
    for wrong in ({"mail": ["nobody"]}, {"hook": "ftp://x"}, {"mail": ["a@b\r\nBcc: c@d"]}):
        assert client.put("/api/v1/stores/1/told", json=wrong).status_code == 422


def test_a_failure_to_prepare_is_told(client, work, feed, outside):
    lay(outside, "quarrow-week-9.csv", b"ArtNo;EAN\r\n1;2\r\n")
    fetch(client, work, feed)
    (line,) = get(client, "/stores/1/messages")["messages"]
    assert line["kind"] == "failed" and "could not be prepared" in line["said"]
    assert (DATA / "quarrow-week-1.csv").exists()


def test_that_nothing_new_is_there_mends_nothing_that_came(client, work, feed, outside):
    """Neither what cannot be read nor what cannot be prepared works again by the next look."""
    lay(outside, "a.csv", b"%PDF-1.7")
    for _ in range(2):
        fetch(client, work, feed)
    assert told(client) == [("failed", 2, False)]
    lay(outside, "b.csv", b"ArtNo;EAN\r\n1;2\r\n")
    for _ in range(2):
        fetch(client, work, feed)
    assert told(client) == [("failed", 4, False)]
    assert fetch(client, work, feed)["status"] == "unchanged"
    assert "could not be prepared" in get(client, "/stores/1/messages")["messages"][0]["said"]
    week(outside, 2)
    fetch(client, work, feed)
    kinds = [(kind, over) for kind, _, over in told(client)]
    assert ("recovered", True) in kinds and ("failed", True) in kinds


def test_what_is_brought_by_hand_ends_the_silence_and_the_next_one_is_told(client, feed):
    send(client, "put", f"/feeds/{feed}/quiet", {"days": 8})
    later = datetime.now(UTC) + timedelta(days=9)
    assert messages.look_for_silence(later) == 1
    next_week(client)
    with engine_for(database_url()).begin() as db:
        db.execute(text("update deliveries set received_at = received_at + interval '9 days'"))
    assert messages.look_for_silence(later) == 0
    assert told(client) == [("silent", 1, True)]
    assert messages.look_for_silence(later + timedelta(days=9)) == 1
    assert told(client) == [("silent", 1, False), ("silent", 1, True)]


def test_that_it_could_not_be_applied_is_told_and_over_once_it_is(
    client, work, feed, outside, monkeypatch
):
    send(client, "put", f"/feeds/{feed}/may", {"may": "rest"})
    unguarded(client, feed)
    week(outside, 2)
    with monkeypatch.context() as patched:

        def full(*given):
            raise Conflict("There is no room left.", remedy="Make some.")

        patched.setattr(applying, "_write", full)
        fetch(client, work, feed)
    (line,) = get(client, "/stores/1/messages")["messages"]
    run = get(client, "/stores/1/runs")["runs"][0]
    assert (run["status"], line["place"]) == ("prepared", f"runs/{run['id']}")
    assert line["kind"] == "failed" and line["said"].startswith("It could not be applied: There is")
    assert fetch(client, work, feed)["status"] == "unchanged"
    assert told(client) == [("failed", 1, False)]
    send(client, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    assert told(client) == [("recovered", 1, True), ("failed", 1, True)]


def test_all_are_seen_however_many_there_are(client, feed):
    with engine_for(database_url()).begin() as db:
        db.execute(text(
            "insert into messages (store_id, feed_id, kind, said, remedy, place, times, at,"
            " last_at, ended_at) select 1, 1, 'failed', 'It failed.', '', '', 1, now(), now(),"
            " now() from generate_series(1, 300)"
        ))  # fmt: skip
    assert get(client, "/stores/1/messages")["unseen"] == 300
    assert send(client, "post", "/stores/1/messages/seen", {})["unseen"] == 0
