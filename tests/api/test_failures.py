"""Bad input is answered clearly, with nothing lost; a lost database loses nothing either."""

from __future__ import annotations

import io
import threading
import time

import pytest
from sqlalchemy import text

from nomotax.core.errors import DatabaseUnavailable
from nomotax.demo.load import DATA
from nomotax.flows import applying, preparing
from nomotax.flows.run_states import request_stop
from nomotax.records.database import engine_for, ping
from tests.api.test_path import BUNDLE, catalog, get, prepare, send


@pytest.fixture
def mapped(client):
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    return client


def upload(client, data, name="file.csv", status=201):
    form = {"file": (io.BytesIO(data), name)}
    answer = client.post("/api/v1/feeds/1/deliveries", data=form)
    assert answer.status_code == status, answer.text
    return answer.json


def quarrow(client):
    feeds = get(client, "/stores/1/arrivals")["feeds"]
    return next(f for f in feeds if f["supplier"] == "Quarrow Pigments")


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "empty"),
        (b"\x89PNG\r\n\x1a\nxxxx", "PNG picture"),
        (b"a,b\n1," + bytes(40), "binary"),
    ],
)
def test_an_unreadable_file_is_kept_with_its_reason(client, data, says):
    delivery = upload(client, data)
    assert delivery["status"] == "unreadable" and says in delivery["error"]
    line = quarrow(client)["deliveries"][0]
    assert line["id"] == delivery["id"] and says in line["error"]


def test_a_file_over_the_limit_is_refused_and_the_limit_named(client, monkeypatch):
    from nomotax.api.app import create_app

    monkeypatch.setenv("NOMOTAX_UPLOAD_LIMIT_MB", "1")
    small = create_app().test_client()
    problem = upload(small, b"a,b\n" + b"1,2\n" * 400_000, status=413)
    assert "1 MB" in problem["detail"] and problem["remedy"]
    assert len(quarrow(small)["deliveries"]) == 1


def test_a_missing_column_is_asked_about_and_stops_the_preparation(mapped):
    lines = (DATA / "quarrow-week-1.csv").read_bytes().decode("cp1252").replace("Cost EUR", "Net")
    delivery = upload(mapped, lines.encode("cp1252"))["id"]
    questions = get(mapped, "/feeds/1/questions", delivery_id=delivery)["questions"]
    missing = next(q for q in questions if q["kind"] == "missing_column")
    assert missing["subject"] == "Cost EUR" and "cost, price" in missing["text"]
    refused = send(mapped, "post", f"/feeds/1/runs?delivery_id={delivery}", status=422)
    assert "'Cost EUR'" in refused["detail"] and refused["remedy"]
    window = get(mapped, "/feeds/1/window", delivery_id=delivery, limit=1)
    assert "cost" not in window["fields"] and window["results"][0][0] == "QP-004000"


def test_two_people_cannot_overwrite_each_other(client):
    edit = {"crosswalk": {"fills": {}}, "revision": 0}
    send(client, "put", "/feeds/1/draft", edit)
    refused = send(client, "put", "/feeds/1/draft", edit, status=409)
    assert "edited elsewhere" in refused["detail"] and refused["where"] == "revision 0, now 1"


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "where"),
    [
        ("get", "/feeds/99/bench", None, 404, ""),
        ("get", "/runs/5/rows", None, 404, ""),
        ("get", "/stores/1/products/nope", None, 404, ""),
        ("get", "/feeds/1/window?limit=x", None, 422, "limit"),
        ("put", "/feeds/1/draft", {"crosswalk": {"fills": {"sku": {"steps": [{"do": "fly"}]}}},
                                   "revision": 0}, 422, "crosswalk.fills.sku.steps.0"),
        ("put", "/stores/1/ladders", {"name": "x", "rungs": []}, 422, "rungs"),
        ("put", "/deliveries/1/reading", {"reading": {"format": "delimited", "delimiter": ""}},
         422, "reading.delimited.delimiter"),
        ("post", "/runs/7/apply", None, 404, ""),
    ],
)  # fmt: skip
def test_mistakes_are_problem_documents(client, method, path, body, status, where):
    answer = getattr(client, method)(f"/api/v1{path}", json=body)
    assert answer.status_code == status and answer.mimetype == "application/problem+json"
    assert answer.json["title"] and answer.json["status"] == status
    assert answer.json["where"].startswith(where)


def test_a_stale_changeset_is_not_applied(mapped, work):
    first, second = prepare(mapped, work)["id"], prepare(mapped, work)["id"]
    send(mapped, "post", f"/runs/{first}/apply", status=202)
    work()
    held = catalog(mapped)
    send(mapped, "post", f"/runs/{second}/apply", status=202)
    work()
    run = get(mapped, f"/runs/{second}")
    assert run["status"] == "prepared" and "catalog has changed" in run["since"]
    assert run["counts"]["same"] and not run["counts"]["changed"] and run["again"] > 1000
    assert catalog(mapped) == held


def test_an_apply_of_other_products_makes_no_changeset_stale(mapped, work):
    """Two trials of other rows, prepared side by side, are both applied."""
    runs_ = [
        send(mapped, "post", f"/feeds/1/runs?{rows}", status=201)["id"]
        for rows in ("last=100", "first=101&last=200")
    ]
    work()
    for run in runs_:
        send(mapped, "post", f"/runs/{run}/apply", status=202)
    work()
    assert [get(mapped, f"/runs/{run}")["status"] for run in runs_] == ["applied", "applied"]


