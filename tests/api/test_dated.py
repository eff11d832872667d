"""Values that hold from a day on: they wait, a run writes them on it, and is undone like any."""

from __future__ import annotations

import datetime as dt

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import text

from nomotax.core.changes.dated import DUE, with_due
from nomotax.core.changes.marks import NEW, OLD, OWNER
from nomotax.core.changes.states import STATE
from nomotax.flows import dated
from nomotax.flows.applying import apply
from nomotax.flows.runs import prepare
from nomotax.flows.waiting import today
from nomotax.records.database import session
from tests.api.test_path import catalog, get, send, take_back

KEY = "QP-003999"
DAY = today() + dt.timedelta(days=3)


@pytest.fixture
def wait(client):
    """Has values of a product wait for a day; gives the product."""

    def put(values, day=DAY, key=KEY, status=200, who="", **more):
        body = {"values": values, "day": day.isoformat(), **more}
        answer = client.put(
            f"/api/v1/stores/1/products/{key}", json=body, headers={"X-Person": who}
        )
        assert answer.status_code == status, answer.text
        return answer.json

    return put


def waiting(client, key=KEY):
    """Field, value, day and reason of what waits for a product."""
    found = get(client, f"/stores/1/products/{key}")["dated"]
    return [(d["field"], d["value"], d["day"], d["reason"]) for d in found]


@pytest.fixture
def comes(work):
    """The day comes; gives the runs that it begins."""

    def come(day=DAY):
        begun = dated.write_due(day)
        work()
        return begun

    return come


def test_it_waits_and_the_old_one_holds_until_its_day(client, wait, comes):
    before = catalog(client)
    shown = wait({"price": "9.5"}, who="Ines", saw={"price": before[KEY]["price"]})
    assert catalog(client) == before and shown["history"] == []
    (line,) = shown["dated"]
    assert (line["value"], line["holds"], line["author"]) == (
        "9.50", before[KEY]["price"], "Ines")  # fmt: skip
    assert get(client, "/stores/1/dated")["values"] == [line]
    assert comes(DAY - dt.timedelta(days=1)) == [] and catalog(client) == before
    (run,) = comes()
    after = catalog(client)
    assert after[KEY]["price"] == "9.50"
    assert after == before | {KEY: before[KEY] | {"price": "9.50"}}
    told = get(client, f"/runs/{run}")
    assert (told["kind"], told["status"], told["author"]) == ("dated", "applied", "Ines")
    assert waiting(client) == [] and comes() == [], "it is written once"
    (entry,) = get(client, f"/stores/1/products/{KEY}")["history"]
    assert (entry["run_id"], entry["run_kind"]) == (run, "dated")
    origin = client.get(f"/api/v1/stores/1/trace?key={KEY}&field=price").json
    assert "its day had come" in origin["detail"]


def test_its_run_is_undone_and_done_again_like_any_other(client, wait, comes, work):
    before = catalog(client)
    wait({"price": "9.5", "stock": None}, state="hidden")
    (run,) = comes()
    after = catalog(client)
    assert get(client, f"/stores/1/products/{KEY}")["product"]["state"] == "hidden"
    undo = take_back(client, work, run)
    assert catalog(client) == before
    take_back(client, work, undo["id"])
    assert catalog(client) == after


def test_the_last_word_for_a_day_and_the_latest_day_hold(client, wait, comes):
    later = DAY + dt.timedelta(days=1)
    wait({"price": "1"})
    wait({"price": "2", "stock": "7"})
    wait({"price": "3"}, later)
    asked = [("price", "2.00", str(DAY), ""), ("stock", "7", str(DAY), ""),
             ("price", "3.00", str(later), "")]  # fmt: skip
    assert waiting(client) == asked
    shown = get(client, f"/stores/1/products/{KEY}")
    (first, _, last) = shown["dated"]
    assert (first["holds"], last["holds"]) == (shown["product"]["content"]["price"], "2.00")
    # Nobody was at work on the first day.
    comes(later)
    shown = catalog(client)[KEY]
    assert (shown["price"], shown["stock"]) == ("3.00", "7")


