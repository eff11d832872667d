"""A run that was prepared by itself goes on by itself, as far as its feed may."""

from __future__ import annotations

from nomotax.core.errors import HeldRun
from nomotax.flows.applying import request_apply
from nomotax.flows.deciding import decisions_of
from nomotax.flows.questions import count_open
from nomotax.records.actors import acting
from nomotax.records.database import session
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run


def go_on(run_id: int) -> None:
    """Apply a run that has just been prepared where its feed may, or say what it waits for. A run
    that a person began waits for a person."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
    then = run.used.get("then")
    if run.status != "prepared" or run.kind != "delivery" or not then:
        return
    waits = _waits_for(run, then)
    with acting("schedule", "by itself"):
        if not waits:
            try:
                request_apply(run_id)
                return
            except HeldRun as held:
                waits = held.message
        with session() as db:
            Runs(db, run.store_id).note(Runs(db, run.store_id).get(run_id), f"waits: {waits}")


def _waits_for(run: Run, then: str) -> str:
    """What a run waits for in plain words, "" for nothing."""
    if then == "wait":
        return "it is to be looked at before it is applied."
    told, held = decisions_of(known_id(run)), run.counts.get("held", 0)
    unanswered = f"{held:,} of its products wait for an answer." if held else ""
    if then == "rest":
        return unanswered if not told.writes else ""
    opened = [one.said for one in told.findings if one.open]
    if opened:
        return f"{opened[0]}." if len(opened) == 1 else f"{opened[0]}, and {len(opened) - 1} more."
    asked = count_open(run.feed_id or 0, run.delivery_id)
    if asked:
        return f"{asked} questions are open." if asked > 1 else "a question is open."
    return unanswered
