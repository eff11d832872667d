"""The whole catalog kept, and brought back by a run that is seen first; states of products."""

from __future__ import annotations

import io

import polars as pl
import pytest

from tests.api.test_path import BUNDLE, catalog, get, send, take_back

KEY = "QP-003999"


def taken(client, work):
    """A snapshot of the catalog as it is, ready."""
    made = send(client, "post", "/stores/1/snapshots", status=201)
    assert made["status"] == "queued"
    work()
    (found,) = [s for s in get(client, "/stores/1/snapshots")["snapshots"] if s["id"] == made["id"]]
    assert found["status"] == "ready", found["error"]
    return found


def trial(client, work):
    """A run of the first rows of the newest delivery, prepared."""
    run = send(client, "post", "/feeds/1/runs?last=150", status=201)
    work()
    return get(client, f"/runs/{run['id']}")


def applied(client, work, run):
    send(client, "post", f"/runs/{run}/apply", status=202)
    work()
    shown = get(client, f"/runs/{run}")
    assert shown["status"] == "applied", shown
    return shown


def restored(client, work, snapshot):
    run = send(client, "post", f"/snapshots/{snapshot}/restore", status=201)["id"]
    work()
    return get(client, f"/runs/{run}")


def edit(client, key=KEY, status=200, **body):
    return send(client, "put", f"/stores/1/products/{key}", body, status)


@pytest.fixture
def week(client, work):
    """The demo with a snapshot of before a delivery that made and changed products; their
    catalogs."""
    before, snapshot = catalog(client), taken(client, work)
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = trial(client, work)["id"]
    applied(client, work, run)
    return snapshot["id"], before, run, catalog(client)


def test_a_restore_brings_the_catalog_back_and_is_undone_like_any_run(client, work, week):
    snapshot, before, delivered, after = week
    shown = restored(client, work, snapshot)
    assert shown["kind"] == "restore" and shown["status"] == "prepared"
    assert shown["counts"]["taken out"] == len(after) - len(before) and not shown["counts"]["stays"]
    changed = {k for k in before if before[k] != after[k]}
    assert shown["counts"]["changed"] == len(changed)
    assert catalog(client) == after, "nothing is written before it is applied"
    applied(client, work, shown["id"])
    assert catalog(client) == before
    gone = next(k for k in after if k not in before)
    assert client.get(f"/api/v1/stores/1/products/{gone}").status_code == 404
    assert sum(c["count"] for c in get(client, "/stores/1/categories")["categories"]
               if c["depth"] == 0) == len(before)  # fmt: skip
    take_back(client, work, shown["id"])
    assert catalog(client) == after
    # The delivery's own change is the last that stands again: undone, it leaves what was before.
    take_back(client, work, delivered)
    assert catalog(client) == before


def test_a_product_that_was_taken_out_comes_back_with_the_row_that_names_it(client, work, week):
    snapshot, before, _, after = week
    applied(client, work, restored(client, work, snapshot)["id"])
    run = trial(client, work)
    gone = next(k for k in after if k not in before)
    (line,) = get(client, f"/runs/{run['id']}/rows", status="changed", search=gone)["rows"]
    state = [(c["before"], c["after"]) for c in line["changes"] if c["label"] == "State"]
    assert state == [("taken out", "live")]
    applied(client, work, run["id"])
    assert catalog(client) == after
    again = restored(client, work, snapshot)
    applied(client, work, again["id"])
    assert catalog(client) == before


def test_a_restore_twice_changes_nothing_and_says_so(client, work, week):
    snapshot, before, *_ = week
    applied(client, work, restored(client, work, snapshot)["id"])
    twice = restored(client, work, snapshot)
    assert not any(twice["counts"].values()) and "nothing to do" in twice["log"][-1]["text"]
    applied(client, work, twice["id"])
    assert catalog(client) == before


def test_what_was_taken_out_of_the_database_comes_back_from_the_file(client, work, week):
    """The file is brought, and makes the products anew that an undo has removed."""
    _, before, delivered, after = week
    late = taken(client, work)["id"]
    data = client.get(f"/api/v1/snapshots/{late}/file").data
    take_back(client, work, delivered)
    assert catalog(client) == before
    assert client.delete(f"/api/v1/snapshots/{late}").status_code == 200
    brought = client.post(
        "/api/v1/stores/1/snapshots/file", data={"file": (io.BytesIO(data), "mine.parquet")}
    ).json
    assert brought["status"] == "ready" and brought["products"] == len(after)
    run = restored(client, work, brought["id"])
    assert run["counts"]["put back"] == len(after) - len(before)
    applied(client, work, run["id"])
    assert catalog(client) == after
    take_back(client, work, run["id"])
    assert catalog(client) == before


