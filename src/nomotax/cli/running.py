"""``nomotax run`` and ``nomotax deliver``: a feed fetched, or a file brought, and gone on with to
its end, for schedulers of other kinds."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn

import click

from nomotax.cli.home import join_home

if TYPE_CHECKING:
    from nomotax.flows.turns import Policy

#: What it ended with, for who asks: all is done, it waits for a person, it failed.
DONE, WAITS, FAILED = 0, 1, 2
#: What ``--apply`` says, as feeds know it.
_APPLY = {"none": "wait", "clean": "clean", "all": "rest"}
_FILE = click.Path(path_type=Path, exists=True, dir_okay=False)
_apply = click.option(
    "--apply", "how", type=click.Choice(list(_APPLY)),
    help="Apply when nothing is open (clean), what is clean (all), or nothing; by default as the "
    "feed may.",
)  # fmt: skip
#: Seconds between two looks at what another worker does.
_PAUSE = 0.5


@click.command("run")
@click.argument("feed")
@click.option("--scope", default="", help="Only the fields of this scope of the feed.")
@_apply
def run_command(feed: str, how: str | None, scope: str) -> None:
    """Fetch FEED (its number, or "Supplier, name"), prepare what has come, and apply it.

    Ends 0 when all is done or nothing was new, 1 when it waits for a person, 2 when it failed;
    prints one line of JSON.
    """
    from nomotax.flows.fetching import ask_for_fetch, fetches_of

    feed_id = _feed(feed)
    asked = ask_for_fetch(feed_id, "asked by a command", _policy(how), scope).id
    _work_until(lambda: _one(fetches_of(feed_id), asked).finished_at is not None)
    found = _one(fetches_of(feed_id), asked)
    if found.status in ("failed", "stopped"):
        _end(FAILED, feed, outcome=found.status, said=found.said, remedy=found.remedy)
    if not found.deliveries:
        _end(DONE, feed, outcome=found.status, said=found.said)
    _finish(feed, found.deliveries[-1], found.said, found.remedy)


@click.command("deliver")
@click.argument("feed")
@click.argument("file", type=_FILE)
@_apply
def deliver_command(feed: str, file: Path, how: str | None) -> None:
    """Bring FILE as the next delivery of FEED, prepare it, and apply it; ends as ``run`` does."""
    from nomotax.flows.feeds import newest_delivery
    from nomotax.flows.receive import take_in
    from nomotax.flows.turns import begin

    feed_id = _feed(feed)
    with file.open("rb") as stream:
        delivery = take_in(feed_id, file.name, stream)
    # One that was brought before, and never gone on with, is gone on with.
    known = delivery or newest_delivery(feed_id)
    begun = begin(known, _policy(how))
    if delivery is None and begun is None:
        _end(DONE, feed, outcome="unchanged", said=f"{file.name}: the same bytes as before.")
    delivery = known
    _finish(feed, delivery.id or 0, f"{file.name} came.", "")


def _policy(how: str | None) -> Policy | None:
    from nomotax.flows.turns import parse_policy

    return parse_policy(_APPLY[how]) if how else None


def _feed(name: str) -> int:
    """Raises ``NotFound`` for a feed that is not there, or is not the only one of its name."""
    from nomotax.flows.feeds import feed_named

    join_home()
    return feed_named(name)


def _one(lines: Any, key: int) -> Any:
    return next(line for line in lines if line.id == key)


def _work_until(done: Any) -> None:
    """Be a worker until it is done; others may do it as well."""
    from nomotax.jobs.app import run_worker

    while not done():
        run_worker(wait=False)
        if not done():
            time.sleep(_PAUSE)


def _finish(feed: str, delivery_id: int, said: str, remedy: str) -> NoReturn:
    """Wait until nothing of a delivery is under way, and say what became of it."""
    from nomotax.flows.feeds import outcome_of

    _work_until(lambda: not outcome_of(delivery_id).busy)
    found = outcome_of(delivery_id)
    codes = {"applied": DONE, "failed": FAILED, "unreadable": FAILED}
    _end(
        codes.get(found.status, WAITS), feed, outcome=found.status, said=found.said or said,
        remedy=remedy, delivery=delivery_id, run=found.run_id, counts=found.counts,
    )  # fmt: skip


def _end(code: int, feed: str, **told: Any) -> NoReturn:
    click.echo(json.dumps({"feed": feed, **told}, ensure_ascii=False))
    sys.exit(code)
