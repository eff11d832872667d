"""What a second worker is worth, and whether one that is killed loses anything: ``python -m
bench.workers``. Twelve feeds of as many stores are fetched from folders, prepared and applied by
themselves: by one worker, which is the baseline, then by two, each with one thread; then by two of
which one is killed with signal 9 in the middle, each of them once."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path

import click
import polars as pl
from sqlalchemy import text

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
_PATIENCE = 600.0
_WORKER = [sys.executable, "-m", "nomotax.cli.main", "worker", "--queue", "runs"]


@dataclass
class Crew:
    """Workers, each a process with one thread for its tables."""

    processes: list[subprocess.Popen[bytes]] = field(default_factory=list)

    def begin(self, many: int, log: Path) -> None:
        """Returns once all of them have told the database that they live."""
        before = _one("select coalesce(max(id), 0) from procrastinate_workers")
        env = os.environ | {"POLARS_MAX_THREADS": "1"}
        for n in range(many):
            out = (log / f"worker-{n}.log").open("ab")
            self.processes.append(subprocess.Popen(_WORKER, env=env, stdout=out, stderr=out))
        count = f"select count(*) from procrastinate_workers where id > {before}"
        _until(lambda: _one(count) >= many)

    def kill(self, which: int) -> None:
        self.processes[which].send_signal(signal.SIGKILL)

    def end(self) -> None:
        for one in self.processes:
            one.terminate()
        for one in self.processes:
            one.wait(60)
        self.processes.clear()


def _one(sql: str) -> int:
    with session() as db:
        return int(db.connection().execute(text(sql)).scalar() or 0)


def _until(true) -> None:
    until = time.monotonic() + _PATIENCE
    while not true():
        if time.monotonic() > until:
            raise click.ClickException("it does not come to an end")
        time.sleep(0.05)


class Feeds:
    """The feeds with their folders; each week one row in a hundred of each costs something else."""

    def __init__(self, folder: Path, rows: int) -> None:
        self.folder, self.rows, self.week, self.ids = folder, rows, 0, []  # type: ignore[var-annotated]
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
        self.week += 1
        other = (pl.int_range(pl.len()) % _CHANGED == self.week) & (self.week > 1)
        cost = pl.format("{},{}", pl.int_range(pl.len()) % 90 + self.week, pl.lit("37"))
        week = self.base.with_columns(pl.when(other).then(cost).otherwise("Cost").alias("Cost"))
        for feed in self.ids:
            place = self.folder / str(feed)
            place.mkdir(exist_ok=True)
            week.write_csv(place / f"week-{self.week}.csv", separator=";")

    def applied(self) -> int:
        name = f"week-{self.week}.csv"
        return _one(
            "select count(*) from runs where status = 'applied' "
            f"and used ->> 'file_name' = '{name}'"
        )

    def check(self) -> None:
        """Raises where a delivery, a run or an application is missing or there twice."""
        name = f"week-{self.week}.csv"
        made = f"from runs where used ->> 'file_name' = '{name}'"
        lines = "from run_log where text like 'applied:%' and run_id in (select id " + made + ")"
        found = {
            "deliveries": _one(f"select count(*) from deliveries where file_name = '{name}'"),
            "runs": _one(f"select count(*) {made}"),
            "applied": _one(f"select count(*) {lines}"),
        }
        wrong = {what: n for what, n in found.items() if n != FEEDS}
        if wrong:
            raise click.ClickException(f"of {FEEDS} feeds there are {wrong}")


def _took(feeds: Feeds, crew: Crew, many: int, killed: int | None = None) -> float:
    """Seconds from the asking until all feeds are applied."""
    feeds.lay_out()
    crew.begin(many, feeds.folder)
    begin = time.perf_counter()
    for feed in feeds.ids:
        ask_for_fetch(feed)
    if killed is not None:
        _until(lambda: feeds.applied() >= FEEDS // 4)
        crew.kill(killed)
    _until(lambda: feeds.applied() == FEEDS)
    seconds = time.perf_counter() - begin
    crew.end()
    feeds.check()
    return seconds


@click.command()
@click.option("--rows", type=int, default=30_000, show_default=True)
def main(rows: int) -> None:
    """Twelve feeds by one worker and by two."""
    crew = Crew()
    with server():
        folder = Path(os.environ["NOMOTAX_ARTIFACTS"]).parent / "lists"
        folder.mkdir()
        os.environ["NOMOTAX_FOLDERS"] = str(folder)
        feeds = Feeds(folder, rows)
        feeds.set_up()
        try:
            one = _took(feeds, crew, 1)
            two = _took(feeds, crew, 2)
            click.echo(f"{FEEDS} feeds of {rows:,} rows: one worker {one:.1f} s (baseline), two "
                       f"{two:.1f} s, ratio {two / one:.2f} (aim {AIM})")  # fmt: skip
            for killed in (0, 1):
                seconds = _took(feeds, crew, 2, killed)
                click.echo(f"worker {killed + 1} of two killed: {seconds:.1f} s, none lost, "
                           "none twice")  # fmt: skip
        finally:
            crew.end()


if __name__ == "__main__":
    main()
