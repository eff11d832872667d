"""Values whose day has come, written by a run."""

from __future__ import annotations

from datetime import date

import polars as pl
import structlog
from sqlmodel import col, select

from nomotax.core.changes.dated import DUE, with_due
from nomotax.core.changes.restoring import counts_of, restored
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.core.errors import Conflict
from nomotax.flows.applying import request_apply
from nomotax.flows.changesets import keep_changeset, together
from nomotax.flows.run_states import Progress, move
from nomotax.flows.waiting import today
from nomotax.records.database import session
from nomotax.records.dated import DatedValues, hand_over, take_due
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
            people = {one.author: one.actor for one in due}
            run.actor = next(iter(people.values())) if len(people) == 1 else None
            runs.note(run, f"given by {', '.join(sorted(filter(None, people))) or 'nobody named'}")
            hand_over(db, due, known_id(run))
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


def prepare_dated(run_id: int, tell: Progress) -> None:
    """What the values of a run change."""
    tell(10, "loading the products")
    with session() as db:
        stores, run = Stores(db), Runs.holding(db, run_id).get(run_id)
        store = stores.get(run.store_id)
        schema = stores.schema(run.store_id)
        categories = frozenset(stores.category_paths(run.store_id))
        given = DatedValues(db, run.store_id).of_run(run_id)
    rows = [(key, one.field, one.value, one.day, one.id) for one, key in given if key is not None]
    due = pl.DataFrame(rows, schema=DUE, orient="row")
    alike = any(f.unique for f in schema.fields if f.name in due["field"])
    # A value that all must differ in is looked for in the whole catalog.
    only = None if alike else due["key"].unique().to_list()
    catalog = products_of(run.store_id, schema.names, only)
    tell(60, "comparing")
    frame = restored(with_due(catalog, due), catalog, schema, categories, {})
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
