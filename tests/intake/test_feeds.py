"""Feeds that fetch: through the API and a worker, from real servers."""

from __future__ import annotations

import io
import json
import threading
import time
from datetime import UTC, datetime

import pytest
from sqlalchemy import text

from nomotax.core.errors import UnreadableFile
from nomotax.demo.load import DATA
from nomotax.demo.outside.layout import PASSWORD, SFTP, USER, WEB, put
from nomotax.flows import fetching, receive
from nomotax.flows.fetching import fetch_queued
from nomotax.records.database import database_url, engine_for
from tests.api.test_path import BUNDLE, get, send
from tests.api.test_reading import upload
from tests.intake.test_web import answers, slow

SPICES = [f"{n:04d};{n},50" for n in range(1, 9)]


def prices(rows=SPICES):
    return "\n".join(["Artikel;Preis", *rows, ""]).encode()


@pytest.fixture
def feed(client):
    body = {"supplier": "Gewürzhaus Tiemann", "name": "Preisliste"}
    return send(client, "post", "/stores/1/feeds", body, 201)["id"]


def from_ssh(outside, **more):
    return {
        "kind": "sftp", "host": "127.0.0.1", "port": outside.ports.sftp, "user": USER,
        "host_key": outside.ports.host_key, "names": "*.csv",
    } | more  # fmt: skip


def set_source(client, feed, source, **secrets):
    body = {"source": source, "secrets": secrets}
    return send(client, "put", f"/feeds/{feed}/source", body)


def lay(outside, name, data, part=SFTP):
    put(outside.root, part, name, data, datetime.now(UTC))


def fetch(client, work, feed):
    """Asked for, and done by a worker; gives what came of it."""
    send(client, "post", f"/feeds/{feed}/fetches", status=202)
    work()
    return get(client, f"/feeds/{feed}/fetches")["fetches"][0]


def deliveries(client, feed):
    found = get(client, "/stores/1/arrivals")["feeds"]
    return next(f for f in found if f["id"] == feed)["deliveries"]


def test_a_delivery_is_fetched_once_read_and_told(client, work, feed, outside):
    set_source(client, feed, from_ssh(outside), password=PASSWORD)
    assert fetch(client, work, feed)["status"] == "nothing"
    lay(outside, "kw48.csv", prices())
    came = fetch(client, work, feed)
    assert (came["status"], came["said"]) == ("new", "kw48.csv came: 8 rows.")
    (line,) = deliveries(client, feed)
    assert line["id"] == came["deliveries"][0] and line["status"] == "waiting"
    again = fetch(client, work, feed)
    assert again["status"] == "unchanged" and not again["deliveries"]
    # The same bytes under another name, and brought by hand, are no delivery either.
    lay(outside, "kw49.csv", prices())
    assert fetch(client, work, feed)["status"] == "unchanged"
    upload(client, feed, prices(SPICES[:5]), "by-hand.csv")
    lay(outside, "kw50.csv", prices(SPICES[:5]))
    assert fetch(client, work, feed)["status"] == "unchanged"
    assert len(deliveries(client, feed)) == 2
    log = client.get(f"/api/v1/fetches/{came['id']}/log.txt").text
    assert "looking" in log and "fetching kw48.csv" in log and "8 rows" in log


def test_what_cannot_be_read_is_kept_with_the_reason(client, work, feed, outside):
    set_source(client, feed, from_ssh(outside, names="*"), password=PASSWORD)
    lay(outside, "liste.pdf", b"%PDF-1.7 nothing")
    came = fetch(client, work, feed)
    assert came["status"] == "new" and "PDF document" in came["said"]
    assert deliveries(client, feed)[0]["status"] == "unreadable"


def test_secrets_are_never_shown_and_go_to_nobody_else(client, feed, outside):
    source = from_ssh(outside)
    made = set_source(client, feed, source, password=PASSWORD)
    assert made["kept"] == ["password"] and PASSWORD not in json.dumps(made)
    with engine_for(database_url()).connect() as db:
        kept = db.execute(text("select secrets::text from feeds where id = :f"), {"f": feed})
        locked = kept.scalar_one()
    assert PASSWORD not in locked and "fernet:" in locked
    assert set_source(client, feed, source | {"names": "x*"})["kept"] == ["password"]
    tried = {"source": source | {"port": outside.ports.web}}
    assert "error" in send(client, "post", f"/feeds/{feed}/source/try", tried)
    # Another host or user would be told it; a new key of the same host is a person's word.
    assert set_source(client, feed, source | {"host_key": ""})["kept"] == ["password"]
    for other in ({"host": "localhost"}, {"user": "other"}):
        set_source(client, feed, source, password=PASSWORD)
        assert set_source(client, feed, source | other)["kept"] == []
    assert set_source(client, feed, source, password="")["kept"] == []


