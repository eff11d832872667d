"""A fortnight of the demo by itself: ``python -m bench.fortnight`` lays out what its suppliers send
each day, lets the clock come to six in the morning, and does what falls due, with nobody there.
What became of each list, and whether that is right, it writes to docs/fortnight.md."""

from __future__ import annotations

import os
import re
import socket
import subprocess
import sys
import time
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import click
from jinja2 import Environment, FileSystemLoader

from bench.edit import server
from nomotax.core.changes.verdicts import Chosen, Verdict
from nomotax.core.crosswalk.model import Bundle
from nomotax.demo.days import ROUNDS, Strange
from nomotax.demo.load import DATA, SENDERS
from nomotax.demo.outside.layout import FOLDER, Ports
from nomotax.demo.outside.sftp import host_key
from nomotax.demo.outside.stand_ins import StandIns
from nomotax.flows import applying, crosswalks, fetching, schedules, sources, stores
from nomotax.flows.deciding import decide, decisions_of
from nomotax.flows.fetching import FetchLine, fetches_of
from nomotax.flows.messages import look_for_silence, messages_of
from nomotax.flows.receive import delivery
from nomotax.flows.turns import begin
from nomotax.jobs.app import run_worker
from nomotax.records.columns import clock_at
from nomotax.records.database import session
from nomotax.records.postgres import free_port
from nomotax.records.runs import Runs

PARIS = ZoneInfo("Europe/Paris")
#: A Monday; the clock comes to each day at six.
BEGIN = datetime(2026, 11, 30, 6, 0, tzinfo=PARIS)
DAYS = 14
_REPORT = Path(__file__).parents[1] / "docs" / "fortnight.md"
_SUNDAY = 6


@dataclass(frozen=True)
class Outcome:
    """What became of a supplier's list on a day: ``status`` is *applied*, *held*, *held in part*,
    *failed* or *unchanged*, ``said`` why; ``strange`` is what was wrong with it, where something
    was."""

    day: int
    supplier: str
    status: str
    said: str
    strange: Strange | None

    @property
    def right(self) -> bool:
        """Whether that is what was to become of it."""
        if self.strange is None:
            return self.status in ("applied", "unchanged")
        stopped = self.status in ("held", "held in part", "failed")
        return stopped and re.search(self.strange.told, self.said) is not None


@contextmanager
def outside(root: Path) -> Iterator[StandIns]:
    """The suppliers' hosts, as the demo has them."""
    root.mkdir(parents=True)
    key = host_key(root / "host-key").get_fingerprint()
    ports = Ports(*(free_port() for _ in range(5)), key)
    made = StandIns(root, ports)
    made.keep()
    os.environ |= {
        "NOMOTAX_STAND_INS": str(root), "NOMOTAX_FOLDERS": str(root / FOLDER),
        "NOMOTAX_FETCH_INSIDE": ",".join(made.addresses),
        "NOMOTAX_SMTP": f"127.0.0.1:{ports.smtp}",
    }  # fmt: skip
    command = [sys.executable, "-m", "nomotax.cli.main", "stand-ins"]
    quiet = subprocess.DEVNULL
    process = subprocess.Popen(command, stdout=quiet, stderr=quiet)
    try:
        while not all(_listens(port) for port in (ports.web, ports.ftp, ports.sftp, ports.mail)):
            time.sleep(0.1)
        yield made
    finally:
        process.terminate()
        process.wait(10)


def _listens(port: int) -> bool:
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def _send(hosts: StandIns, supplier: str, day: int, data: bytes) -> None:
    rounds = ROUNDS[supplier]
    name = f"{supplier.split(maxsplit=1)[0].lower()}-day-{day:02d}.{rounds.ending}"
    hosts.release(SENDERS[supplier].part, name, data)


def set_up(hosts: StandIns, suppliers: Sequence[str]) -> dict[str, int]:
    """The feeds, each with a first list applied by a person, fetched at six from then on."""
    feeds = {}
    for supplier in suppliers:
        sender = SENDERS[supplier]
        feed = stores.add_feed(1, supplier, sender.feed)
        crosswalk = DATA / sender.files[0].replace("week-1", "crosswalk")
        bundle = crosswalk.with_suffix(".json").read_text("utf-8")
        crosswalks.take_bundle(feed, Bundle.model_validate_json(bundle))
        sources.set_source(feed, hosts.source(sender.part))
        schedules.set_policy(feed, "rest")
        when = schedules.ScheduleEdit(expression="0 6 * * *", zone="Europe/Paris")
        schedules.add_schedule(feed, when)
        _send(hosts, supplier, 0, ROUNDS[supplier].ordinary(0))
        _begin(feed)
        feeds[supplier] = feed
    return feeds