def test_what_is_kept_by_hand_between_prepare_and_apply_stays(mapped, work):
    run = prepare(mapped, work)["id"]
    rows = get(mapped, f"/runs/{run}/rows", status="changed", limit=1)["rows"]
    key, change = rows[0]["key"], rows[0]["changes"][0]
    kept = {"key": key, "field": change["field"]}
    send(mapped, "put", "/stores/1/kept", kept)
    send(mapped, "post", f"/runs/{run}/apply", status=202)
    work()
    shown = get(mapped, f"/runs/{run}")
    assert shown["status"] == "applied" and "kept by hand, and left: 1" in shown["log"][-1]["text"]
    assert catalog(mapped)[key].get(change["field"]) == change["before"]


def test_a_run_keeps_what_it_was_read_from(mapped, work):
    """Read again in another way, a run that waits and one that is applied stay what they are."""
    run = prepare(mapped, work)
    send(mapped, "post", f"/runs/{run['id']}/apply", status=202)
    work()
    waiting = send(mapped, "post", "/feeds/1/runs", status=201)["id"]
    reading = get(mapped, "/deliveries/1")["reading"] | {"delimiter": "|"}
    send(mapped, "put", "/deliveries/1/reading", {"reading": reading})
    key = get(mapped, f"/runs/{run['id']}/rows", status="new", limit=1)["rows"][0]["key"]
    traced = get(mapped, f"/runs/{run['id']}/trace", key=key, field="sku")
    assert traced["file_name"] == run["file_name"]
    work()
    again = get(mapped, f"/runs/{waiting}")
    assert again["status"] == "prepared" and sum(again["counts"].values()) == 1188


def test_a_run_can_be_stopped_before_it_writes(mapped, work):
    run = send(mapped, "post", "/feeds/1/runs", status=201)["id"]
    send(mapped, "post", f"/runs/{run}/stop", status=202)
    work()
    stopped = get(mapped, f"/runs/{run}")
    assert stopped["status"] == "stopped" and "Stopped by hand" in stopped["log"][-1]["text"]
    assert send(mapped, "post", f"/runs/{run}/apply", status=409)
    run = prepare(mapped, work)["id"]
    applying.request_apply(run)
    request_stop(run)
    applying.apply(run)
    stopped = get(mapped, f"/runs/{run}")
    assert stopped["status"] == "prepared" and "Stopped by hand" in stopped["log"][-1]["text"]
    work()
    assert get(mapped, f"/runs/{run}")["status"] == "prepared", "its job finds nothing to do"


def test_a_running_preparation_hears_a_stop(mapped, work, monkeypatch):
    run = send(mapped, "post", "/feeds/1/runs", status=201)["id"]
    loaded = preparing.held_of

    def stopped_meanwhile(*about):
        send(mapped, "post", f"/runs/{run}/stop", status=202)
        return loaded(*about)

    monkeypatch.setattr(preparing, "held_of", stopped_meanwhile)
    work()
    assert get(mapped, f"/runs/{run}")["status"] == "stopped"


def test_the_database_stopped_in_the_middle_of_an_apply(mapped, work, cluster):
    """Nothing is half-written, and the job can be run again."""
    run = prepare(mapped, work)["id"]
    before = catalog(mapped)
    # A lock held by somebody else stops the apply between its staging and its writing.
    blocker = engine_for(cluster.url).connect()
    blocker.execute(text("lock table product_changes in access exclusive mode"))
    applying.request_apply(run)
    failures = []
    thread = threading.Thread(target=lambda: failures.append(_failure_of(run)))
    thread.start()
    _wait_until_staged(run)
    cluster.stop("immediate")
    thread.join(timeout=60)
    assert isinstance(failures[0], DatabaseUnavailable) and failures[0].remedy
    with pytest.raises(DatabaseUnavailable):
        ping()
    cluster.start()
    blocker.invalidate()
    assert catalog(mapped) == before
    assert get(mapped, f"/runs/{run}")["status"] == "applying", "its job is taken up again"
    work()
    assert get(mapped, f"/runs/{run}")["status"] == "applied"
    assert len(catalog(mapped)) == len(before) + 878


def _failure_of(run):
    try:
        applying.apply(run)
    except DatabaseUnavailable as error:
        return error
    return None


def _wait_until_staged(run):
    deadline = time.monotonic() + 30
    while time.monotonic() < deadline:
        with engine_for_reading() as connection:
            stage = connection.execute(
                text("select stage from runs where id = :run"), {"run": run}
            ).scalar_one()
        if stage == "writing products":
            time.sleep(0.3)
            return
        time.sleep(0.05)
    raise AssertionError("the apply never came to its writing")


def engine_for_reading():
    from nomotax.records.database import database_url

    return engine_for(database_url()).connect()


def test_a_delivery_without_a_row_is_prepared_and_says_so(mapped, work):
    """Only the heading came: nothing is new, nothing is refused, and nothing fails."""
    heading = (DATA / "quarrow-week-1.csv").read_bytes().splitlines(keepends=True)
    at = next(n for n, line in enumerate(heading) if line.startswith(b"ArtNo"))
    made = upload(mapped, b"".join(heading[: at + 1]), "empty.csv")
    run = send(mapped, "post", f"/feeds/1/runs?delivery_id={made['id']}", status=201)["id"]
    work()
    shown = get(mapped, f"/runs/{run}")
    assert shown["status"] == "prepared", shown["error"]
    assert sum(shown["counts"].values()) == 0
    assert get(mapped, f"/runs/{run}/rows")["rows"] == []
