"""Workers and the database killed (SIGKILL, an immediate stop) at random moments of a preparation,
an apply and an undo, with two workers alive: ``python -m bench.faults``. After each the catalog is
as before or as after, never half, and the run ends by itself. A worker counts as gone after two
seconds of silence here, not after twenty.
"""

from __future__ import annotations

import os
import random
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from urllib.parse import urlsplit

import click
from flask.testing import FlaskClient
from sqlalchemy import text

from bench.edit import OUT, server, set_up
from nomotax.core.errors import DatabaseUnavailable
from nomotax.flows.applying import request_apply
from nomotax.flows.undoing import start_undo
from nomotax.records.database import session
from nomotax.records.postgres import Cluster
from nomotax.records.runs import Runs

_WORKER = """
from nomotax.jobs import app
app._BEAT, app._SILENT = 0.5, 2.0
app.run_worker(queues=("runs",))
"""
_BUSY = ("queued", "preparing", "applying")


class Crew:
    """Two workers, as processes of their own."""

    def __init__(self) -> None:
        self.workers = [self._new(), self._new()]

    @staticmethod
    def _new() -> subprocess.Popen[bytes]:
        quiet = subprocess.DEVNULL
        return subprocess.Popen([sys.executable, "-c", _WORKER], stdout=quiet, stderr=quiet)

    def kill_one(self, rng: random.Random) -> None:
        """Kill one of them at once, and hire another."""
        gone = self.workers.pop(rng.randrange(len(self.workers)))
        gone.kill()
        gone.wait()
        self.workers.append(self._new())

    def send_home(self) -> None:
        for worker in self.workers:
            worker.kill()
            worker.wait()


@contextmanager
def crew() -> Iterator[Crew]:
    """Two workers for a while."""
    made = Crew()
    try:
        yield made
    finally:
        made.send_home()


def look() -> tuple[int, str]:
    """How many products there are, and a fingerprint of all of them."""
    with session() as db:
        query = text(
            "select count(*), coalesce(md5(string_agg(key || content, '' order by key)), '') "
            "from products"
        )
        count, seal = db.connection().execute(query).one()
        return int(count), str(seal)


def status(run: int) -> str:
    while True:
        try:
            with session() as db:
                return Runs.holding(db, run).get(run).status
        except DatabaseUnavailable:
            time.sleep(0.2)


def ended(run: int) -> str:
    """The state in which a run ends, by itself."""
    deadline = time.monotonic() + 180
    while (state := status(run)) in _BUSY:
        if time.monotonic() > deadline:
            raise click.ClickException(f"run {run} is {state} for ever")
        time.sleep(0.2)
    return state


@click.command()
@click.option("--rows", default=50_000, show_default=True)
@click.option("--rounds", default=20, show_default=True, help="Kills of a worker, of each kind.")
@click.option("--outages", default=5, show_default=True, help="Kills of the database.")
@click.option("--seed", default=1, show_default=True)
def main(rows: int, rounds: int, outages: int, seed: int) -> None:
    """Kill, and look."""
    OUT.mkdir(exist_ok=True)
    rng, ends = random.Random(seed), Counter[str]()
    with server() as client:
        feed = set_up(client, rows)
        for n in range(rounds + outages):
            with crew() as hands:
                hurt = _killing(hands, rng) if n < rounds else _outage
                _round(client, feed, hurt, rng, ends)
            click.echo(f"{n + 1}: {dict(ends)}")


def _round(
    client: FlaskClient,
    feed: int,
    hurt: Callable[[], None],
    rng: random.Random,
    ends: Counter[str],
) -> None:
    """A preparation, an apply and an undo, each hurt once at some moment."""
    before = look()
    run = int(client.post(f"/api/v1/feeds/{feed}/runs").json["id"])
    ends[f"preparation {_hurt(run, hurt, rng, (before,))}"] += 1
    request_apply(run)
    ends[f"apply {_hurt(run, hurt, rng, (before, None))}"] += 1
    after = look()
    undo = start_undo(run).id or 0
    ended(undo)
    request_apply(undo)
    ends[f"undo {_hurt(undo, hurt, rng, (after, before))}"] += 1
    if look() != before:
        raise click.ClickException("the undo has not put everything back")


def _hurt(
    run: int,
    hurt: Callable[[], None],
    rng: random.Random,
    allowed: tuple[tuple[int, str] | None, ...],
) -> str:
    time.sleep(rng.uniform(0, 4))
    hurt()
    state = ended(run)
    if None not in allowed and look() not in allowed:
        raise click.ClickException(f"run {run} is {state}, and the catalog is half of it")
    return state


def _killing(hands: Crew, rng: random.Random) -> Callable[[], None]:
    return lambda: hands.kill_one(rng)


def _outage() -> None:
    folder = Path(os.environ["NOMOTAX_ARTIFACTS"]).parent / "pg"
    cluster = Cluster(folder, urlsplit(os.environ["NOMOTAX_DATABASE_URL"]).port or 0)
    cluster.stop("immediate")
    time.sleep(0.5)
    cluster.start()


if __name__ == "__main__":
    main()
