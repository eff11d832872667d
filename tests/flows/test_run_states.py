"""The states of a run: who may move it, how it ends whatever happens, and jobs left behind."""

from __future__ import annotations

import asyncio
import threading

import pytest
from hypothesis import given
from hypothesis import strategies as st
from procrastinate import PsycopgConnector
from sqlalchemy import text

from nomotax.core.errors import Conflict, DatabaseUnavailable, NomotaxError
from nomotax.flows import runs
from nomotax.flows.run_states import (
    BUSY,
    FALLBACK,
    MOVES,
    Overtaken,
    Progress,
    Stopped,
    ending,
    give_back,
    move,
    pace,
    request_stop,
)
from nomotax.jobs.app import _app, run_worker, take_up
from nomotax.records.database import database_url, session
from nomotax.records.queue import QUEUES, RUNS, enqueue
from nomotax.records.runs import Runs


@pytest.fixture
def run(demo):
    """A run of the demo's delivery, waiting with its job."""
    return runs.start_run(1).id


def status(run, to=None):
    """The state of a run; with ``to``, brought there whatever it was."""
    with session() as db:
        if to is not None:
            db.connection().execute(
                text("update runs set status = :to, error = '' where id = :run"),
                {"to": to, "run": run},
            )
        return Runs.holding(db, run).get(run).status


def jobs(change=""):
    with session() as db:
        if change:
            db.connection().execute(text(f"update procrastinate_jobs set {change}"))
        found = db.connection().execute(
            text("select task_name, status::text, attempts from procrastinate_jobs order by id")
        )
        return [tuple(row) for row in found]


def test_every_state_that_a_worker_ends_has_its_ways_out():
    assert set(BUSY) <= MOVES.keys()
    for state, back in FALLBACK.items():
        assert back in MOVES[state] and back not in BUSY
    for state, after in MOVES.items():
        assert set(after) <= MOVES.keys(), state


def test_a_run_moves_as_the_table_says_and_in_no_other_way(run):
    for state in MOVES:
        for to in MOVES:
            status(run, state)
            if to in MOVES[state]:
                with session() as db:
                    assert move(db, run, to).status == to
            else:
                with pytest.raises(Conflict, match=f"This run is {state}"), session() as db:
                    move(db, run, to)
                assert status(run) == state