def test_a_secret_locked_with_another_key_is_asked_for_again(
    client, work, feed, outside, monkeypatch, tmp_path
):
    set_source(client, feed, from_ssh(outside), password=PASSWORD)
    monkeypatch.setenv("NOMOTAX_SECRET_FILE", str(tmp_path / "other.key"))
    came = fetch(client, work, feed)
    assert came["status"] == "failed" and "another key" in came["said"]
    assert came["remedy"] == "Enter the password again."


def test_a_try_shows_what_is_there_and_keeps_nothing(client, feed, outside):
    for name in ("kw47.csv", "kw48.csv", "notes.txt"):
        lay(outside, name, prices())

    def tried(source, **secrets):
        return send(client, "post", f"/feeds/{feed}/source/try",
                    {"source": source, "secrets": secrets})  # fmt: skip

    found = tried(from_ssh(outside), password=PASSWORD)
    assert [(f["name"], f["taken"]) for f in found["files"]] == [
        ("kw48.csv", True), ("kw47.csv", False)
    ]  # fmt: skip
    assert found["sample"]["columns"] == ["Artikel", "Preis"]
    assert found["sample"]["rows"][0] == ["0001", "1,50"] and found["sample"]["format"]
    strange = tried(from_ssh(outside, host_key=""), password=PASSWORD)
    assert strange["host_key"] == outside.ports.host_key and not strange["files"]
    wrong = tried(from_ssh(outside), password="wrong")
    assert "does not let" in wrong["error"] and wrong["remedy"]
    lay(outside, "kw99.csv", b"%PDF-1.7")
    assert "PDF" in tried(from_ssh(outside), password=PASSWORD)["sample"]["said"]
    assert get(client, f"/feeds/{feed}/source")["source"] is None
    assert get(client, f"/feeds/{feed}/fetches")["fetches"] == []
    refused = client.post(f"/api/v1/feeds/{feed}/source/try", json={"source": None})
    assert refused.status_code == 404


def test_what_completes_a_feed_is_fetched_with_it(client, work, feed, outside):
    """Texts and prices that change together are one delivery; texts alone are one as well."""
    stock = send(client, "post", "/stores/1/feeds",
                 {"supplier": "Gewürzhaus Tiemann", "name": "Bestand"}, 201)["id"]  # fmt: skip
    set_source(client, feed, from_ssh(outside, names="preis*"), password=PASSWORD)
    set_source(client, stock, from_ssh(outside, names="bestand*"), password=PASSWORD)
    lay(outside, "preis1.csv", prices())
    lay(outside, "bestand1.csv", b"nr;menge\n0001;5\n0002;7\n")
    assert fetch(client, work, stock)["status"] == fetch(client, work, feed)["status"] == "new"
    first = deliveries(client, feed)[0]["id"]
    reading = get(client, f"/deliveries/{first}")["reading"]
    reading["companions"] = [
        {"name": "stock", "feed": stock, "keys": [{"column": "Artikel", "theirs": "nr"}]}
    ]
    send(client, "put", f"/deliveries/{first}/reading", {"reading": reading})

    def amounts():
        newest = deliveries(client, feed)[0]["id"]
        columns = get(client, f"/deliveries/{newest}")["columns"]
        rows = get(client, f"/deliveries/{newest}/rows?limit=2")["rows"]
        return [row[columns.index("stock: menge")] for row in rows]

    assert amounts() == ["5", "7"] and len(deliveries(client, feed)) == 1
    lay(outside, "preis2.csv", prices(SPICES[:6]))
    lay(outside, "bestand2.csv", b"nr;menge\n0001;4\n0002;6\n")
    assert fetch(client, work, feed)["status"] == "new"
    assert amounts() == ["4", "6"] and len(deliveries(client, feed)) == 2
    lay(outside, "bestand3.csv", b"nr;menge\n0001;3\n0002;5\n")
    texts = fetch(client, work, feed)
    assert texts["status"] == "new" and "'Bestand' brought bestand3.csv" in texts["said"]
    newest = deliveries(client, feed)[0]
    assert amounts() == ["3", "5"] and newest["because"] == "'Bestand' brought bestand3.csv"
    fetch(client, work, feed)
    assert len(deliveries(client, feed)) == 3
    lines = get(client, f"/feeds/{stock}/fetches")["fetches"]
    assert [f["status"] for f in lines] == ["unchanged", "new", "new", "new"]


