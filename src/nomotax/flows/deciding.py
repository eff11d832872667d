"""What people decide of a prepared run's changes, before they are written."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from functools import lru_cache
from threading import Lock

import polars as pl
from pydantic import BaseModel
from sqlmodel import Session, col, select

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.again import AGAIN
from nomotax.core.changes.later import LATER
from nomotax.core.changes.verdicts import Chosen, Verdict, Verdicts
from nomotax.core.errors import Conflict, NotFound
from nomotax.flows.changesets import changeset_name
from nomotax.flows.headings import label_of
from nomotax.records.actors import at_work
from nomotax.records.database import session
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run, RunDecision

#: Statuses of lines that write something.
_WRITTEN = ("new", "changed", "gone")
#: Products that are named in a sentence.
_NAMED = 3


class DecisionLine(BaseModel):
    """A decision in words, and how many lines it is about."""

    id: int
    verdict: str
    said: str
    lines: int
    author: str
    at: datetime


class RunDecisions(BaseModel):
    """The decisions of a run, the last one first. ``writes`` are the lines that applying it would
    write, ``declined`` those of which something stays as it is."""

    decisions: list[DecisionLine]
    writes: int
    declined: int


def prepared_run(run_id: int) -> Run:
    """A run that has been prepared. Raises ``NotFound``."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
    if not run.changes or not artifacts().exists(changeset_name(run)):
        raise NotFound("This run has no changeset yet.", remedy="Wait until it is prepared.")
    return run


def touched(scan: pl.LazyFrame) -> pl.Expr:
    """Names of the fields that a line changes, now or on their day."""
    if LATER not in scan.collect_schema():
        return pl.col("fields")
    return pl.col("fields").list.concat(pl.col(LATER).fill_null([]))


def places_of(run: Run, chosen: Chosen) -> pl.Series:
    """Where the lines stand in a run's changeset that are chosen, in order."""
    return _places(artifacts().root, changeset_name(run), chosen)


#: So many filters and decisions of runs are known without asking again where their lines stand.
_ASKED = 48


@lru_cache(maxsize=_ASKED)
def _places(root: str, changeset: str, chosen: Chosen) -> pl.Series:
    scan = artifacts().scan(changeset).with_row_index("place")
    if chosen.keys is not None:
        scan = scan.filter(pl.col("key").is_in(list(chosen.keys)))
    if chosen.again and AGAIN in scan.collect_schema():
        scan = scan.filter(AGAIN)
    if chosen.later:
        waits = pl.col(LATER).list.len() > 0 if LATER in scan.collect_schema() else pl.lit(False)
        scan = scan.filter(waits)
    if chosen.status:
        scan = scan.filter(pl.col("status") == chosen.status)
    if chosen.field:
        scan = scan.filter(touched(scan).list.contains(chosen.field))
    if chosen.search:
        text = chosen.search.lower()
        scan = scan.filter(
            pl.any_horizontal(
                pl.col(c).str.to_lowercase().str.contains(text, literal=True)
                for c in ("key", "title", "reason")
            )
        )
    return scan.select("place").collect()["place"]


def decide(run_id: int, verdict: Verdict) -> int:
    """Keep a decision; gives its number. Raises ``Conflict`` for a run that is not prepared,
    ``NotFound`` where it is about no line."""
    run = prepared_run(run_id)
    if not places_of(run, verdict.of).len():
        raise NotFound("No line of this run is meant.", remedy="Choose lines that are there.")
    with session() as db:
        _still_open(db, run_id)
        made = RunDecision(
            store_id=run.store_id, run_id=run_id, rule=verdict.model_dump(mode="json"),
            actor=at_work(db),
        )  # fmt: skip
        db.add(made)
        db.flush()
        return known_id(made)


def take_back(run_id: int, decision_id: int) -> None:
    """A decision does not count any more. Raises ``Conflict`` for a run that is not prepared,
    ``NotFound`` where there is none."""
    with session() as db:
        _still_open(db, run_id)
        found = db.get(RunDecision, decision_id)
        if found is None or found.run_id != run_id:
            raise NotFound("There is no such decision.", remedy="Somebody has taken it back.")
        db.delete(found)