def test_a_snapshot_right_before_a_run_that_asks_for_it(client, work):
    before = catalog(client)
    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = trial(client, work)["id"]
    send(client, "post", f"/runs/{run}/apply?snapshot_first=true", status=202)
    work()
    (snapshot,) = get(client, "/stores/1/snapshots")["snapshots"]
    assert snapshot["run_id"] == run and snapshot["because"] == f"before run {run}"
    data = client.get(f"/api/v1/snapshots/{snapshot['id']}/file").data
    rows = pl.read_parquet(io.BytesIO(data))
    assert dict(zip(rows["sku"], rows["price"], strict=True)) == {
        k: p["price"] or None for k, p in before.items()
    }


def test_a_restore_that_is_stale_shows_what_is_other_by_now(client, work, week):
    snapshot, before, *_ = week
    run = restored(client, work, snapshot)["id"]
    key = get(client, f"/runs/{run}/rows", status="changed", limit=1)["rows"][0]["key"]
    edit(client, key, values={"price": "1234"})
    send(client, "post", f"/runs/{run}/apply", status=202)
    work()
    shown = get(client, f"/runs/{run}")
    assert shown["status"] == "prepared" and f"{key} (price)" in shown["since"]
    (line,) = get(client, f"/runs/{run}/rows", again=True)["rows"]
    assert line["key"] == key and shown["again"] == 1
    applied(client, work, run)
    assert catalog(client) == before


def test_files_that_are_no_snapshots_are_refused_and_nothing_is_kept(client):
    for data in (b"sku;name\n", b""):
        told = client.post(
            "/api/v1/stores/1/snapshots/file", data={"file": (io.BytesIO(data), "f.csv")}
        )
        assert told.status_code == 422 and "no snapshot" in told.json["detail"]
    assert get(client, "/stores/1/snapshots")["snapshots"] == []
    assert client.post("/api/v1/snapshots/9/restore").status_code == 404


def test_states_are_edits_in_history_filter_files_and_undo(client, work):
    before = catalog(client)
    shown = edit(client, state="hidden", saw_state="live")
    assert shown["product"]["state"] == "hidden" and "$state" not in shown["product"]["content"]
    hidden = shown["history"][0]["run_id"]
    archived = edit(client, state="archived", values={"stock": "0"})["history"][0]["run_id"]
    (line,) = get(client, f"/runs/{archived}/rows")["rows"]
    assert ("State", "hidden", "archived") in [
        (c["label"], c["before"], c["after"]) for c in line["changes"]
    ]
    page = get(client, "/stores/1/products", state="archived")
    assert [p["key"] for p in page["products"]] == [KEY] and page["total"] == 1
    file = client.get("/api/v1/stores/1/outbound?without=archived").text
    assert KEY not in file and KEY in client.get("/api/v1/stores/1/outbound?without=hidden").text
    take_back(client, work, hidden)
    assert get(client, f"/stores/1/products/{KEY}")["product"]["state"] == "archived"
    take_back(client, work, archived)
    assert get(client, f"/stores/1/products/{KEY}")["product"]["state"] == "live"
    assert catalog(client) == before


@pytest.mark.parametrize(
    ("body", "status", "says"),
    [
        ({"state": "live"}, 409, "already"),
        ({"state": "hidden", "saw_state": "archived"}, 409, "State is live"),
        ({"state": "out"}, 422, ""),
    ],
)
def test_states_that_cannot_be_written(client, body, status, says):
    assert says in str(edit(client, status=status, **body))
    assert get(client, f"/stores/1/products/{KEY}")["product"]["state"] == "live"


def test_an_undo_puts_the_earlier_value_back_where_that_is_chosen(client, work, week):
    _, before, delivered, _ = week
    rows = get(client, f"/runs/{delivered}/rows", status="changed", field="price", limit=2)["rows"]
    chosen, other = (row["key"] for row in rows)
    for key in (chosen, other):
        edit(client, key, values={"price": "77"})
    undo = send(client, "post", f"/runs/{delivered}/undo", status=201)["id"]
    work()
    assert get(client, f"/runs/{undo}")["counts"]["stays"] == 2
    body = {"fields": [{"key": chosen, "field": "price"}]}
    assert send(client, "put", f"/runs/{undo}/instead", body, 202)["status"] == "queued"
    work()
    assert get(client, f"/runs/{undo}")["counts"]["stays"] == 1
    (line,) = get(client, f"/runs/{undo}/rows", status="changed", search=chosen)["rows"]
    assert "goes back over what run" in line["reason"]
    applied(client, work, undo)
    held = catalog(client)
    assert held[chosen]["price"] == before[chosen]["price"] and held[other]["price"] == "77.00"
    told = client.get(f"/api/v1/stores/1/trace?key={chosen}&field=price").json
    assert told["status"] == 404 and "took another run back" in told["detail"]
    send(client, "put", f"/runs/{delivered}/instead", body, 409)
    take_back(client, work, undo)
    assert catalog(client)[chosen]["price"] == "77.00"
