"""Taking a run back, which is a run of its own: prepared, looked at, applied, and taken back."""

from __future__ import annotations

import hashlib
from typing import Any

import polars as pl
from sqlmodel import Session

from nomotax.core.changes.taking_back import counts_of, taken_back
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.errors import Conflict
from nomotax.core.schema.model import StoreSchema
from nomotax.flows.changesets import keep_changeset, together
from nomotax.flows.headings import headings_of, label_of
from nomotax.flows.run_states import Progress, move
from nomotax.records.catalog import Catalog
from nomotax.records.changes import stale
from nomotax.records.columns import now
from nomotax.records.database import session
from nomotax.records.dated import DatedValues
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run
from nomotax.records.taking_back import Instead, TakingBack, writes_itself

#: What a run has in common with the one it takes back.
_SHARED = {"feed_id", "delivery_id", "version_id", "first_row", "last_row", "used"}


def start_undo(run_id: int) -> Run:
    """A run that takes an applied one back, to be prepared and looked at; the one that is under
    way, if there is one, compared anew with the catalog. Raises ``Conflict`` when it is not
    applied, or what it did is undone already by another."""
    with session() as db:
        runs = Runs.holding(db, run_id)
        # Behind the lock two who take the same run back find the same undo.
        target = runs.alone(run_id)
        if target.status != "applied":
            raise Conflict(f"This run is {target.status}; only an applied one can be undone.")
        _refuse_overtaken(db, _chain(db, target))
        open_one = runs.undo_under_way(run_id)
        if open_one is not None:
            return _anew(db, open_one)
        about = target.model_dump(include=_SHARED) | {"used": _plain(target)}
        stage = "waiting for a worker"
        run = runs.add(kind="undo", undoes=run_id, stage=stage, **about)
        enqueue(db, "prepare", run_id=known_id(run))
        return run


def choose(run_id: int, instead: Instead) -> Run:
    """Of a prepared undo: which fields go back although a later run wrote them or they are kept by
    hand. It is prepared again. Raises ``Conflict`` in any other state, or for another kind."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        if run.kind != "undo":
            raise Conflict("Only a run that takes another back has anything to choose.")
        run = move(db, run_id, "queued", progress=0, stage="waiting for a worker",
                   used=_plain(run) | {"instead": instead.model_dump()})  # fmt: skip
        enqueue(db, "prepare", run_id=run_id)
        return run


#: What a preparation finds, and says of that one alone.
_FOUND = ("since", "again", "findings", "strange", "filled", "middle_price")


def _plain(run: Run) -> dict[str, Any]:
    """What it used, without what an earlier preparation found."""
    return {k: v for k, v in run.used.items() if k not in _FOUND}


def _anew(db: Session, run: Run) -> Run:
    if run.status == "prepared":
        stage = "waiting for a worker"
        run = move(db, known_id(run), "queued", progress=0, stage=stage, used=_plain(run))
        enqueue(db, "prepare", run_id=known_id(run))
    return run


def _refuse_overtaken(db: Session, chain: list[Run]) -> None:
    """A run, what it took back, what that had taken back: in turn applied and undone, unless
    another run has come between."""
    for n, one in enumerate(chain):
        if one.status != ("undone" if n % 2 else "applied"):
            by = Runs(db, one.store_id).undoing({known_id(one)}).get(known_id(one))
            raise Conflict(
                f"Run {one.id} is {one.status} by another run meanwhile.",
                remedy=f"Undo run {by} first, if run {one.id} is to count again." if by else "",
            )


def prepare_undo(run_id: int, tell: Progress) -> None:
    """Keep what taking it back would do, for a person to look at."""
    tell(20, "comparing with the catalog")
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        taking = _taking_back(db, run)
        moment, fields = _moment(db, run), taking.fields(_instead(run))
        frame = _changeset(taking, fields, Stores(db).schema(run.store_id))
    kept = keep_changeset(run, together(frame), pl.DataFrame(schema=PROBLEM_SCHEMA))
    counts = counts_of(frame)
    said = ", ".join(f"{n} {s}" for s, n in counts.items() if n) or "nothing to take back"
    waits = _waiting(run_id)
    kept["used"] |= {
        "seen": _seal(frame), "moment": moment, "writes": writes_itself(fields), "waits": waits
    }  # fmt: skip
    said += f"; {waits} values that wait for their day" if waits else ""
    with session() as db:
        move(db, run_id, "prepared", f"prepared: {said}", progress=100, counts=counts,
             **kept)  # fmt: skip


def apply_undo(db: Session, run: Run, schema: StoreSchema) -> None:
    """Take it back, as it was looked at, and say so of every run in the chain. Raises
    ``StaleChangeset`` when the catalog has changed where it would."""
    _refuse_overtaken(db, _chain(db, run)[1:])
    taking = _taking_back(db, run)
    fields = None
    if run.used.get("writes", True) or run.used["moment"] != _moment(db, run):
        fields = taking.fields(_instead(run))
        if _seal(_changeset(taking, fields, schema)) != run.used["seen"]:
            raise stale("what it would take back is another by now")
    taking.write(headings_of(schema), fields)
    dated, (outs, ins) = DatedValues(db, run.store_id), _sides(db, run)
    dated.undo(outs)
    dated.redo(ins)
    for one in _chain(db, run)[1:]:
        flipped = "applied" if one.status == "undone" else "undone"
        move(db, known_id(one), flipped, f"{flipped} by run {run.id}")
    said = ", ".join(f"{n} {s}" for s, n in run.counts.items() if n)
    move(db, known_id(run), "applied", f"applied: {said}", progress=100, finished_at=now())


def _chain(db: Session, run: Run) -> list[Run]:
    """The run, the one it takes back, the one that that took back, down to the delivery's."""
    found = [run]
    while found[-1].undoes is not None:
        found.append(Runs(db, run.store_id).get(found[-1].undoes))
    return found


def _sides(db: Session, run: Run) -> tuple[list[int], list[int]]:
    """The runs that are taken back, and those that are put in again."""
    ids = [known_id(one) for one in _chain(db, run)[1:]]
    return ids[::2], ids[1::2]


def _waiting(run_id: int) -> int:
    """How many values that wait for their day would wait no more, or again."""
    with session() as db:
        run = Runs.holding(db, run_id).get(run_id)
        dated, (outs, ins) = DatedValues(db, run.store_id), _sides(db, run)
        return dated.waiting_by(outs) + dated.waiting_by(ins, "undone")


def _taking_back(db: Session, run: Run) -> TakingBack:
    return TakingBack(db, run, _chain(db, run)[1:])


def _instead(run: Run) -> Instead:
    return Instead.model_validate(run.used.get("instead", {}))


def _changeset(taking: TakingBack, fields: pl.DataFrame, schema: StoreSchema) -> pl.DataFrame:
    labels = {name: label_of(schema, name) for name in fields["field"].unique()}
    return taken_back(fields, taking.products(), labels)


def _moment(db: Session, run: Run) -> list[int]:
    """What is another whenever the catalog has changed, or what of it is kept by hand."""
    return [Stores(db).get(run.store_id).revision, *Catalog(db, run.store_id).kept_mark()]


def _seal(frame: pl.DataFrame) -> str:
    return hashlib.sha256(frame.write_json().encode()).hexdigest()
