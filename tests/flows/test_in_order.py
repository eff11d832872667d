"""Several files of one feed, several workers: each goes its whole way before the one behind it."""

from __future__ import annotations

import io
import subprocess
import sys
import time
from itertools import pairwise

import pytest
from sqlalchemy import text

from nomotax.demo.load import DATA
from nomotax.flows.applying import apply, request_apply
from nomotax.flows.crosswalks import take_bundle
from nomotax.flows.fetching import take_sent
from nomotax.flows.messages import messages_of
from nomotax.flows.runs import prepare, start_run
from nomotax.flows.schedules import set_policy
from nomotax.records.database import session

FEED, FILES, ROUNDS = 1, 6, 2
WORKER = "from nomotax.jobs.app import run_worker; run_worker(queues=('runs', 'reads', 'fetches'))"


def rows(statement):
    with session() as db:
        return [tuple(row) for row in db.connection().execute(text(statement))]


@pytest.fixture
def workers(demo, bundle):
    """Three of them, at work as long as the test."""
    take_bundle(FEED, bundle)
    set_policy(FEED, "rest")
    first = start_run(FEED).id
    prepare(first)
    request_apply(first)
    apply(first)
    rows("delete from procrastinate_jobs returning id")
    running = [subprocess.Popen([sys.executable, "-c", WORKER]) for _ in range(3)]
    yield running
    for one in running:
        one.terminate()
    for one in running:
        one.wait(30)


def list_of(round_, number):
    """The demo's list, with another cost of some articles in each."""
    first = (DATA / "quarrow-week-1.csv").read_bytes()
    return first.replace(b";2,08;", f";2,{20 + round_ * FILES + number:02d};".encode())


def settled():
    busy = rows("select count(*) from procrastinate_jobs where status in ('todo', 'doing')")
    return busy == [(0,)]


def test_six_files_of_one_feed_are_taken_in_order_by_three_workers(workers):
    """Whoever is quicker: each is prepared when the one before it is done; nobody is told of a
    fault."""
    for round_ in range(ROUNDS):
        for number in range(FILES):
            data = list_of(round_, number)
            take_sent(FEED, f"list-{round_}-{number}.csv", io.BytesIO(data), len(data))
        deadline = time.monotonic() + 300
        while not settled() and time.monotonic() < deadline:
            time.sleep(0.1)
    runs = rows("select used ->> 'file_name', id, status, error from runs where id > 1 order by id")
    names = [name for name, *_ in runs]
    assert names == [f"list-{r}-{n}.csv" for r in range(ROUNDS) for n in range(FILES)], runs
    assert not [one for one in runs if one[3]], runs
    # Of each that was applied the next was prepared against what it had left.
    begun = rows(
        "select run_id, min(id) filter (where text like 'preparing%'), max(id) from run_log "
        "group by run_id order by run_id"
    )
    for (_, _, ended), (_, prepared, _) in pairwise(begun):
        assert prepared > ended or prepared is None, begun
    assert [
        one.kind for one in messages_of(1).messages if one.kind in ("failed", "recovered")
    ] == []
