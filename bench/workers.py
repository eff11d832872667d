"""What a second worker is worth, and whether one that is killed loses anything: ``python -m
bench.workers``. Twelve feeds of as many stores are fetched from folders, prepared and applied by
themselves: by one worker, which is the baseline, then by two, each with one thread and a share of a
processor of its own; then by two of which one is killed with signal 9 in the middle, each of them
once. With ``--apart`` the workers are in network namespaces of their own, and what they keep is in
a stand-in for a bucket."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from statistics import median

import click
import polars as pl
from sqlalchemy import text

from bench.apart import Machine, bucket, machines, with_processors
from bench.edit import server
from bench.job import BUNDLE
from bench.make_feed import make_feed
from nomotax.demo.store import SCHEMA
from nomotax.flows import applying, crosswalks, guarding, runs, sources, stores
from nomotax.flows.fetching import ask_for_fetch
from nomotax.flows.receive import take_in
from nomotax.flows.schedules import set_policy
from nomotax.flows.sources import SourceEdit
from nomotax.intake.model import FolderSource
from nomotax.records.database import session

FEEDS = 12
#: The share of one worker's time that two may take.
AIM = 0.55
#: One row in so many has another cost each week.
_CHANGED = 100
_PATIENCE = 900.0
_WORKER = (sys.executable, "-m", "nomotax.cli.main", "worker", "--queue", "runs")


@contextmanager
def crew(where: Sequence[Machine], log: Path) -> Iterator[list[subprocess.Popen[bytes]]]:
    """Workers, each a process with one thread for its tables; all of them live already."""
    before = _one("select coalesce(max(id), 0) from procrastinate_workers")
    made: list[subprocess.Popen[bytes]] = []
    try:
        for n, machine in enumerate(where):
            env = os.environ | {"POLARS_MAX_THREADS": "1"} | dict(machine.environment)
            with (log / f"worker-{n}.log").open("ab") as out:
                command = [*machine.enter, *_WORKER]
                made.append(subprocess.Popen(command, env=env, stdout=out, stderr=out))
        _until(lambda: _one(f"select count(*) from procrastinate_workers where id > {before}")
               >= len(where))  # fmt: skip
        yield made
    finally:
        for one in made:
            one.terminate()
        for one in made:
            one.wait(60)


def _one(sql: str) -> int:
    with session() as db:
        return int(db.connection().execute(text(sql)).scalar() or 0)


def _until(true: Callable[[], bool]) -> None:
    until = time.monotonic() + _PATIENCE
    while not true():
        if time.monotonic() > until:
            raise click.ClickException("it does not come to an end")
        time.sleep(0.25)


class Feeds:
    """The feeds with their folders; each week one row in a hundred of each costs something else."""

    def __init__(self, folder: Path, rows: int) -> None:
        self.folder, self.week = folder, 0
        self.ids: list[int] = []
        make_feed(folder / "base.csv", rows)
        self.base = pl.read_csv(folder / "base.csv", separator=";", infer_schema=False)

    def set_up(self) -> None:
        """Each with its first delivery applied."""
        categories = [f"Painting > Group {i}" for i in range(60)]
        for n in range(FEEDS):
            store = stores.add_store(f"Store {n}", SCHEMA, categories)
            feed = stores.add_feed(store, "Quarrow Pigments", "Weekly list")
            crosswalks.take_bundle(feed, BUNDLE)
            self.ids.append(feed)
        self.lay_out()
        for feed in self.ids:
            place = self.folder / str(feed)
            with (place / "week-1.csv").open("rb") as stream:
                take_in(feed, "week-1.csv", stream)
            run = runs.start_run(feed).id or 0
            runs.prepare(run)
            applying.request_apply(run)
            applying.apply(run)
            sources.set_source(feed, SourceEdit(source=FolderSource(folder=str(place))))
            set_policy(feed, "rest")
            off = [g.model_copy(update={"on": False}) for g in guarding.guards(feed).guards]
            guarding.set_guards(feed, guarding.Guards(guards=off))
        with session() as db:
            db.connection().execute(text("delete from procrastinate_jobs where status = 'todo'"))

    def lay_out(self) -> None:
        """The next week of each."""
        self.week += 1
        other = (pl.int_range(pl.len()) % _CHANGED == self.week) & (self.week > 1)
        cost = pl.format("{},{}", pl.int_range(pl.len()) % 90 + self.week, pl.lit("37"))
        week = self.base.with_columns(pl.when(other).then(cost).otherwise("Cost").alias("Cost"))
        for feed in self.ids:
            place = self.folder / str(feed)
            place.mkdir(exist_ok=True)
            week.write_csv(place / f"week-{self.week}.csv", separator=";")

    def ask(self) -> None:
        """The next week of each, asked for."""
        self.lay_out()
        for feed in self.ids:
            ask_for_fetch(feed)

    @property
    def _runs(self) -> str:
        return f"from runs where used ->> 'file_name' = 'week-{self.week}.csv'"

    def applied(self) -> int:
        return _one(f"select count(*) {self._runs} and status = 'applied'")

    def check(self) -> None:
        """Raises where a delivery, a run or an application is missing or there twice, or where a
        product is not as its last week has it."""
        name = f"week-{self.week}.csv"
        lines = f"run_log where text like 'applied:%' and run_id in (select id {self._runs})"
        changes = f"product_changes where run_id in (select id {self._runs})"
        found = {
            "deliveries": _one(f"select count(*) from deliveries where file_name = '{name}'"),
            "runs": _one(f"select count(*) {self._runs}"),
            "applied": _one(f"select count(*) from {lines}"),
            "stores changed": _one(f"select count(distinct store_id) from {changes}"),
        }
        wrong = {what: n for what, n in found.items() if n != FEEDS}
        if wrong:
            raise click.ClickException(f"of {FEEDS} feeds there are {wrong}")


def took(feeds: Feeds, where: Sequence[Machine], killed: int | None = None) -> float:
    """Seconds from the asking until all feeds are applied, by workers that have done as much once
    before: what they load for it costs once a process."""
    with crew(where, feeds.folder) as workers:
        feeds.ask()
        _until(lambda: feeds.applied() == FEEDS)
        begin = time.perf_counter()
        feeds.ask()
        if killed is not None:
            _until(lambda: feeds.applied() >= 1)
            workers[killed].send_signal(signal.SIGKILL)
        _until(lambda: feeds.applied() == FEEDS)
        seconds = time.perf_counter() - begin
    feeds.check()
    return seconds


def compare(feeds: Feeds, where: Sequence[Machine], rows: int, rounds: int) -> None:
    """One beside two, in turn, and two of which one is killed. What counts is the middle one of the
    rounds' ratios: a machine is not always as quick."""
    ratios = []
    for _ in range(rounds):
        one, two = took(feeds, where[:1]), took(feeds, where)
        ratios.append(two / one)
        click.echo(f"{FEEDS} feeds of {rows:,} rows: one worker {one:.1f} s (baseline), two "
                   f"{two:.1f} s, ratio {two / one:.2f}")  # fmt: skip
    click.echo(f"ratio, the middle one of {rounds}: {median(ratios):.2f} (aim: at most {AIM})")
    for killed in range(len(where)):
        seconds = took(feeds, where, killed)
        click.echo(f"worker {killed + 1} of two killed: {seconds:.1f} s, none lost, none twice")


@click.command()
@click.option("--rows", type=int, default=10_000, show_default=True)
@click.option("--rounds", type=int, default=3, show_default=True)
@click.option(
    "--share",
    type=float,
    default=0.4,
    show_default=True,
    help="Of a processor, for each worker; 0 for what the machine has.",
)
@click.option("--apart", is_flag=True, help="Each on a network of its own, with a bucket.")
def main(rows: int, rounds: int, share: float, apart: bool) -> None:
    """Twelve feeds by one worker and by two."""
    with server():
        folder = Path(os.environ["NOMOTAX_ARTIFACTS"]).parent / "lists"
        folder.mkdir()
        os.environ["NOMOTAX_FOLDERS"] = str(folder)
        os.environ["NOMOTAX_NEARBY"] = str(folder / "nearby")
        with ExitStack() as stack:
            where = [Machine(), Machine()]
            if apart:
                where = stack.enter_context(machines(2, folder, stack.enter_context(bucket())))
            if share:
                where = stack.enter_context(with_processors(where, share))
            feeds = Feeds(folder, rows)
            feeds.set_up()
            compare(feeds, where, rows, rounds)


if __name__ == "__main__":
    main()
