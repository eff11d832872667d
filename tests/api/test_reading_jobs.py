"""Reading a file is a job: whoever sends it waits for a while, and nothing of it hangs on them."""

from __future__ import annotations

import io
import threading
import time

import pytest
from sqlalchemy import text

from nomotax.flows import receive
from nomotax.jobs.app import run_worker
from nomotax.records.database import database_url, engine_for
from nomotax.records.queue import READS
from tests.api.test_path import get, send

LIST = "Nr;Nimi;Hinta\n1;Sivellin;2,50\n2;Kynä;1,95\n".encode()


@pytest.fixture
def client(demo, app):
    """Without a worker that has nothing else to do."""
    return app.test_client()


@pytest.fixture
def feed(client):
    body = {"supplier": "Taidekauppa Saari", "name": "Hinnasto"}
    return send(client, "post", "/stores/1/feeds", body, 201)["id"]


def sent(client, feed, data=LIST, name="hinnasto.csv"):
    form = {"file": (io.BytesIO(data), name)}
    answer = client.post(f"/api/v1/feeds/{feed}/deliveries", data=form)
    assert answer.status_code == 201
    return answer.json


def jobs():
    query = text("select task_name, queue_name, priority, status::text from procrastinate_jobs")
    with engine_for(database_url()).connect() as db:
        return [tuple(row) for row in db.execute(query)]


def read_all():
    run_worker(wait=False, queues=(READS,))


def test_it_is_put_on_the_queue_before_others_and_left_where_no_worker_comes(
    client, feed, monkeypatch
):
    monkeypatch.setattr(receive, "PATIENCE", 0.2)
    began = time.monotonic()
    made = sent(client, feed)
    assert time.monotonic() - began < 12
    assert (made["status"], made["stage"]) == ("reading", "waiting for a worker")
    assert jobs() == [("read", READS, 10, "todo")]
    read_all()
    done = get(client, f"/deliveries/{made['id']}")
    assert (done["status"], done["rows"], done["stage"]) == ("waiting", 2, "")


def test_who_sends_it_has_it_read_where_a_worker_is_there(client, feed):
    """The answer comes as soon as it is read, and not when patience is at its end."""

    def work():
        while not jobs():
            time.sleep(0.02)
        read_all()

    worker = threading.Thread(target=work)
    worker.start()
    began = time.monotonic()
    made = sent(client, feed)
    worker.join()
    assert (made["status"], made["rows"]) == ("waiting", 2)
    assert time.monotonic() - began < receive.PATIENCE


def test_a_large_one_is_not_waited_for(client, feed, monkeypatch):
    monkeypatch.setattr(receive, "AT_ONCE", 10)
    began = time.monotonic()
    assert sent(client, feed)["status"] == "reading"
    assert time.monotonic() - began < receive.PATIENCE


def test_a_job_that_is_delivered_twice_reads_once(client, feed, monkeypatch):
    monkeypatch.setattr(receive, "PATIENCE", 0.0)
    made = sent(client, feed)
    first = receive.read_queued(made["id"])
    assert receive.read_queued(made["id"]).table_artifact == first.table_artifact
    read_all()
    assert [one[3] for one in jobs()] == ["succeeded"]


def test_another_reading_that_cannot_be_is_not_the_feeds(client, feed, monkeypatch):
    """Neither while it waits, nor when it has failed; one that can is from then on."""
    monkeypatch.setattr(receive, "PATIENCE", 0.0)
    made = sent(client, feed)["id"]
    read_all()
    known = get(client, f"/deliveries/{made}")["reading"]
    wrong = {"reading": {"format": "xml", "records": "//paper"}}
    assert send(client, "put", f"/deliveries/{made}/reading", wrong)["status"] == "reading"
    read_all()
    assert get(client, f"/deliveries/{made}")["status"] == "unreadable"
    next_one = sent(client, feed, LIST + b"3;Viivain;4,10\n", "toinen.csv")["id"]
    read_all()
    done = get(client, f"/deliveries/{next_one}")
    assert (done["status"], done["rows"], done["reading"]) == ("waiting", 3, known)
    headless = {"reading": known | {"header_row": 0}}
    send(client, "put", f"/deliveries/{next_one}/reading", headless)
    read_all()
    third = sent(client, feed, LIST + b"4;Pyyhe;9,90\n", "kolmas.csv")["id"]
    read_all()
    assert get(client, f"/deliveries/{third}")["reading"]["header_row"] == 0