def _begin(feed: int) -> None:
    """The first list: a person takes what is clean of it."""
    fetching.fetch_queued(fetching.ask_for_fetch(feed).id)
    first = delivery(fetches_of(feed)[0].deliveries[0])
    begin(first)
    run_worker(wait=False)
    with session() as db:
        run = Runs(db, first.store_id).newest_of([first.id or 0])[first.id or 0]
    if run.status == "prepared":
        _let_through(run.id or 0)
        applying.request_apply(run.id or 0)
        run_worker(wait=False)


def _let_through(run: int) -> None:
    for one in decisions_of(run).findings:
        if one.open:
            of = Chosen(guard=one.called)
            decide(run, Verdict(verdict="release", of=of, reason="the first list"))


def live(hosts: StandIns, feeds: Mapping[str, int], day: int) -> Iterator[Outcome]:
    """One day, from before six until all that fell due is done."""
    moment = BEGIN + timedelta(days=day - 1)
    resting = moment.weekday() == _SUNDAY
    with clock_at(moment.astimezone(UTC)):
        for supplier in feeds:
            strange = ROUNDS[supplier].strange.get(day)
            make = strange.make if strange else ROUNDS[supplier].ordinary
            if not resting:
                _send(hosts, supplier, day, make(day))
        schedules.fire_due(moment + timedelta(seconds=1))
        run_worker(wait=False)
        look_for_silence()
    for supplier, feed in feeds.items():
        status, said = _became(fetches_of(feed)[0])
        strange = None if resting else ROUNDS[supplier].strange.get(day)
        yield Outcome(day, supplier, status, said, strange)


def _became(fetch: FetchLine) -> tuple[str, str]:
    """What became of what a fetch brought, in a word and in plain ones."""
    if fetch.status != "new":
        status = "failed" if fetch.status == "failed" else "unchanged"
        return status, f"{fetch.said} {fetch.remedy}".strip()
    came = delivery(fetch.deliveries[-1])
    with session() as db:
        repo = Runs(db, came.store_id)
        run = repo.newest_of([came.id or 0]).get(came.id or 0)
        log = repo.log(run.id or 0) if run else []
    if run is None:
        return "failed", came.error or fetch.said
    said = log[-1].text if log else run.error
    if run.status == "applied":
        # Lines that a guard holds are left as they are, with what it has seen.
        seen = [one.said for one in decisions_of(run.id or 0).findings if one.open]
        if seen:
            return "held in part", f"{said.removeprefix('applied: ')}; {'; '.join(seen)}"
        return "applied", said.removeprefix("applied: ")
    return ("held" if run.status == "prepared" else "failed"), said.removeprefix("waits: ")


def replay(hosts: StandIns, days: int, suppliers: Sequence[str]) -> Iterator[Outcome]:
    """So many days of some suppliers."""
    # On the eve: what comes after a moment is worked out from then on.
    with clock_at((BEGIN - timedelta(hours=12)).astimezone(UTC)):
        feeds = set_up(hosts, suppliers)
    for day in range(1, days + 1):
        yield from live(hosts, feeds, day)


_PAGE = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "data"), autoescape=False,
    trim_blocks=True, lstrip_blocks=True, keep_trailing_newline=True,
).get_template("fortnight.md.jinja")  # fmt: skip


def _summary(outcomes: Sequence[Outcome]) -> str:
    ordinary = Counter(one.status for one in outcomes if one.strange is None)
    strange = [one for one in outcomes if one.strange]
    right = sum(one.right for one in strange)
    counted = ", ".join(f"{n} {status}" for status, n in ordinary.most_common())
    return (
        f"{sum(ordinary.values())} ordinary days of feeds: {counted}. {len(strange)} lists with "
        f"something wrong: {right} held or refused with the right reason."
    )


@click.command()
@click.option("--days", type=int, default=DAYS, show_default=True)
def main(days: int) -> None:
    """Live it through and write the report; ends 1 where something went otherwise."""
    with server(), outside(Path(os.environ["NOMOTAX_ARTIFACTS"]).parent / "outside") as hosts:
        outcomes = []
        for one in replay(hosts, days, list(ROUNDS)):
            click.echo(f"{one.day:>2} {one.supplier:<22} {one.status:<10} {one.said[:110]}"
                       + ("" if one.right else "   <- WRONG"))  # fmt: skip
            outcomes.append(one)
        page = _PAGE.render(
            told=_summary(outcomes), outcomes=outcomes, messages=messages_of(1).messages[::-1]
        )
    _REPORT.write_text(page, encoding="utf-8")
    click.echo(_summary(outcomes))
    sys.exit(0 if all(one.right for one in outcomes) else 1)


if __name__ == "__main__":
    main()
