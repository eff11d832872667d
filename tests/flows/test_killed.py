"""A worker killed in the middle of a run: never half, and it always ends."""

from __future__ import annotations

import signal
import subprocess
import sys
import time

import pytest
from sqlalchemy import text

from nomotax.core.errors import OtherVersion
from nomotax.flows.applying import request_apply
from nomotax.flows.crosswalks import take_bundle
from nomotax.flows.runs import prepare, start_run
from nomotax.flows.undoing import start_undo
from nomotax.jobs.app import run_worker
from nomotax.records.database import engine_for, session
from nomotax.records.queue import RUNS
from nomotax.records.runs import Runs
from tests.flows.test_run_states import left_behind

WORKER = "from nomotax.jobs.app import run_worker; run_worker(queues=('runs',))"


def rows(statement):
    with session() as db:
        return [tuple(row) for row in db.connection().execute(text(statement))]


def catalog():
    return dict(rows("select key, content from products"))


def run_of(number):
    with session() as db:
        return Runs.holding(db, number).get(number)


def wait_for(check, what):
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        if check():
            return
        time.sleep(0.05)
    raise AssertionError(f"it never came to {what}")


def prepared(demo, bundle):
    take_bundle(1, bundle)
    number = start_run(1).id
    prepare(number)
    rows("delete from procrastinate_jobs returning id")
    return number


@pytest.fixture
def killed(cluster):
    """Kills a worker of its own while it is at a stage of a run, with the run's writing held up."""

    def kill(number, stage, table):
        blocker = engine_for(cluster.url).connect()
        blocker.execute(text(f"lock table {table} in access exclusive mode"))
        worker = subprocess.Popen([sys.executable, "-c", WORKER])
        try:
            wait_for(lambda: run_of(number).stage == stage, stage)
            worker.send_signal(signal.SIGKILL)
        finally:
            worker.kill()
            worker.wait()
            blocker.close()

    return kill


def taken_up():
    """What another worker does when the dead one has been silent for long enough."""
    time.sleep(0.6)
    assert left_behind(silent=0.5) == 1
    run_worker(wait=False, queues=(RUNS,))


def test_a_worker_killed_in_an_apply_and_in_its_undo(demo, bundle, killed):
    number, before = prepared(demo, bundle), catalog()
    request_apply(number)
    killed(number, "writing products", "product_changes")
    assert catalog() == before and run_of(number).status == "applying"
    taken_up()
    after = catalog()
    assert run_of(number).status == "applied" and len(after) == len(before) + 878
    assert rows("select count(*) from product_changes") == [(291,)]
    undo = start_undo(number).id
    run_worker(wait=False, queues=(RUNS,))
    request_apply(undo)
    killed(undo, "taking back", "removed_products")
    assert catalog() == after and run_of(number).status == "applied"
    taken_up()
    assert catalog() == before
    assert [run_of(n).status for n in (number, undo)] == ["undone", "applied"]


def test_a_worker_killed_in_a_preparation(demo, bundle, killed):
    take_bundle(1, bundle)
    number, before = start_run(1).id, catalog()
    killed(number, "loading the catalog", "products")
    taken_up()
    run = run_of(number)
    assert run.status == "prepared" and sum(run.counts.values()) == 1188 and catalog() == before


def of_version(number):
    rows(f"update alembic_version set version_num = '{number}' returning version_num")


def test_a_worker_of_another_version_leaves_its_jobs_and_ends(demo, bundle):
    """The database is brought to a newer version while it works; one of that version goes on."""
    take_bundle(1, bundle)
    (own,) = rows("select version_num from alembic_version")[0]
    worker = subprocess.Popen([sys.executable, "-c", WORKER], stderr=subprocess.PIPE)
    try:
        wait_for(lambda: rows("select id from procrastinate_workers"), "a worker")
        of_version("9999")
        number = start_run(1).id
        assert worker.wait(30) == 0
    finally:
        worker.kill()
    assert run_of(number).status == "queued"
    with pytest.raises(OtherVersion, match="of version 9999") as refused:
        run_worker(wait=False, queues=(RUNS,))
    assert "newer version" in refused.value.remedy
    of_version("0001")
    with pytest.raises(OtherVersion) as refused:
        run_worker(wait=False, queues=(RUNS,))
    assert refused.value.remedy.endswith("nomotax migrate.")
    of_version(own)
    rows("update procrastinate_jobs set scheduled_at = null returning id")
    run_worker(wait=False, queues=(RUNS,))
    assert run_of(number).status == "prepared"