def test_of_many_who_move_it_at_once_one_does(run):
    status(run, "prepared")
    won = []

    def try_it():
        try:
            with session() as db:
                move(db, run, "applying")
            won.append(True)
        except Conflict:
            won.append(False)

    threads = [threading.Thread(target=try_it) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(won) == [False] * 5 + [True]


@pytest.mark.parametrize(
    ("error", "state", "ends", "said"),
    [
        (Stopped("By hand."), "preparing", "stopped", ""),
        (Stopped("By hand."), "applying", "prepared", ""),
        (NomotaxError("No such column.", remedy="Map it."), "preparing", "failed", "No such"),
        (NomotaxError("Stale.", remedy="Again."), "applying", "prepared", "Stale"),
        (ZeroDivisionError("by zero"), "preparing", "failed", "Our fault: ZeroDivisionError"),
        (MemoryError(), "applying", "prepared", "Our fault: MemoryError"),
        (Overtaken("Gone on."), "preparing", "preparing", ""),
        (DatabaseUnavailable("Gone."), "applying", "applying", ""),
    ],
)
def test_whatever_happens_it_ends_where_a_person_can_act(run, error, state, ends, said):
    status(run, state)
    raised = None
    try:
        with ending(run, state):
            raise error
    except type(error) as passed_on:
        raised = passed_on
    assert (raised is None) == isinstance(error, Stopped | Overtaken)
    assert status(run) == ends
    with session() as db:
        shown = Runs.holding(db, run).get(run)
        assert shown.error.startswith(said) and bool(shown.error) == bool(said)


def test_one_that_went_on_without_its_worker_stays_where_it_is(run):
    status(run, "preparing")
    with pytest.raises(NomotaxError), ending(run, "preparing"):
        status(run, "applied")
        raise NomotaxError("Too late.")
    assert status(run) == "applied"
    with pytest.raises(Overtaken):
        Progress(run, "preparing")(10, "reading")


def test_a_stop_is_heard_at_once_or_at_the_next_stage(run):
    request_stop(run)
    assert status(run) == "stopped"
    status(run, "applying")
    request_stop(run)
    with pytest.raises(Stopped):
        Progress(run, "applying")(10, "copying")
    status(run, "applied")
    request_stop(run)
    assert status(run) == "applied"


def test_a_job_is_there_if_and_only_if_its_transaction_is(demo):
    with pytest.raises(ZeroDivisionError), session() as db:
        enqueue(db, "prepare", run_id=1)
        raise ZeroDivisionError
    assert jobs() == []
    with session() as db:
        enqueue(db, "apply", lock="store 1", run_id=1)
        assert jobs() == [], "nobody sees it before the commit"
    assert jobs() == [("apply", "todo", 0)]


@given(st.sampled_from(sorted(QUEUES)))
def test_every_task_has_work_and_its_queue(task):
    assert _app(PsycopgConnector()).tasks[task].queue == QUEUES[task]


def left_behind(silent=0.0):
    async def look():
        worker = _app(PsycopgConnector(conninfo=database_url()))
        async with worker.open_async():
            return await take_up(worker, silent)

    return asyncio.run(look())


def test_a_job_whose_worker_died_is_taken_up_again_by_any_other(run):
    status(run, "preparing")
    jobs("status = 'doing'")
    assert left_behind() == 1 and jobs() == [("prepare", "todo", 1)]
    run_worker(wait=False, queues=(RUNS,))
    assert status(run) == "prepared"


@pytest.mark.parametrize(("state", "back"), sorted(FALLBACK.items()))
def test_one_that_kills_its_workers_is_given_back_with_the_reason(run, state, back):
    status(run, state)
    jobs("status = 'doing', attempts = 3")
    assert left_behind() == 1 and jobs()[0][1] == "failed"
    assert status(run) == back
    with session() as db:
        assert "Interrupted" in Runs.holding(db, run).get(run).error
        assert "Interrupted" in Runs.holding(db, run).log(run)[-1].text


def test_what_still_has_a_job_is_left_to_it(run):
    status(run, "preparing")
    assert give_back() == 0 and left_behind() == 0 and status(run) == "preparing"


@pytest.mark.parametrize(
    ("done", "total", "seconds", "says"),
    [
        (0, 1000, 0.0, "0 of 1,000"),
        (20_000, 1_000_000, 0.5, "20,000 of 1,000,000, 40,000 a second, about 24 s left"),
        (5, 1000, 10.0, "5 of 1,000, 0 a second, about 33 min left"),
        (1000, 1000, 4.0, "1,000 of 1,000, 250 a second, about 0 s left"),
    ],
)
def test_the_pace_of_a_run_in_words(done, total, seconds, says):
    assert pace(done, total, seconds) == says


def test_a_declined_run_waits_for_nobody_and_can_be_taken_up_again(client, work):
    from tests.api.test_path import BUNDLE, get, prepare, send

    send(client, "put", "/feeds/1/crosswalk", BUNDLE)
    run = prepare(client, work)["id"]
    quarrow = next(
        f for f in get(client, "/stores/1/arrivals")["feeds"] if f["supplier"] == "Quarrow Pigments"
    )
    assert quarrow["needs"] != "calm"
    declined = send(client, "post", f"/runs/{run}/decline", {"reason": " wrong week "})
    assert (
        declined["status"] == "declined" and declined["log"][-1]["text"] == "declined: wrong week"
    )
    verdict = {"verdict": "decline", "of": {"status": "new"}}
    refused = send(client, "post", f"/runs/{run}/decisions", verdict, 409)
    assert refused["remedy"] == "Take it up again first."
    send(client, "post", f"/runs/{run}/apply", None, 409)
    send(client, "post", f"/runs/{run}/decline", {}, 409)
    left = next(f for f in get(client, "/stores/1/arrivals")["feeds"] if f["id"] == quarrow["id"])
    assert left["needs"] in ("calm", "question")
    assert send(client, "post", f"/runs/{run}/take-up")["status"] == "prepared"
    send(client, "post", f"/runs/{run}/take-up", None, 409)
    send(client, "post", f"/runs/{run}/decisions", verdict, 201)
    told = get(client, f"/runs/{run}/decisions")
    counts = get(client, f"/runs/{run}")["counts"]
    assert told["declined"] == counts["new"]
    assert told["writing"] == {"changed": counts["changed"]} and told["writes"] == counts["changed"]
