"""The states of a run: which may follow which, and the one place where one does."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

import structlog
from sqlalchemy import text
from sqlmodel import Session, col, update

from nomotax.core.errors import Conflict, DatabaseUnavailable, NomotaxError, Overtaken
from nomotax.flows.messages import say, works
from nomotax.records.actors import at_work
from nomotax.records.database import session
from nomotax.records.messages import Messages
from nomotax.records.queue import without_job
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

log = structlog.get_logger()

#: From each state, those that may follow it. One that follows itself is taken up again.
MOVES: Mapping[str, tuple[str, ...]] = {
    "queued": ("preparing", "failed", "stopped"),
    "preparing": ("preparing", "prepared", "failed", "stopped"),
    "prepared": ("queued", "applying", "failed", "declined"),
    "declined": ("prepared", "failed"),
    "applying": ("applied", "prepared"),
    "applied": ("undone",),
    "undone": ("applied",),
    "failed": (),
    "stopped": (),
}
#: States that a worker ends, and what a run goes back to when it cannot.
FALLBACK = {
    "queued": "failed",
    "preparing": "failed",
    "applying": "prepared",
}
BUSY = tuple(FALLBACK)
#: What a person is told who asks for a move that the state forbids.
_ONLY = {
    "applying": "only a prepared one can be applied",
    "declined": "only a prepared one can be declined",
}


class Stopped(NomotaxError):
    """A person stopped this run."""


def move(db: Session, run_id: int, to: str, said: str = "", **values: Any) -> Run:
    """Bring a run from a state that allows it to another, with other values, and say so in its
    log. Raises ``Conflict`` where its state does not allow it, ``NotFound``."""
    before = [state for state, after in MOVES.items() if to in after]
    values = {"error": "", "stage": "", **values}
    swap = update(Run).where(col(Run.id) == run_id, col(Run.status).in_(before))
    moved = db.connection().execute(swap.values(status=to, **values))
    runs = Runs.holding(db, run_id)
    run = runs.get(run_id)
    db.refresh(run)
    if not moved.rowcount:
        raise Conflict(f"This run is {run.status}; {_ONLY.get(to, f'it cannot be {to}')}.")
    if said:
        runs.note(run, said)
    if run.kind == "delivery" and run.feed_id is not None:
        if to in ("applied", "declined"):
            # Whatever it was held for, somebody has decided it.
            Messages(db, run.store_id).end(run.feed_id, "held", "question")
        if to in ("prepared", "applied") and not run.error:
            works(db, run.feed_id, f"What came has been {to}.")
    return run


def pace(done: int, total: int, seconds: float) -> str:
    """How much of a whole is done, how fast it goes and how long the rest will take."""
    said = f"{done:,} of {total:,}"
    if done == 0 or seconds <= 0:
        return said
    rate = done / seconds
    left = (total - done) / rate
    rest = f"{left:.0f} s" if left < 100 else f"{left / 60:.0f} min"
    return f"{said}, {rate:,.0f} a second, about {rest} left"


class Progress:
    """Tells how far a run is, in transactions of its own, and hears a stop."""

    def __init__(self, run_id: int, state: str) -> None:
        self.run_id, self.state = run_id, state
        self._last = (-1, "")

    def __call__(self, percent: int, stage: str) -> None:
        """Raises ``Stopped`` when a person has asked for it, ``Overtaken`` when the run is in
        another state."""
        if (percent, stage) == self._last:
            return
        self._last = (percent, stage)
        # A transaction of its own: the run's own one stays open for minutes, and nobody would see.
        with session() as db:
            run = Runs.holding(db, self.run_id).get(self.run_id)
            if run.status != self.state:
                raise Overtaken(f"This run is {run.status} meanwhile.")
            if run.stop_requested:
                raise Stopped("Stopped by hand; nothing was changed.")
            run.progress, run.stage = percent, stage
            db.add(run)


@contextmanager
def ending(run_id: int, state: str) -> Iterator[Progress]:
    """Whatever happens at work in this state, the run ends in one that a person can act on, with
    the reason. Only where the database is gone nobody can be told: the job is taken up again."""
    back = FALLBACK[state]
    try:
        yield Progress(run_id, state)
    except Stopped as stop:
        _end(run_id, "stopped" if back == "failed" else back, stop.message, error="")
    except Overtaken as meanwhile:
        log.warning("run overtaken", run=run_id, said=meanwhile.message)
    except DatabaseUnavailable:
        raise
    except NomotaxError as error:
        _end(run_id, back, str(error), error=str(error))
        raise
    except Exception as error:
        log.exception("run failed", run=run_id)
        said = f"Our fault: {type(error).__name__}: {error}. Nothing was changed; it is in the log."
        _end(run_id, back, said, error=said)
        raise


def _end(run_id: int, to: str, line: str, error: str) -> None:
    with session() as db:
        try:
            run = move(db, run_id, to, line, error=error)
            if error and run.feed_id is not None and run.used.get("then"):
                # One that could not be applied is prepared, as it was.
                what = "prepared" if to == "failed" else "applied"
                say(db, run.feed_id, "failed", f"It could not be {what}: {error}",
                    f"runs/{run_id}")  # fmt: skip
        except Conflict as meanwhile:
            log.warning("run overtaken", run=run_id, said=meanwhile.message)


def request_stop(run_id: int) -> Run:
    """Ask a busy run to stop; it does so before it writes anything. One that waits for a worker
    stops at once. Raises ``NotFound``."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        if run.status == "queued":
            return move(db, run_id, "stopped", "Stopped by hand; nothing was changed.")
        if run.status in BUSY:
            run.stop_requested = True
            db.add(run)
        return run


def decline(run_id: int, reason: str) -> Run:
    """A prepared run is not to be applied, and waits for nobody any more. Raises ``Conflict`` for
    one in another state, or of values whose day has come, which are taken back one by one."""
    with session() as db:
        if Runs.holding(db, run_id).get(run_id).kind == "dated":
            raise Conflict(
                "The values of this run have been given for their day.",
                remedy="Take them back one by one, or undo the run once it is applied.",
            )
        why = f": {reason.strip()}" if reason.strip() else ""
        return move(db, run_id, "declined", f"declined{_by(db)}{why}")


def take_up(run_id: int) -> Run:
    """A declined run is to be decided again. Raises ``Conflict`` for one in another state."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        if run.status != "declined":
            raise Conflict(f"This run is {run.status}; only a declined one can be taken up again.")
        return move(db, run_id, "prepared", f"taken up again{_by(db)}", progress=100)


def _by(db: Session) -> str:
    actor = at_work(db)
    return f" by {actor.name}" if actor else ""


_LEFT = text(
    "select r.id, r.status from runs r where r.status = any(:busy) "
    f"and {without_job('run_id', 'r.id')}"
)
_INTERRUPTED = "Interrupted again and again; nothing was half-written. It can be run again."


def give_back() -> int:
    """Runs that no job is left for go back to a state that a person can act on: their job was
    given up after it had failed its worker several times. Gives how many there were."""
    with session() as db:
        left = db.connection().execute(_LEFT, {"busy": list(BUSY)}).all()
    # Each by itself: another worker may have given one back meanwhile.
    for run_id, status in left:
        _end(run_id, FALLBACK[status], _INTERRUPTED, error=_INTERRUPTED)
    return len(left)
