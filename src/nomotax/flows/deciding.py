"""What people decide of a prepared run's changes, before they are written."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from datetime import datetime
from functools import lru_cache
from threading import Lock
from typing import Any

import polars as pl
from pydantic import BaseModel
from sqlmodel import Session, col, select

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.by_hand import as_written
from nomotax.core.changes.later import LATER
from nomotax.core.changes.marks import NEW, OLD
from nomotax.core.changes.verdicts import Chosen, Verdict, Verdicts
from nomotax.core.errors import Conflict, HeldRun, NotFound, UnfitValue
from nomotax.core.guards.model import SORTS, Finding
from nomotax.flows.changesets import changeset_name
from nomotax.flows.guarding import findings_of, places_found
from nomotax.flows.headings import label_of
from nomotax.flows.lines import FILE, places_of, prepared_run, touched
from nomotax.records.actors import at_work
from nomotax.records.catalog import Catalog
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
    """A decision in words, and how many lines it is about. ``guard`` is the one that it lets
    through."""

    id: int
    verdict: str
    said: str
    lines: int
    reason: str
    guard: str
    author: str
    at: datetime


class FindingLine(Finding):
    """What a guard saw. ``guard`` is what decisions call it by, and ``held`` how many lines it
    still holds; it is ``open`` while it holds any of them, or the run."""

    guard: str
    held: int
    open: bool


class RunDecisions(BaseModel):
    """The decisions of a run, the last one first, and what its guards saw. ``writes`` are the
    lines that applying it would write, and ``writing`` tells of what kind they are; ``held`` those
    that guards hold, ``declined`` those of which something stays as it is by a person's word, which
    applying ``remembers`` where that was wished."""

    decisions: list[DecisionLine]
    findings: list[FindingLine]
    writes: int
    writing: dict[str, int]
    held: int
    declined: int
    remembers: bool


def decide(run_id: int, verdict: Verdict) -> int:
    """Keep a decision; gives its number. Raises ``Conflict`` for a run that is not prepared,
    ``NotFound`` where it is about no line."""
    run = prepared_run(run_id)
    places, through = places_of(run, verdict.of), _lets_through(verdict)
    if not places.len() and through not in {one.called for one in findings_of(run)}:
        raise NotFound("No line of this run is meant.", remedy="Choose lines that are there.")
    if verdict.verdict == "correct":
        verdict = _as_store_writes(run, verdict, places)
    with session() as db:
        _still_open(db, run_id)
        made = RunDecision(
            store_id=run.store_id, run_id=run_id, rule=verdict.model_dump(mode="json"),
            actor=at_work(db),
        )  # fmt: skip
        db.add(made)
        db.flush()
        return known_id(made)


def _as_store_writes(run: Run, verdict: Verdict, places: pl.Series) -> Verdict:
    """A correction with its value as the store writes it. Raises ``UnfitValue`` for one that its
    field does not take, ``Conflict`` where the run does not write the field of these products."""
    field, keys = verdict.field, verdict.of.keys or ()
    scan = artifacts().scan(changeset_name(run))
    with session() as db:
        stores = Stores(db)
        schema = stores.schema(run.store_id)
        categories = frozenset(stores.category_paths(run.store_id))
        label = label_of(schema, field)
        fates = scan.select("key", "status").collect()[places]
        unwritten = fates.filter(~pl.col("status").is_in(["new", "changed"]))["key"]
        if NEW + field not in scan.collect_schema() or unwritten.len():
            who = ", ".join(unwritten[:_NAMED]) or ", ".join(keys[:_NAMED])
            raise Conflict(
                f"This run does not write {label} of {who}.",
                where=label,
                remedy="Write the value into the product itself.",
            )
        if by_hand := Catalog(db, run.store_id).keeping(keys, field):
            raise Conflict(
                f"{label} of {', '.join(by_hand[:_NAMED])} is kept by hand.",
                where=label,
                remedy="Write the value into the product itself.",
            )
        value = as_written(schema, keys[0], {field: verdict.value}, categories)[field]
        if schema[field].unique and value is not None:
            others = scan.filter((pl.col(NEW + field) == value) & ~pl.col("key").is_in(list(keys)))
            holder = Catalog(db, run.store_id).key_with(field, value)
            holder = next(iter(others.select("key").collect()["key"]), holder)
            if len(keys) > 1 or holder not in (None, *keys):
                said = f"{label}: '{value}' is that of {holder or 'several of these'} already."
                raise UnfitValue(said, where=field)
    return verdict.model_copy(update={"value": value})


def take_back(run_id: int, decision_id: int) -> None:
    """A decision does not count any more. Raises ``Conflict`` for a run that is not prepared,
    ``NotFound`` where there is none."""
    with session() as db:
        _still_open(db, run_id)
        found = db.get(RunDecision, decision_id)
        if found is None or found.run_id != run_id:
            raise NotFound("There is no such decision.", remedy="Somebody has taken it back.")
        db.delete(found)


_REOPEN = "Take it up again first."
_UNDO = "Decide before a run is applied; undo it to take back what it has written."


def _still_open(db: Session, run_id: int) -> None:
    Runs.holding(db, run_id)
    # Locked: an apply that begins meanwhile waits for the decision, or the decision comes too late.
    query = select(Run).where(Run.id == run_id).with_for_update(of=Run)
    run = db.exec(query.execution_options(populate_existing=True)).one()
    if run.status != "prepared" or run.kind != "delivery":
        raise Conflict(
            f"This run is {run.status}; nothing of it is decided any more.",
            remedy=_REOPEN if run.status == "declined" else _UNDO,
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
        stops = {one.called for one in findings_of(run) if one.holds == "lines"}
        held = {guard: at for guard, at in places_found(run).items() if guard in stops}
        before, found = (), Verdicts(_lines(*where).height, held)
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
    """What becomes of each line of a changeset, and whether it writes something."""
    scan = artifacts().scan(changeset)
    writes = pl.col("status").is_in(_WRITTEN) & (touched(scan).list.len() > 0)
    status = pl.col("status").cast(pl.Categorical)
    return scan.select(status, writes.alias("writes")).collect()


def decisions_of(run_id: int) -> RunDecisions:
    """What is decided of a run. Raises ``NotFound``."""
    run = prepared_run(run_id)
    with session() as db:
        schema = Stores(db).schema(run.store_id)
        decided = _of_run(db, run)
    found = _of_rules(run, decided)
    counts = _counts(run, found)
    through = _through(decided)
    return RunDecisions(
        decisions=[
            DecisionLine(
                id=known_id(one), verdict=str(one.rule["verdict"]), at=one.at, author=one.author,
                said=_said(rule, lambda name: label_of(schema, name)),
                lines=lines, reason=rule.reason,
                guard=rule.of.guard if rule.verdict == "release" else "",
            )
            for one, lines in reversed(list(zip(decided, found.lines, strict=True)))
            for rule in [Verdict.model_validate(one.rule)]
        ],
        findings=[_standing(one, found, through) for one in findings_of(run)],
        remembers=any(one.rule.get("remember") for one in decided),
        **counts,
    )  # fmt: skip


def _lets_through(rule: Verdict) -> str | None:
    """The guard of which all is let through, not a part of its lines; None for another decision."""
    whole = rule.verdict == "release" and rule.of == Chosen(guard=rule.of.guard)
    return rule.of.guard if whole and rule.of.guard else None


def _through(decided: Sequence[RunDecision]) -> set[str | None]:
    """The guards of which all is let through."""
    return {_lets_through(Verdict.model_validate(one.rule)) for one in decided}


def _standing(one: Finding, found: Verdicts, through: set[str | None]) -> FindingLine:
    held = int(found.held(one.called).sum()) if one.holds == "lines" else 0
    still = one.called not in through if one.holds == "run" else held > 0
    return FindingLine.model_validate(
        one.model_dump() | {"guard": one.called, "held": held, "open": still}
    )


def refuse_held(run: Run) -> None:
    """Raises ``HeldRun`` while a guard holds the whole of a run."""
    with session() as db:
        through = _through(_of_run(db, run))
    for one in findings_of(run):
        if one.holds == "run" and one.called not in through:
            raise HeldRun(
                f"{one.said}.",
                remedy="Let it through with a reason, or leave the run as it is.",
            )


def _counts(run: Run, found: Verdicts) -> dict[str, Any]:
    """How many lines would be written, in all and by what becomes of them, are held, are declined
    in whole or in part."""
    lines = _lines(artifacts().root, changeset_name(run))
    before, no, held = lines["writes"], found.declined(), found.held()
    writing = _by_status(lines["status"], before & ~no & ~held)
    waits, stays = int((before & held & ~no).sum()), int((before & no).sum())
    apart = found.apart()
    if not apart.len():
        return {"writes": writing.total(), "writing": writing, "held": waits, "declined": stays}
    scan = artifacts().scan(changeset_name(run))
    both = [side + f for f in found.corrects for side in (OLD, NEW)]
    names = [c for c in ("status", "fields", LATER, *both) if c in scan.collect_schema()]
    left = found.left(found.corrected(scan.select(names).collect()[apart], apart), apart)
    still = left.select(touched(left.lazy()).list.len() > 0).to_series()
    before, no, held = (one.gather(apart) for one in (before, no, held))
    some = left["declined"].list.len() > 0
    # A line that is held writes nothing as yet, whatever is decided of its fields.
    status = lines["status"].gather(apart)
    writing.subtract(_by_status(status, before & ~no & ~held))
    writing.update(_by_status(status, still & ~held))
    stays += int((some & before).sum()) - int((before & no).sum())
    return {"writes": writing.total(), "writing": +writing, "held": waits, "declined": stays}


def _by_status(status: pl.Series, of: pl.Series) -> Counter[str]:
    """How many of the lines that are meant have each status."""
    counts = status.filter(of).value_counts()
    return Counter({str(name): count for name, count in counts.iter_rows()})


def _said(rule: Verdict, label: Callable[[str], str]) -> str:
    """Which lines a rule is about: "Price of all changed with 'blue'"; of a correction what it
    says, too."""
    of = rule.of
    if rule.verdict == "correct":
        keeps = ", kept by hand" if rule.keep else ""
        who = ", ".join((of.keys or ())[:_NAMED])
        return f"{label(rule.field)} of {who}: {rule.value or 'empty'}{keeps}"
    if of.keys is not None:
        more = len(of.keys) - _NAMED
        which = ", ".join(of.keys[:_NAMED]) + (f" and {more} more" if more > 0 else "")
    else:
        which = f"all {of.status}".strip()
        which += f" that change {label(of.field)}" if of.field else ""
        which += f" with “{of.search}”" if of.search else ""
        which += ", other than before" if of.again else ""
        which += ", for a later day" if of.later else ""
        which += f" that a guard found ({_called(of.guard, label)})" if of.guard else ""
        which += f" for {of.reason.replace('_', ' ')}" if of.reason else ""
        which += f" with {_grouped(of.by, label)} “{of.word}”" if of.by else ""
    which += ", until the supplier changes it" if rule.remember else ""
    return f"{label(rule.field)} of {which}" if rule.field else which


def _grouped(by: str, label: Callable[[str], str]) -> str:
    """What lines were grouped by: a field by its name, a column as it arrived."""
    return by.removeprefix(FILE) if by.startswith(FILE) else label(by)


def _called(guard: str, label: Callable[[str], str]) -> str:
    """A guard among the findings of a run by its name: "Prices that jump, Price"."""
    kind, _, field = guard.partition(":")
    name = next((sort.name for sort in SORTS.values() if sort.kind == kind), kind)
    return f"{name}, {label(field)}" if field else name