def push(client, feed, token, data, name="liste.csv", **more):
    headers = {"Authorization": f"Bearer {token}"} if token else {}
    address = f"/api/v1/feeds/{feed}/incoming?name={name}"
    return client.post(address, data=data, headers=headers, **more)


def test_a_supplier_sends_with_a_token(client, work, feed):
    token = send(client, "post", f"/feeds/{feed}/token", status=201)["token"]
    for wrong in ("", "nmx_guess", token + "x"):
        refused = push(client, feed, wrong, prices())
        assert refused.status_code == 401 and refused.headers["WWW-Authenticate"] == "Bearer"
    assert push(client, 999, token, prices()).status_code == 401
    sent = push(client, feed, token, prices())
    assert sent.status_code == 201 and sent.json["status"] == "new"
    assert deliveries(client, feed)[0]["status"] == "reading"
    work()
    assert deliveries(client, feed)[0]["rows"] == 8
    assert push(client, feed, token, prices()).json["status"] == "unchanged"
    assert push(client, feed, token, b"").status_code == 422
    with pytest.raises(UnreadableFile, match="bytes came of 9,999"):
        fetching.take_sent(feed, "half.csv", io.BytesIO(b"a;b\n7;8\n"), 9999)
    assert push(client, feed, token, prices(), name="../x").status_code == 422
    assert len(deliveries(client, feed)) == 1
    fresh = send(client, "post", f"/feeds/{feed}/token", status=201)["token"]
    assert push(client, feed, token, b"a;b\n1;2\n").status_code == 401
    assert push(client, feed, fresh, b"a;b\n1;2\n").status_code == 201
    send(client, "delete", f"/feeds/{feed}/token")
    assert push(client, feed, fresh, b"a;b\n3;4\n").status_code == 401


def test_nobody_says_where_from_and_a_fetch_asked_twice_is_one(client, work, feed, outside):
    refused = client.post(f"/api/v1/feeds/{feed}/fetches")
    assert refused.status_code == 409 and "profile" in refused.json["remedy"]
    set_source(client, feed, from_ssh(outside), password=PASSWORD)
    asked = [send(client, "post", f"/feeds/{feed}/fetches", status=202)["id"] for _ in "ab"]
    assert asked[0] == asked[1]
    send(client, "post", f"/fetches/{asked[0]}/stop")
    assert client.post(f"/api/v1/fetches/{asked[0]}/stop").status_code == 409
    work()
    assert get(client, f"/feeds/{feed}/fetches")["fetches"][0]["status"] == "stopped"


@pytest.fixture
def dragging(client, feed, host):
    """A feed from a host that takes very long."""
    host.answers = [slow]
    set_source(client, feed, {"kind": "web", "addresses": [host.address()]})
    send(client, "post", f"/feeds/{feed}/fetches", status=202)
    return host


def while_it_runs(client, feed, work, then):
    """Does something once a fetch has begun to bring bytes."""
    worker = threading.Thread(target=work)
    worker.start()
    until = time.monotonic() + 60
    while not (line := get(client, f"/feeds/{feed}/fetches")["fetches"][0])["done"]:
        assert time.monotonic() < until, line
        time.sleep(0.05)
    then(line["id"])
    worker.join(60)
    assert not worker.is_alive()
    return get(client, f"/feeds/{feed}/fetches")["fetches"][0]


def test_a_fetch_is_stopped_in_the_middle(client, work, feed, dragging, monkeypatch):
    monkeypatch.setattr(fetching, "_OFTEN", 0.1)
    line = while_it_runs(
        client, feed, work, lambda one: send(client, "post", f"/fetches/{one}/stop")
    )
    assert line["status"] == "stopped" and line["total"] == 1_000_000
    assert deliveries(client, feed) == []


def test_a_feed_that_is_removed_meanwhile_takes_nothing(client, work, feed, host, monkeypatch):
    monkeypatch.setattr(fetching, "_OFTEN", 0.0)
    seen = []

    def answer(handler):
        seen.append(client.application.test_client().put(f"/api/v1/removals/feed/{feed}"))
        answers(body=prices())(handler)

    host.answers = [answer]
    set_source(client, feed, {"kind": "web", "addresses": [host.address()]})
    line = fetch(client, work, feed)
    assert seen[0].status_code == 200, seen[0].text
    assert line["status"] == "failed" and "removed meanwhile" in line["said"]


