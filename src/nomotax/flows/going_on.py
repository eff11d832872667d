"""A run that was prepared by itself goes on by itself, as far as its feed may."""

from __future__ import annotations

from sqlmodel import Session

from nomotax.core.errors import HeldRun
from nomotax.flows.applying import request_apply
from nomotax.flows.deciding import decisions_of
from nomotax.flows.messages import say
from nomotax.flows.offers import scope_of
from nomotax.flows.questions import count_open
from nomotax.records.actors import acting
from nomotax.records.database import session
from nomotax.records.messages import MessageKind, Messages
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run

#: What is over once nothing holds a run any more.
OPEN: tuple[MessageKind, ...] = ("held", "question")


def go_on(run_id: int) -> None:
    """Apply a run that has just been prepared where its feed may, or say what it waits for. A run
    that a person began waits for a person."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
    then = run.used.get("then")
    if run.status != "prepared" or run.kind != "delivery" or not then:
        return
    if run.used.get("told"):
        # It has been said already what it waits for.
        return
    waits, kind = _waits_for(run, then)
    with acting("schedule", "by itself"):
        if not waits:
            try:
                request_apply(run_id)
                return
            except HeldRun as held:
                waits, kind = held.message, "held"
        with session() as db:
            runs = Runs(db, run.store_id)
            told = runs.get(run_id)
            told.used = told.used | {"told": True}
            runs.note(told, f"waits: {waits}")
            _tell(db, run, kind, waits)


def _tell(db: Session, run: Run, kind: str, waits: str) -> None:
    """Who is told of feeds hears what holds a run, and of questions; that one waits as it is meant
    to nobody needs to be told."""
    feed_id = run.feed_id or 0
    places = {
        "held": f"runs/{run.id}",
        "question": f"feeds/{feed_id}/bench?delivery={run.delivery_id}",
    }
    messages = Messages(db, run.store_id)
    messages.end(feed_id, *(other for other in OPEN if other != kind))
    if kind == "held":
        say(db, feed_id, "held", f"Its delivery is held: {waits}", places[kind])
    if kind == "question":
        say(db, feed_id, "question", f"Its delivery waits: {waits}", places[kind])


def _waits_for(run: Run, then: str) -> tuple[str, str]:
    """What a run waits for in plain words, and the kind of that; "" for nothing."""
    told, held = decisions_of(known_id(run)), run.counts.get("held", 0)
    unanswered = f"{held:,} of its products wait for an answer." if held else ""
    opened = [one.said for one in told.findings if one.open]
    if then == "rest" and (told.writes or not (opened or held)):
        return "", ""
    if opened:
        more = f", and {len(opened) - 1} more" if len(opened) > 1 else ""
        return f"{opened[0]}{more}.", "held"
    # Questions about fields that a run is not of are none of its own.
    asked = count_open(run.feed_id or 0, run.delivery_id) if scope_of(run) is None else 0
    if asked:
        return f"{asked} questions are open." if asked > 1 else "a question is open.", "question"
    if unanswered:
        return unanswered, "question"
    return ("it is to be looked at before it is applied.", "") if then == "wait" else ("", "")
