"""Values whose day has come, written by a run."""

from __future__ import annotations

from datetime import date

import polars as pl
from sqlmodel import col, select

from nomotax.core.changes.dated import DUE, with_due
from nomotax.core.changes.restoring import counts_of, restored
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.flows.applying import request_apply
from nomotax.flows.catalog import key_and_content
from nomotax.flows.changesets import keep_changeset, together
from nomotax.flows.run_states import Progress, move
from nomotax.flows.waiting import today
from nomotax.records.database import session
from nomotax.records.dated import DatedValues, hand_over, take_due
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Actor, Run


def write_due(day: date | None = None) -> list[int]:
    """Begin a run for the values of each store whose day has come; gives their ids. What such a
    run would write was decided when it was given: nobody has to look at it again."""
    with session() as db:
        begun = []
        for (store_id, actor_id), ids in take_due(db, day or today()).items():
            run = Runs(db, store_id).add(
                kind="dated",
                stage="waiting for a worker",
                used={"file_name": f"values from {(day or today()).isoformat()} on"},
            )
            run.actor = db.get(Actor, actor_id) if actor_id is not None else None
            db.add(run)
            hand_over(db, ids, known_id(run))
            enqueue(db, "prepare", run_id=known_id(run))
            begun.append(known_id(run))
        # One whose worker went away between the two goes on.
        left = select(Run.id).where(
            Run.kind == "dated", Run.status == "prepared", col(Run.error) == ""
        )
        prepared = [run for run in db.exec(left) if run is not None]
    for ready in prepared:
        request_apply(ready)
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
    catalog = key_and_content(run.store_id, schema.names, only)
    tell(60, "comparing")
    frame = restored(with_due(catalog, due), catalog, schema, categories, {})
    kept = keep_changeset(run, together(frame), pl.DataFrame(schema=PROBLEM_SCHEMA))
    counts = counts_of(frame)
    told = ", ".join(f"{n} {s}" for s, n in counts.items() if n) or "nothing to do"
    with session() as db:
        move(db, run_id, "prepared", f"prepared: {told}", progress=100, counts=counts, **kept,
             rules_revision=store.rules_revision)  # fmt: skip


def go_on(run_id: int) -> None:
    """Have a prepared one written."""
    with session() as db:
        ready = Runs.holding(db, run_id).get(run_id).status == "prepared"
    if ready:
        request_apply(run_id)