def test_a_worker_that_dies_in_the_middle_loses_and_doubles_nothing(
    client, work, feed, outside, monkeypatch
):
    """Killed before the bytes are kept, and after, before they are read, and before they are gone
    on with."""
    set_source(client, feed, from_ssh(outside), password=PASSWORD)
    lay(outside, "kw48.csv", prices())

    class Killed(BaseException):
        pass

    def dies(*args, **more):
        raise Killed

    one = send(client, "post", f"/feeds/{feed}/fetches", status=202)["id"]
    for place in ((fetching, "take_in"), (receive, "read"), (fetching, "begin")):
        with monkeypatch.context() as patch:
            patch.setattr(*place, dies)
            with pytest.raises(Killed):
                fetch_queued(one)
        assert get(client, f"/feeds/{feed}/fetches")["fetches"][0]["status"] == "fetching"
    fetch_queued(one)
    (line,) = get(client, f"/feeds/{feed}/fetches")["fetches"]
    assert line["status"] == "new" and deliveries(client, feed)[0]["rows"] == 8
    assert len(deliveries(client, feed)) == 1
    # One that no job is left for says so, whoever looks.
    with engine_for(database_url()).begin() as db:
        db.execute(text("update fetches set status = 'fetching'"))
        db.execute(text("delete from procrastinate_jobs"))
    fetching.give_up()
    assert "Interrupted" in get(client, f"/feeds/{feed}/fetches")["fetches"][0]["said"]


def test_a_run_that_a_dead_worker_began_is_not_begun_twice(client, work, outside, monkeypatch):
    """And the fetch of a companion that it left is gone on with, not left for ever."""
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    stock = send(client, "post", "/stores/1/feeds",
                 {"supplier": "Quarrow Pigments", "name": "Stock"}, 201)["id"]  # fmt: skip
    for one, names in ((1, "quarrow*"), (stock, "stock*")):
        set_source(client, one, from_ssh(outside, names=names), password=PASSWORD)
    lay(outside, "stock-1.csv", b"nr;menge\n004000;5\n")
    assert fetch(client, work, stock)["status"] == "new"
    reading = get(client, "/deliveries/1")["reading"]
    reading["companions"] = [
        {"name": "stock", "feed": stock, "keys": [{"column": "ArtNo", "theirs": "nr"}]}
    ]
    send(client, "put", "/deliveries/1/reading", {"reading": reading})
    lay(outside, "quarrow-2.csv", (DATA / "quarrow-week-2.csv").read_bytes())
    lay(outside, "stock-2.csv", b"nr;menge\n004000;4\n")

    def dies(*args, **more):
        raise KeyboardInterrupt

    one = send(client, "post", "/feeds/1/fetches", status=202)["id"]
    for place in ("take_in", "_end"):
        with monkeypatch.context() as patch:
            patch.setattr(fetching, place, dies)
            with pytest.raises(KeyboardInterrupt):
                fetch_queued(one)
    fetch_queued(one)
    work()
    assert [f["status"] for f in get(client, f"/feeds/{stock}/fetches")["fetches"]] == ["new"] * 2
    assert len(get(client, "/stores/1/runs")["runs"]) == 1
    assert len(deliveries(client, 1)) == 2


def test_the_same_file_from_two_sources_at_once_is_one_delivery(client, work, feed, outside):
    token = send(client, "post", f"/feeds/{feed}/token", status=201)["token"]
    set_source(client, feed, from_ssh(outside), password=PASSWORD)
    lay(outside, "kw48.csv", prices())
    send(client, "post", f"/feeds/{feed}/fetches", status=202)
    apps = [client.application.test_client() for _ in range(4)]
    senders = [threading.Thread(target=push, args=(a, feed, token, prices())) for a in apps]
    for one in senders:
        one.start()
    work()
    for one in senders:
        one.join()
    work()
    assert [d["rows"] for d in deliveries(client, feed)] == [8]


def test_files_at_web_addresses_are_one_delivery(client, work, feed, outside):
    for name in ("texte.csv", "preise.csv"):
        lay(outside, name, prices(), WEB)
    at = f"http://127.0.0.1:{outside.ports.web}/lists"
    source = {"kind": "web", "addresses": [f"{at}/texte.csv", f"{at}/preise.csv"],
              "sign_in": "basic", "user": USER}  # fmt: skip
    assert "and 1 more" in set_source(client, feed, source, password=PASSWORD)["said"]
    came = fetch(client, work, feed)
    assert came["status"] == "new" and came["files"] == ["texte.csv", "preise.csv"]
    assert deliveries(client, feed)[0]["file_name"] == "texte and 1 more.zip"
    assert fetch(client, work, feed)["status"] == "unchanged"