def test_the_latest_day_holds_whoever_gave_it_and_whoever_came_first(client, wait, comes):
    """Nobody was at work for days: what was given for the later day is the last word."""
    later = DAY + dt.timedelta(days=1)
    wait({"price": "3"}, later, who="Ada")
    wait({"price": "2", "stock": "7"}, who="Bo")
    (run,) = comes(later)
    shown = catalog(client)[KEY]
    assert (shown["price"], shown["stock"]) == ("3.00", "7")
    told = get(client, f"/runs/{run}")
    assert told["author"] == "" and "given by Ada, Bo" in [line["text"] for line in told["log"]]
    with session() as db:
        query = text("select status from dated_values order by id")
        assert db.connection().execute(query).scalars().all() == ["written", "replaced", "written"]


def test_one_that_two_workers_go_on_with_or_a_person_has_stopped_stays_in_order(client, wait):
    wait({"price": "9.5"})
    (run,) = dated.write_due(DAY)
    prepare(run)
    dated.go_on(run)
    assert get(client, f"/runs/{run}")["status"] == "applying"
    change = "update runs set status = 'prepared', error = '', stop_requested = true"
    with session() as db:
        db.connection().execute(text(change))
    assert dated.write_due(DAY) == []
    assert get(client, f"/runs/{run}")["status"] == "prepared", "a person has stopped it"


def test_it_is_taken_back_while_it_waits_and_not_after(client, wait, comes):
    before = catalog(client)
    (line,) = wait({"price": "9.5"})["dated"]
    path = f"/api/v1/stores/1/dated/{line['id']}"
    assert client.delete("/api/v1/stores/1/dated/999").status_code == 404
    assert client.delete(path).status_code == 200
    assert client.delete(path).json["detail"].endswith("it is taken back.")
    assert comes() == [] and catalog(client) == before
    (line,) = wait({"price": "9.5"})["dated"]
    (run,) = dated.write_due(DAY)
    under_way = client.delete(f"/api/v1/stores/1/dated/{line['id']}")
    assert under_way.status_code == 409 and f"run {run} is writing it" in under_way.text
    prepare(run)
    apply(run)
    assert client.delete(f"/api/v1/stores/1/dated/{line['id']}").status_code == 409


def test_what_is_kept_by_hand_a_person_may_have_wait(client, wait, comes):
    send(client, "put", "/stores/1/kept", {"key": KEY, "field": "price"})
    wait({"price": "9.5"})
    comes()
    assert catalog(client)[KEY]["price"] == "9.50"


def test_one_that_the_store_does_not_take_any_more_stays_and_says_why(client, wait, comes):
    before = catalog(client)
    other = next(key for key in before if key != KEY)
    send(client, "post", "/stores/1/categories", {"paths": ["Drawing > Fluids"]})
    wait({"price": "9.5", "category": "Drawing > Fluids"})
    wait({"stock": "3"}, key=other)
    edit = {"do": "delete", "path": "Drawing > Fluids", "to": ""}
    send(client, "post", "/stores/1/categories/edits", edit)
    (run,) = comes()
    after = catalog(client)
    assert after[KEY]["price"] == "9.50" and after[other]["stock"] == "3"
    assert after[KEY].get("category") == before[KEY].get("category")
    ((field, value, _, reason),) = waiting(client)
    assert (field, value) == ("category", "Drawing > Fluids") and "Drawing > Fluids" in reason
    counts = get(client, f"/runs/{run}")["counts"]
    assert (counts["changed"], counts["stays"]) == (2, 1)
    (line,) = get(client, "/stores/1/dated")["values"]
    assert client.delete(f"/api/v1/stores/1/dated/{line['id']}").status_code == 200
    assert comes() == []


def test_one_whose_product_was_taken_out_is_not_written(client, wait, comes):
    before = catalog(client)
    wait({"price": "9.5"})
    out = "state = 'out', content = content || '{\"$state\": \"out\"}'"
    with session() as db:
        db.connection().execute(text(f"update products set {out} where key = '{KEY}'"))
        db.connection().execute(text("update stores set revision = revision + 1"))
    (run,) = comes()
    assert get(client, f"/runs/{run}")["status"] == "applied"
    (line,) = get(client, "/stores/1/dated")["values"]
    assert line["reason"] == "the product is not in the catalog"
    with session() as db:
        held = db.connection().execute(text(f"select content from products where key = '{KEY}'"))
        assert held.scalar_one()["price"] == before[KEY]["price"]