def test_one_that_is_stopped_before_a_worker_comes_stays_so_until_it_is_asked_for(
    client, feed, monkeypatch
):
    monkeypatch.setattr(receive, "PATIENCE", 0.0)
    made = sent(client, feed)["id"]
    send(client, "post", f"/deliveries/{made}/stop")
    read_all()
    stopped = get(client, f"/deliveries/{made}")
    assert (stopped["status"], stopped["rows"]) == ("stopped", 0)
    send(client, "post", f"/deliveries/{made}/read")
    read_all()
    assert get(client, f"/deliveries/{made}")["rows"] == 2


def week(price, dearer=0):
    """Forty brushes, a few of them dearer."""
    lines = [f"{n};Sivellin {n};{n},{50 + (n < dearer)}" for n in range(1, 41)]
    return "\n".join([f"Nr;Nimi;{price}", *lines, ""]).encode()


@pytest.mark.parametrize("step", ["beside", "broken"])
def test_it_is_read_once_all_is_known_of_it(client, feed, monkeypatch, step):
    """Whoever sees it as read sees at once what is unusual in it, and what it breaks."""
    monkeypatch.setattr(receive, "PATIENCE", 0.0)
    sent(client, feed, week("Hinta"))
    read_all()
    contract = get(client, f"/feeds/{feed}/contract/draft")["contract"]
    send(client, "put", f"/feeds/{feed}/contract", {"contract": contract})
    seen = []
    known = getattr(receive, step)

    def watched(delivery):
        found = get(client, f"/deliveries/{delivery.id}")
        seen.append((found["status"], found["rows"]))
        return known(delivery)

    monkeypatch.setattr(receive, step, watched)
    made = sent(client, feed, week("Netto", 5), "viikko-2.csv")["id"]
    read_all()
    told = get(client, f"/deliveries/{made}/unusual")
    assert seen == [("reading", 0)]
    assert [(one["kind"], one["column"]) for one in told["things"]] == [("column_renamed", "Hinta")]
    assert [one["column"] for one in told["breaches"]] == ["Hinta"]
    # Read anew under the old name, nothing is left of what was told of it.
    send(client, "post", f"/deliveries/{made}/names", {"column": "Hinta", "to": "Netto"})
    read_all()
    after = get(client, f"/deliveries/{made}/unusual")
    assert (after["things"], after["breaches"]) == ([], [])
    assert seen == [("reading", 0), ("reading", 40)]


def test_one_that_cannot_be_read_tells_nothing_of_how_it_was_before(client, feed, monkeypatch):
    monkeypatch.setattr(receive, "PATIENCE", 0.0)
    sent(client, feed, week("Hinta"))
    made = sent(client, feed, week("Netto", 5), "viikko-2.csv")["id"]
    read_all()
    assert get(client, f"/deliveries/{made}/unusual")["things"]
    wrong = {"reading": {"format": "xml", "records": "//paper"}}
    send(client, "put", f"/deliveries/{made}/reading", wrong)
    read_all()
    lines = get(client, "/stores/1/arrivals")["feeds"]
    newest = next(one for one in lines if one["id"] == feed)["deliveries"][0]
    assert (newest["id"], newest["unusual"]) == (made, 0)
    assert send(client, "get", f"/deliveries/{made}/unusual", status=404)["remedy"]