def _still_open(db: Session, run_id: int) -> None:
    Runs.holding(db, run_id)
    # Locked: an apply that begins meanwhile waits for the decision, or the decision comes too late.
    query = select(Run).where(Run.id == run_id).with_for_update(of=Run)
    run = db.exec(query.execution_options(populate_existing=True)).one()
    if run.status != "prepared" or run.kind != "delivery":
        raise Conflict(
            f"This run is {run.status}; nothing of it is decided any more.",
            remedy="Decide before a run is applied; undo it to take back what it has written.",
        )


def _of_run(db: Session, run: Run) -> list[RunDecision]:
    query = select(RunDecision).where(
        RunDecision.store_id == run.store_id, RunDecision.run_id == run.id
    )
    return list(db.exec(query.order_by(col(RunDecision.id))))


def verdicts_of(run: Run) -> Verdicts:
    """What is decided of a run's lines."""
    with session() as db:
        decided = _of_run(db, run)
    return _of_rules(run, decided)


def _of_rules(run: Run, decided: Sequence[RunDecision]) -> Verdicts:
    rules = tuple(Verdict.model_validate(one.rule) for one in decided)
    return _verdicts((artifacts().root, changeset_name(run)), rules, run)


#: Verdicts that were worked out last, by what they are of.
_known: dict[tuple[str, str], tuple[tuple[Verdict, ...], Verdicts]] = {}
_KEPT = 4
_turn = Lock()


def _verdicts(where: tuple[str, str], rules: tuple[Verdict, ...], run: Run) -> Verdicts:
    """Most often one rule more than were known."""
    with _turn:
        before, found = _known.get(where, ((), None))
    if found is None or rules[: len(before)] != before:
        before, found = (), Verdicts(_lines(*where).height)
    for rule in rules[len(before) :]:
        found = found.after(rule, places_of(run, rule.of))
    with _turn:
        _known.pop(where, None)
        while len(_known) >= _KEPT:
            _known.pop(next(iter(_known)))
        _known[where] = rules, found
    return found


@lru_cache(maxsize=4)
def _lines(root: str, changeset: str) -> pl.DataFrame:
    """Whether each line of a changeset writes something."""
    scan = artifacts().scan(changeset)
    writes = pl.col("status").is_in(_WRITTEN) & (touched(scan).list.len() > 0)
    return scan.select(writes.alias("writes")).collect()


def decisions_of(run_id: int) -> RunDecisions:
    """What is decided of a run. Raises ``NotFound``."""
    run = prepared_run(run_id)
    with session() as db:
        schema = Stores(db).schema(run.store_id)
        decided = _of_run(db, run)
    found = _of_rules(run, decided)
    lines = _lines(artifacts().root, changeset_name(run))
    whole = lines["writes"] & found.declined()
    apart, declined = found.apart(), int(whole.sum())
    writes = int(lines["writes"].sum()) - declined
    if apart.len():
        scan = artifacts().scan(changeset_name(run))
        lists = [c for c in ("status", "fields", LATER) if c in scan.collect_schema()]
        own = scan.select(lists).collect()[apart]
        left = found.left(own, apart)
        still = left.select(touched(left.lazy()).list.len() > 0).to_series()
        before = lines["writes"].gather(apart)
        writes += int((still & before).sum()) - int((before & ~whole.gather(apart)).sum())
        some = left["declined"].list.len() > 0
        declined += int((some & before).sum()) - int(whole.gather(apart).sum())
    return RunDecisions(
        decisions=[
            DecisionLine(
                id=known_id(one), verdict=str(one.rule["verdict"]), at=one.at, author=one.author,
                said=_said(rule, lambda name: label_of(schema, name)),
                lines=lines,
            )
            for one, lines in reversed(list(zip(decided, found.lines, strict=True)))
            for rule in [Verdict.model_validate(one.rule)]
        ],
        writes=writes,
        declined=declined,
    )  # fmt: skip


def _said(rule: Verdict, label: Callable[[str], str]) -> str:
    """Which lines a rule is about: "Price of all changed with 'blue'"."""
    of = rule.of
    if of.keys is not None:
        more = len(of.keys) - _NAMED
        which = ", ".join(of.keys[:_NAMED]) + (f" and {more} more" if more > 0 else "")
    else:
        which = f"all {of.status}".strip()
        which += f" that change {label(of.field)}" if of.field else ""
        which += f" with “{of.search}”" if of.search else ""
        which += ", other than before" if of.again else ""
        which += ", for a later day" if of.later else ""
    return f"{label(rule.field)} of {which}" if rule.field else which
