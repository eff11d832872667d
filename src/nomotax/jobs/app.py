"""Background work on the same PostgreSQL: any number of workers, on any machine."""

from __future__ import annotations

import asyncio
import os
import time
from collections.abc import Callable, Sequence
from functools import cache

import structlog
from procrastinate import App, PsycopgConnector, SyncPsycopgConnector
from procrastinate.connector import BaseConnector
from procrastinate.exceptions import ConnectorException
from psycopg_pool import PoolTimeout

from nomotax.core.errors import DatabaseUnavailable
from nomotax.flows import likely, receive, runs
from nomotax.log import quiet_log
from nomotax.records.database import database_url
from nomotax.settings import settings

log = structlog.get_logger()

RUNS, LOOKS = "runs", "looks"
#: How much less urgent than all else on the machine looks are.
_LOWER = 10
#: Each task with its queue. Looks are taken by a worker of their own, so that no run waits for one.
_TASKS: dict[str, tuple[Callable[..., object], str]] = {
    "prepare": (runs.prepare, RUNS),
    "apply": (runs.apply, RUNS),
    "undo": (runs.undo, RUNS),
    "read": (receive.read_queued, RUNS),
    "look_at_paths": (likely.look_at_paths, LOOKS),
}


def _app(connector: BaseConnector) -> App:
    """An application with our tasks. Tasks remember the application they were made in, so each
    connector gets one of its own."""
    made = App(connector=connector)
    for name, (work, queue) in _TASKS.items():
        made.task(name=name, queue=queue)(work)
    return made


@cache
def _queue(url: str) -> App:
    """An application that can only defer, with a small pool of connections; one a process."""
    connector = SyncPsycopgConnector(conninfo=url, min_size=0, max_size=4, timeout=5)
    queue = _app(connector)
    queue.open()
    return queue


def defer(task: str, **about: int) -> None:
    """Put a task on the queue. Raises ``DatabaseUnavailable``."""
    try:
        _queue(database_url()).configure_task(task, queue=_TASKS[task][1]).defer(**about)
    except (ConnectorException, PoolTimeout) as error:
        raise DatabaseUnavailable(
            "The job could not be put on the queue.",
            where=str(error.__cause__ or error),
            remedy="Start the database, then try again.",
        ) from error


def run_worker(
    wait: bool = True, concurrency: int = 1, queues: Sequence[str] = (RUNS, LOOKS)
) -> None:
    """Work until stopped; with ``wait=False`` until the queues are empty. Survives a database that
    goes away: what was interrupted is given back, and work goes on when it returns."""
    quiet_log()
    if wait and RUNS not in queues:
        os.nice(_LOWER)
    while True:
        try:
            if wait and RUNS in queues and _alone():
                _give_back()
            asyncio.run(_work(wait, concurrency, queues))
            return
        except (ConnectorException, DatabaseUnavailable, OSError) as error:
            if not wait:
                raise
            log.warning("database lost, trying again", error=str(error))
            time.sleep(2)


def _give_back() -> None:
    interrupted = runs.mark_interrupted()
    if interrupted:
        log.warning("interrupted runs given back", count=interrupted)


def _alone() -> bool:
    return settings().workers == 1


async def _work(wait: bool, concurrency: int, queues: Sequence[str]) -> None:
    worker = _app(PsycopgConnector(conninfo=database_url()))
    async with worker.open_async():
        await worker.run_worker_async(
            queues=list(queues), wait=wait, concurrency=concurrency, fetch_job_polling_interval=2,
            install_signal_handlers=wait,
        )  # fmt: skip