def test_a_category_that_waits_follows_the_tree_and_comes_back_with_it(client, wait, comes):
    path = "/stores/1/categories/edits"
    wait({"category": "Drawing > Inks", "more_categories": "Drawing > Pencils | Drawing > Inks"})
    edit = {"do": "merge", "path": "Drawing > Inks", "to": "Drawing > Pencils"}
    made = send(client, "post", path, edit)["id"]
    assert [v for _, v, *_ in waiting(client)] == ["Drawing > Pencils"] * 2
    send(client, "post", f"{path}/{made}/undo", {})
    assert [v for _, v, *_ in waiting(client)] == [
        "Drawing > Inks", "Drawing > Pencils | Drawing > Inks"]  # fmt: skip
    renamed = {"do": "rename", "path": "Drawing > Inks", "to": "Fluids"}
    send(client, "post", path, renamed)
    comes()
    assert catalog(client)[KEY]["category"] == "Drawing > Fluids"


@pytest.mark.parametrize(
    ("values", "day", "said"),
    [
        ({"price": "9"}, today(), "has come already"),
        ({"price": "9"}, today() - dt.timedelta(days=400), "has come already"),
        ({"price": "nine"}, DAY, "nine"),
        ({"name": ""}, DAY, "must not be empty"),
        ({"none": "1"}, DAY, "no field"),
        ({"sku": "x"}, DAY, "what a product is known by"),
    ],
)
def test_what_could_never_be_written_is_refused_at_once(client, wait, values, day, said):
    assert said in wait(values, day, status=422)["detail"]
    assert waiting(client) == []


def test_a_run_that_its_worker_left_goes_on_and_one_that_failed_says_so(client, wait, work):
    wait({"price": "9.5"})
    (run,) = dated.write_due(DAY)
    prepare(run)
    with session() as db:
        # As if the worker had died between the two.
        db.connection().execute(text("update runs set status = 'prepared'"))
        db.connection().execute(text("delete from procrastinate_jobs where task_name = 'apply'"))
    assert dated.write_due(DAY) == []
    work()
    assert get(client, f"/runs/{run}")["status"] == "applied"
    (line,) = wait({"price": "8"})["dated"]
    (run,) = dated.write_due(DAY)
    with session() as db:
        db.connection().execute(
            text("update runs set status = 'failed', error = 'Our fault.' where id = :run"),
            {"run": run},
        )
    assert dated.write_due(DAY) == [], "it is not begun again and again"
    assert waiting(client)[0][:2] == ("price", "8.00")
    assert client.delete(f"/api/v1/stores/1/dated/{line['id']}").status_code == 200


FIELDS = ("a", "b")
VALUES = st.one_of(st.none(), st.sampled_from(["1", "2", ""]))


@given(
    held=st.dictionaries(st.sampled_from("pqr"), st.tuples(VALUES, VALUES), min_size=1),
    given_=st.lists(
        st.tuples(
            st.sampled_from("pqrs"), st.sampled_from([*FIELDS, STATE]), VALUES, st.integers(1, 3)
        )
    ),
)
def test_the_latest_value_of_each_field_holds_and_nothing_else_moves(held, given_):
    rows = [(k, "owner", None, *values) for k, values in held.items()]
    names = ["key", OWNER, STATE, *(OLD + f for f in FIELDS)]
    there = pl.DataFrame(rows, schema=dict.fromkeys(names, pl.String), orient="row")
    start = dt.date(2026, 1, 1)
    due = [(k, f, v, start + dt.timedelta(days=d), n) for n, (k, f, v, d) in enumerate(given_)]
    found = with_due(there, pl.DataFrame(due, schema=DUE, orient="row"))
    wanted = {k: {"a": a, "b": b, STATE: None} for k, (a, b) in held.items()}
    for key, field, value, *_ in sorted(due, key=lambda one: one[3:]):
        if key in wanted:
            wanted[key][field] = value
    assert {
        row["key"]: {f: row[NEW + f] for f in (*FIELDS, STATE)}
        for row in found.iter_rows(named=True)
    } == wanted
    assert set(found[OWNER]) == {"owner"}
