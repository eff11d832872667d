"""Jobs put on the queue by the transaction that asks for them: both are there, or neither."""

from __future__ import annotations

import json

from sqlalchemy import text
from sqlmodel import Session

from nomotax.records.actors import by_itself

RUNS, LOOKS, READS, FETCHES = "runs", "looks", "reads", "fetches"
#: The priority of what begins by itself; a person's work has 0, and higher goes first.
BY_ITSELF = -10
#: The priority of a file to be read: it takes little, and a person looks on.
_SOON = 10
#: The priority of what ends something that has begun by itself: it goes before what would begin.
_ENDING = -9
#: The queue of each task. Fetches and looks are taken by workers of their own, so that no run waits
#: for a host that is slow, or for a look; files by whichever comes first, since a person waits for
#: them.
QUEUES = {
    "prepare": RUNS, "apply": RUNS, "read": READS, "read_sent": FETCHES, "fetch": FETCHES,
    "snapshot": RUNS, "contrast": RUNS, "mail": RUNS, "call": RUNS,
    "digest": RUNS,
    "look_at_paths": LOOKS, "look_at_products": LOOKS,
}  # fmt: skip

_ENQUEUE = text(
    "select procrastinate_defer_jobs_v1(array[(cast(:queue as varchar), cast(:task as varchar), "
    "cast(:priority as integer), cast(:lock as text), null, "
    "cast(:args as jsonb), now() + make_interval(secs => nullif(cast(:after as float8), 0)))"
    "::procrastinate_job_to_defer_v1])"
)
#: Whether a job about something waits or is at work; ``{}`` is the name of what it is about and
#: the id of the row outside.
_HAS_JOB = (
    "exists (select 1 from procrastinate_jobs j where j.status in ('todo', 'doing') "
    "and (j.args ->> '{}')::bigint = {})"
)


def enqueue(
    db: Session, task: str, lock: str | None = None, after: float = 0, **about: int
) -> None:
    """Have a worker do a task once this transaction is committed, ``after`` so many seconds. Of
    jobs with the same ``lock`` one is at work at a time, in the order they came. What a person
    waits for goes before what begins by itself."""
    own = _ENDING if task == "apply" else BY_ITSELF
    values = {
        "queue": QUEUES[task], "task": task, "lock": lock, "args": json.dumps(about),
        "priority": own if by_itself() else _SOON if task == "read" else 0, "after": after,
    }  # fmt: skip
    db.connection().execute(_ENQUEUE, values)


def has_job(db: Session, about: str, key: int) -> bool:
    """Whether a job whose argument ``about`` is ``key`` waits, or is at work; looks apart, which
    nothing waits for."""
    asked = text(f"select {_HAS_JOB.format(about, ':key and j.queue_name <> :looks')}")
    return bool(db.connection().execute(asked, {"key": key, "looks": LOOKS}).scalar_one())


def without_job(about: str, row: str) -> str:
    """A condition in SQL: no job whose argument ``about`` is the value of ``row`` is left."""
    return f"not {_HAS_JOB.format(about, row)}"
