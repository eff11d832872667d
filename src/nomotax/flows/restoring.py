"""Bringing a catalog back to what a snapshot has: a run like any other."""

from __future__ import annotations

import polars as pl

from nomotax.artifacts.store import artifacts
from nomotax.core.changes.marks import NEW
from nomotax.core.changes.restoring import MADE, SUPPLIER, counts_of, restored
from nomotax.core.changes.snapshot import read_about, read_rows
from nomotax.core.changes.staging import Heading, new_products
from nomotax.core.changes.states import STATE
from nomotax.core.crosswalk.problems import PROBLEM_SCHEMA
from nomotax.flows import snapshots
from nomotax.flows.changesets import keep_changeset, together
from nomotax.flows.decisions import kept_of
from nomotax.flows.run_states import Progress, move
from nomotax.records.database import session
from nomotax.records.products import Snapshot
from nomotax.records.queue import enqueue
from nomotax.records.repositories import Feeds, Stores
from nomotax.records.repository import known_id
from nomotax.records.runs import Runs
from nomotax.records.tables import Run
from nomotax.records.whole import products_of


def start_restore(snapshot_id: int) -> Run:
    """A run that makes the catalog what a snapshot has, to be prepared and looked at. Raises
    ``Conflict`` for a snapshot that is not ready, ``NotFound``."""
    snapshot = snapshots.ready(snapshot_id)
    with session() as db:
        used = {"snapshot": snapshot.artifact, "file_name": named(snapshot)}
        stage = "waiting for a worker"
        run = Runs(db, snapshot.store_id).add(kind="restore", stage=stage, used=used)
        enqueue(db, "prepare", run_id=known_id(run))
        return run


def named(snapshot: Snapshot) -> str:
    """What people call it."""
    return f"snapshot of {snapshot.taken_at:%Y-%m-%d %H:%M} UTC"


def prepare_restore(run_id: int, tell: Progress) -> None:
    """What restoring would do, kept for a person to look at."""
    tell(10, "reading the snapshot")
    with session() as db:
        run, stores = Runs.holding(db, run_id).get(run_id), Stores(db)
        store = stores.get(run.store_id)
        schema = stores.schema(run.store_id)
        categories = frozenset(stores.category_paths(run.store_id))
    with artifacts().local(run.used["snapshot"]) as path:
        about = read_about(path)
        snapshot = read_rows(pl.read_parquet(path), about)
    tell(30, "loading the catalog")
    catalog = products_of(run.store_id, schema.names)
    tell(60, "comparing")
    frame = restored(snapshot, catalog, schema, categories, kept_of(run.store_id))
    kept = keep_changeset(run, together(frame), pl.DataFrame(schema=PROBLEM_SCHEMA))
    counts = counts_of(frame)
    said = ", ".join(f"{n} {s}" for s, n in counts.items() if n) or "nothing to do"
    brought = {c.removeprefix(NEW) for c in snapshot.columns if c.startswith(NEW)}
    missing = sorted(set(schema.names) ^ (brought - {STATE}))
    with session() as db:
        move(db, run_id, "prepared", f"prepared: {said}{_left_alone(missing)}", progress=100,
             counts=counts, **kept, rules_revision=store.rules_revision)  # fmt: skip


def _left_alone(names: list[str]) -> str:
    if not names:
        return ""
    return f"; left alone, as not both the store and the snapshot have it: {', '.join(names)}"


def restored_products(frame: pl.DataFrame, heading: Heading, run: Run) -> pl.DataFrame:
    """The products that it makes, each with its supplier's id."""
    made = frame.filter(MADE)
    with session() as db:
        ids = {
            name: known_id(Feeds(db, run.store_id).supplier_named(name))
            for name in made[SUPPLIER].unique()
        }
    owner = made[SUPPLIER].replace_strict(ids, return_dtype=pl.Int64).alias("supplier_id")
    return new_products(made, heading).with_columns(owner)
