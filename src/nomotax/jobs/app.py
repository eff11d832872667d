"""Background work on the same PostgreSQL: any number of workers, on any machine."""

from __future__ import annotations

import asyncio
import os
import signal
import time
from collections.abc import Awaitable, Callable, Sequence
from functools import wraps

import structlog
from procrastinate import App, PsycopgConnector, RetryStrategy
from procrastinate.connector import BaseConnector
from procrastinate.exceptions import ConnectorException
from procrastinate.jobs import Status

from nomotax.core.errors import DatabaseUnavailable, OtherVersion
from nomotax.flows import (
    applying,
    contrasts,
    dated,
    fetching,
    likely,
    messages,
    problems,
    receive,
    runs,
    schedules,
    snapshots,
    telling,
)
from nomotax.flows.run_states import give_back
from nomotax.log import quiet_log
from nomotax.records.database import database_url, refuse_other_version
from nomotax.records.queue import FETCHES, LOOKS, QUEUES, READS, RUNS

log = structlog.get_logger()

#: How much less urgent than all else on the machine looks are.
_LOWER = 10
#: Seconds between two signs of life of a worker, and after which it counts as gone; how often a
#: job is taken up again that its worker did not survive.
_BEAT, _SILENT, _TRIES = 5.0, 20.0, 3
_TASKS: dict[str, Callable[..., object]] = {
    "prepare": runs.prepare,
    "apply": applying.apply,
    "read": receive.read_queued,
    "read_sent": fetching.read_sent,
    "fetch": fetching.fetch_queued,
    "mail": telling.mail,
    "call": telling.call,
    "digest": telling.digest,
    "snapshot": snapshots.take_queued,
    "contrast": contrasts.find_out,
    "look_at_paths": likely.look_at_paths,
    "look_at_products": problems.look_at_products,
}
#: A database that went away in the middle of a job: it is begun anew.
_AGAIN = RetryStrategy(max_attempts=_TRIES, wait=3, retry_exceptions={DatabaseUnavailable})
#: A message that could not be sent: again at ever longer intervals, for about an hour.
_OUTWARD = RetryStrategy(
    max_attempts=11, exponential_wait=2, wait=10,
    retry_exceptions={DatabaseUnavailable, telling.NotTold},
)  # fmt: skip
_PATIENT = dict.fromkeys(("mail", "call", "digest"), _OUTWARD)


def _app(connector: BaseConnector) -> App:
    """An application with our tasks, each left to a worker of the database's version. Tasks
    remember the application they were made in, so each connector gets one of its own."""
    made = App(connector=connector)
    for name, work in _TASKS.items():
        made.task(name=name, queue=QUEUES[name], retry=_PATIENT.get(name, _AGAIN))(_own(work))
    return made


def _own(work: Callable[..., object]) -> Callable[..., object]:
    """A task that leaves its job to another worker where this one is of another version."""

    @wraps(work)
    def task(**about: int) -> object:
        refuse_other_version()
        return work(**about)

    return task


def run_worker(
    wait: bool = True, concurrency: int = 1, queues: Sequence[str] = (RUNS, READS, FETCHES, LOOKS)
) -> None:
    """Work until stopped; with ``wait=False`` until the queues are empty. Survives a database that
    goes away: work goes on when it returns, and what a worker left half done is taken up again by
    whichever finds it. Raises ``OtherVersion``."""
    quiet_log()
    _same_version(wait)
    if wait and not {RUNS, FETCHES} & set(queues):
        os.nice(_LOWER)
    while True:
        try:
            asyncio.run(_work(wait, concurrency, queues))
            return
        except (ConnectorException, DatabaseUnavailable, OSError) as error:
            if not wait:
                raise
            log.warning("database lost, trying again", error=str(error))
            time.sleep(2)


def _same_version(wait: bool) -> None:
    """Raises ``OtherVersion``; a database that is away is waited for."""
    while True:
        try:
            refuse_other_version()
            return
        except OtherVersion:
            raise
        except DatabaseUnavailable as error:
            if not wait:
                raise
            log.warning("no database yet, trying again", error=str(error))
            time.sleep(2)


async def _work(wait: bool, concurrency: int, queues: Sequence[str]) -> None:
    worker = _app(PsycopgConnector(conninfo=database_url()))
    async with worker.open_async():
        watch = asyncio.create_task(_watch(worker)) if wait else None
        try:
            await worker.run_worker_async(
                queues=list(queues), wait=wait, concurrency=concurrency,
                fetch_job_polling_interval=2, install_signal_handlers=wait,
                update_heartbeat_interval=_BEAT, stalled_worker_timeout=_SILENT,
            )  # fmt: skip
        finally:
            if watch is not None:
                watch.cancel()


async def _watch(worker: App) -> None:
    """Look for what other workers have left and for values whose day has come, as long as this
    one lives. Each duty is tried by itself: one that fails is told in the log and tried again, and
    keeps no other from being done."""

    async def own_version() -> None:
        await asyncio.to_thread(refuse_other_version)

    async def jobs_left() -> None:
        await take_up(worker, _SILENT)

    while True:
        for duty in (own_version, jobs_left, *map(_in_thread, _DUTIES)):
            try:
                await duty()
            except OtherVersion as error:
                log.error("this worker ends", error=str(error), remedy=error.remedy)
                os.kill(os.getpid(), signal.SIGTERM)
                return
            except (ConnectorException, DatabaseUnavailable) as error:
                log.warning("no database for what a worker watches", error=str(error))
                break
            except Exception as error:
                what = getattr(duty, "__name__", "")
                log.exception("a duty failed, and is tried again", duty=what, error=str(error))
        await asyncio.sleep(_BEAT)


#: What a worker looks after beside its jobs.
_DUTIES: tuple[Callable[[], object], ...] = (
    dated.write_due, schedules.fire_due, messages.look_for_silence, telling.begin_digests,
)  # fmt: skip


def _in_thread(duty: Callable[[], object]) -> Callable[[], Awaitable[object]]:
    @wraps(duty)
    async def begun() -> object:
        return await asyncio.to_thread(duty)

    return begun


async def take_up(worker: App, silent: float) -> int:
    """Jobs whose worker has been silent for so many seconds go back on the queue, a few times;
    then what they were about is given back to a person. Gives how many jobs there were."""
    left = list(await worker.job_manager.get_stalled_jobs(seconds_since_heartbeat=silent))
    for job in left:
        log.warning("job left behind", job=job.id, task=job.task_name, attempts=job.attempts)
        if job.attempts < _TRIES:
            await worker.job_manager.retry_job(job)
        else:
            await worker.job_manager.finish_job(job, Status.FAILED, delete_job=False)
    await asyncio.to_thread(snapshots.give_up)
    await asyncio.to_thread(contrasts.give_up)
    await asyncio.to_thread(fetching.give_up)
    given = await asyncio.to_thread(give_back)
    if given:
        log.warning("runs given back", count=given)
    return len(left)
