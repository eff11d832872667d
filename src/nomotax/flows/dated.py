"""Values whose day has come, written by a run."""

from __future__ import annotations

from datetime import date

import polars as pl
import structlog
from sqlmodel import Session, col, select

from nomotax.core.changes.dated import with_due
from nomotax.core.changes.restoring import counts_of, restored
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.errors import Conflict
from nomotax.flows.applying import request_apply
from nomotax.flows.changesets import keep_changeset, together
from nomotax.flows.run_states import Progress, move
from nomotax.flows.waiting import today
from nomotax.records.columns import Actor
from nomotax.records.database import session
from nomotax.records.dated import Due, due_of, hand_over, kept_from, take_due
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run
from nomotax.records.whole import products_of

log = structlog.get_logger()


def write_due(day: date | None = None) -> list[int]:
    """Begin a run for the values of each store whose day has come; gives their ids. What such a
    run would write was decided when it was given: nobody has to look at it again."""
    with session() as db:
        begun = []
        for store_id, due in take_due(db, day or today()).items():
            runs = Runs(db, store_id)
            run = runs.add(
                kind="dated",
                stage="waiting for a worker",
                used={"file_name": f"values from {(day or today()).isoformat()} on"},
            )
            # All of a store in one run: of one field the latest day holds, whoever gave it.
            people = _people(db, due)
            run.actor = people[0] if len(people) == 1 and due.runs == {None} else None
            givers = sorted(one.name for one in people)
            givers += [f"run {one}" for one in sorted(filter(None, due.runs))]
            runs.note(run, f"given by {', '.join(givers) or 'nobody named'}")
            hand_over(db, due.ids, known_id(run))
            enqueue(db, "prepare", run_id=known_id(run))
            begun.append(known_id(run))
        # One whose worker went away between the two goes on.
        left = select(Run.id).where(
            Run.kind == "dated",
            Run.status == "prepared",
            col(Run.error) == "",
            col(Run.stop_requested).is_(False),
        )
        prepared = [run for run in db.exec(left) if run is not None]
    for ready in prepared:
        go_on(ready)
    return begun


def _people(db: Session, due: Due) -> list[Actor]:
    query = select(Actor).where(col(Actor.id).in_([one for one in due.people if one is not None]))
    return list(db.exec(query))


def prepare_dated(run_id: int, tell: Progress) -> None:
    """What the values of a run change."""
    tell(10, "loading the products")
    with session() as db:
        stores, run = Stores(db), Runs.holding(db, run_id).get(run_id)
        store = stores.get(run.store_id)
        schema = stores.schema(run.store_id)
        categories = frozenset(stores.category_paths(run.store_id))
        due = due_of(db, run.store_id, run_id)
        kept = kept_from(db, run.store_id, run_id)
    alike = any(f.unique for f in schema.fields if f.name in due["field"])
    # A value that all must differ in is looked for in the whole catalog.
    only = None if alike else due["key"].unique().to_list()
    catalog = products_of(run.store_id, schema.names, only)
    tell(60, "comparing")
    frame = restored(with_due(catalog, due), catalog, schema, categories, kept)
    kept = keep_changeset(run, together(frame), pl.DataFrame(schema=PROBLEM_SCHEMA))
    counts = counts_of(frame)
    told = ", ".join(f"{n} {s}" for s, n in counts.items() if n) or "nothing to do"
    with session() as db:
        move(db, run_id, "prepared", f"prepared: {told}", progress=100, counts=counts, **kept,
             rules_revision=store.rules_revision)  # fmt: skip


def go_on(run_id: int) -> None:
    """Have a prepared one written, unless another worker has just done so."""
    try:
        request_apply(run_id)
    except Conflict as meanwhile:
        log.info("dated run goes on already", run=run_id, said=meanwhile.message)
